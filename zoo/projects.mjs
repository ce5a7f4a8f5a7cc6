// Projects as people have them: published templates of pages, and small servers in the way that each framework is written.

const page = (template, file, edit, look, value, more = {}) => ({
  name: template,
  kind: 'page',
  template,
  file,
  edit,
  look,
  value,
  ...more,
});

const REACT = {
  from: 'const [count, setCount] = useState(0)',
  to: 'const [count, setCount] = useState(0); const twice = count * 2',
};

/** What runs once is seen when the page is loaded anew. */
const ANEW = { anew: true };

export const PAGES = [
  page('react-ts', 'src/App.tsx', REACT, 'App', /useState\(0\).*count 3/),
  page('react', 'src/App.jsx', REACT, 'App', /useState\(0\).*count 3/),
  page('preact-ts', 'src/app.tsx', REACT, 'App', /useState\(0\).*count 3/),
  page('preact', 'src/app.jsx', REACT, 'App', /useState\(0\).*count 3/),
  page('solid-ts', 'src/App.tsx', { from: 'createSignal(0)', to: 'createSignal(7)' }, 'App', /count \+ 1.* 3/),
  page('solid', 'src/App.jsx', { from: 'createSignal(0)', to: 'createSignal(7)' }, 'App', /count \+ 1.* 3/),
  page('svelte-ts', 'src/lib/Counter.svelte', { from: 'count += 1', to: 'count += 5' }, 'increment', /count \+= 1.* 3/),
  page('svelte', 'src/lib/Counter.svelte', { from: 'count++', to: 'count += 5' }, 'Counter', /state\(0\).* 0/, ANEW),
  page('vue-ts', 'src/components/HelloWorld.vue', { from: 'ref(0)', to: 'ref(7)' }, 'setup', /ref\(0\).*RefImpl/, ANEW),
  page('vue', 'src/components/HelloWorld.vue', { from: 'ref(0)', to: 'ref(7)' }, 'setup', /ref\(0\).*RefImpl/, ANEW),
  page('lit-ts', 'src/my-element.ts', { from: 'this.count++', to: 'this.count += 5' }, 'render', /render\(\).*×3/),
  page('lit', 'src/my-element.js', { from: 'this.count++', to: 'this.count += 5' }, 'render', /render\(\).*×3/),
  page(
    'vanilla-ts',
    'src/counter.ts',
    { from: 'Count is ${counter}', to: 'Counted ${counter}' },
    'setCounter',
    /counter = count.* 3/,
  ),
  page(
    'vanilla',
    'src/counter.js',
    { from: 'Count is ${counter}', to: 'Counted ${counter}' },
    'setCounter',
    /counter = count.* 3/,
  ),
];

const rendered = (template, file, look, value, edit) => ({
  name: template,
  kind: 'rendered',
  from: 'create-vite-extra',
  template,
  file,
  look,
  value,
  edit,
});
const SEVEN = (from) => ({ from, to: from.replace('0', '7'), seen: />\s*[Cc]ount is\s*(?:<!--.*?-->)?\s*7/ });

/** A server draws them, with the module runner of their development server. */
export const RENDERED = [
  rendered('ssr-vanilla', 'src/entry-server.js', 'render', /render\(_url\).*×/, {
    from: 'return _render()',
    to: "return { html: '<h1>' + typeof _render + '</h1>' }",
    seen: /<h1>function/,
  }),
  rendered('ssr-react-ts', 'src/App.tsx', 'App', /useState\(0\).*count 0/, SEVEN('useState(0)')),
  rendered('ssr-react-streaming', 'src/App.jsx', 'App', /useState\(0\).*count 0/, SEVEN('useState(0)')),
  rendered('ssr-preact-ts', 'src/app.tsx', 'App', /useState\(0\).*count 0/, SEVEN('useState(0)')),
  rendered('ssr-solid', 'src/App.jsx', 'App', /createSignal\(0\).*count/, SEVEN('createSignal(0)')),
  rendered('ssr-svelte-ts', 'src/lib/Counter.svelte', 'Counter', /state\(0\).* 0/, SEVEN('$state(0)')),
  rendered('ssr-vue-ts', 'src/components/HelloWorld.vue', 'setup', /ref\(0\).*RefImpl/, SEVEN('ref(0)')),
];

const TOLL = `const RATE = 4

function toll (length) {
  const due = length * RATE
  if (length > 40) throw new Error('no lock is so long')
  return due
}

module.exports = { toll }
`;
const TOLL_MODULE = TOLL.replace('module.exports = { toll }', 'export { toll }');
const listening = "console.log('listening', port)";

const server = (name, dependencies, main, more = {}) => ({
  name,
  kind: 'server',
  dependencies,
  files: {
    'package.json': JSON.stringify({
      name: 'lock-office',
      private: true,
      scripts: { dev: 'node server.js' },
      ...more.manifest,
    }),
    'toll.js': more.manifest?.type === 'module' ? TOLL_MODULE : TOLL,
    'server.js': main,
    ...more.files,
  },
});

export const SERVERS = [
  server(
    'node:http, CommonJS',
    [],
    `const http = require('http')
const { toll } = require('./toll')
const server = http.createServer((req, res) => {
  try { res.end(String(toll(Number(req.url.slice(1))))) } catch (error) { res.statusCode = 500; res.end(error.message) }
})
server.listen(0, '127.0.0.1', () => { const { port } = server.address(); ${listening} })
`,
  ),
  server(
    'express, CommonJS',
    ['express'],
    `const express = require('express')
const { toll } = require('./toll')
const app = express()
app.use((req, res, next) => { res.set('x-canal', 'wenlow'); next() })
app.get('/:length', (req, res) => { res.send(String(toll(Number(req.params.length)))) })
app.use((error, req, res, next) => { res.status(500).send(error.message) })
const server = app.listen(0, '127.0.0.1', () => { const { port } = server.address(); ${listening} })
`,
  ),
  server(
    'express, ES modules',
    ['express'],
    `import express from 'express'
import { toll } from './toll.js'
const app = express()
app.get('/:length', async (req, res) => { res.send(String(toll(Number(req.params.length)))) })
const server = app.listen(0, '127.0.0.1', () => { const { port } = server.address(); ${listening} })
`,
    { manifest: { type: 'module' } },
  ),
  server(
    'fastify, ES modules',
    ['fastify'],
    `import Fastify from 'fastify'
import { toll } from './toll.js'
const app = Fastify()
app.register(async (routes) => {
  routes.get('/:length', async (request) => String(toll(Number(request.params.length))))
})
await app.listen({ port: 0, host: '127.0.0.1' })
const { port } = app.server.address()
${listening}
`,
    { manifest: { type: 'module' } },
  ),
  server(
    'koa, CommonJS',
    ['koa'],
    `const Koa = require('koa')
const { toll } = require('./toll')
const app = new Koa()
app.silent = true
app.use(async (ctx, next) => { await next(); ctx.set('x-canal', 'wenlow') })
app.use((ctx) => { ctx.body = String(toll(Number(ctx.path.slice(1)))) })
const server = app.listen(0, '127.0.0.1', () => { const { port } = server.address(); ${listening} })
`,
  ),
  server(
    'hapi, CommonJS',
    ['@hapi/hapi'],
    `const Hapi = require('@hapi/hapi')
const { toll } = require('./toll')
const main = async () => {
  const server = Hapi.server({ port: 0, host: '127.0.0.1' })
  server.route({ method: 'GET', path: '/{length}', handler: (request) => String(toll(Number(request.params.length))) })
  await server.start()
  const { port } = server.info
  ${listening}
}
main()
`,
  ),
  server(
    'hono, ES modules',
    ['hono', '@hono/node-server'],
    `import { serve } from '@hono/node-server'
import { Hono } from 'hono'
import { toll } from './toll.js'
const app = new Hono()
app.get('/:length', (c) => c.text(String(toll(Number(c.req.param('length'))))))
app.onError((error, c) => c.text(error.message, 500))
serve({ fetch: app.fetch, port: 0, hostname: '127.0.0.1' }, ({ port }) => { ${listening} })
`,
    { manifest: { type: 'module' } },
  ),
  server('node:http, TypeScript by tsx', ['tsx'], '', {
    manifest: { type: 'module', scripts: { dev: 'tsx server.ts' } },
    files: {
      'server.ts': `import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { toll } from './toll.js'
const server = createServer((req, res) => {
  try { res.end(String(toll(Number(req.url!.slice(1))))) } catch (error) { res.statusCode = 500; res.end((error as Error).message) }
})
server.listen(0, '127.0.0.1', () => { const { port } = server.address() as AddressInfo; ${listening} })
`,
    },
  }),
  server(
    'node:http, cluster of two',
    [],
    `const cluster = require('cluster')
const http = require('http')
const { toll } = require('./toll')
if (cluster.isPrimary) {
  cluster.fork()
  cluster.fork()
} else {
  const server = http.createServer((req, res) => {
    try { res.end(String(toll(Number(req.url.slice(1))))) } catch (error) { res.statusCode = 500; res.end(error.message) }
  })
  server.listen(0, '127.0.0.1', () => { const { port } = server.address(); ${listening} })
}
`,
  ),
  server(
    'node:http, through a task runner',
    ['npm-run-all2'],
    `const http = require('http')
const { toll } = require('./toll')
const server = http.createServer((req, res) => {
  try { res.end(String(toll(Number(req.url.slice(1))))) } catch (error) { res.statusCode = 500; res.end(error.message) }
})
server.listen(0, '127.0.0.1', () => { const { port } = server.address(); ${listening} })
`,
    { manifest: { scripts: { dev: 'run-p serve', serve: 'node server.js' } } },
  ),
  {
    ...server('npm workspaces, a linked package', [], '', {
      manifest: { workspaces: ['packages/*', 'apps/*'], scripts: { dev: 'npm run dev --workspace apps/office' } },
      files: {
        'toll.js': '',
        'packages/toll/toll.js': TOLL_MODULE,
        'packages/toll/package.json': '{ "name": "@canal/toll", "type": "module", "exports": "./toll.js" }',
        'apps/office/package.json':
          '{ "name": "office", "type": "module", "scripts": { "dev": "node server.js" }, "dependencies": { "@canal/toll": "*" } }',
        'apps/office/server.js': `import http from 'node:http'
import { toll } from '@canal/toll'
const server = http.createServer((req, res) => {
  try { res.end(String(toll(Number(req.url.slice(1))))) } catch (error) { res.statusCode = 500; res.end(error.message) }
})
server.listen(0, '127.0.0.1', () => { const { port } = server.address(); ${listening} })
`,
      },
    }),
    toll: 'packages/toll/toll.js',
    install: true,
  },
];
