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

export const PAGES = [
  page('react-ts', 'src/App.tsx', REACT, 'App', /useState\(0\).*count 3/),
  page('react', 'src/App.jsx', REACT, 'App', /useState\(0\).*count 3/),
  page('preact-ts', 'src/app.tsx', REACT, 'App', /useState\(0\).*count 3/),
  page('preact', 'src/app.jsx', REACT, 'App', /useState\(0\).*count 3/),
  page('solid-ts', 'src/App.tsx', { from: 'createSignal(0)', to: 'createSignal(7)' }, 'App', /count \+ 1.* 3/),
  page('solid', 'src/App.jsx', { from: 'createSignal(0)', to: 'createSignal(7)' }, 'App', /count \+ 1.* 3/),
  page('svelte-ts', 'src/lib/Counter.svelte', { from: 'count += 1', to: 'count += 5' }, 'increment', /count \+= 1.* 3/),
  page('svelte', 'src/lib/Counter.svelte', { from: 'count++', to: 'count += 5' }, 'Counter', /onclick.*×3/),
  page('vue-ts', 'src/components/HelloWorld.vue', { from: 'ref(0)', to: 'ref(7)' }, 'setup', undefined),
  page('vue', 'src/components/HelloWorld.vue', { from: 'ref(0)', to: 'ref(7)' }, 'setup', undefined),
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
];
