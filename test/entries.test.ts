/** Entry points of live programs: on the command line, over frameworks, at many requests at once. */
import { cpSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createLive } from '#dist/hosts/node/live.js';
import { linesView } from '#dist/views/margin.js';
import type { RawEntry } from '#dist/wire/entries.js';
import type { Batch } from '#dist/wire/reports.js';
import { targets } from '#dist/server/targets.js';
import { cli, eventually, folder, root, start } from './harness.js';

const ends: (() => Promise<unknown> | void)[] = [];
afterEach(async () => {
  for (const end of ends.splice(0).reverse()) await end();
});

const WORK = `export const wait = (ms) => new Promise((done) => setTimeout(done, ms))

export async function load(id) {
  await wait(id % 7)
  return { id, tonnes: [1, 2, 3] }
}
export async function slate(id) {
  const barge = await load(id)
  await wait(3)
  return slateRule(barge)
}
export function slateRule(barge) { return { cargo: 'slate', id: barge.id } }
export async function grain(id) {
  await wait(2)
  const barge = await load(id)
  return grainRule(barge)
}
export const grainRule = (barge) => ({ cargo: 'grain', id: barge.id })
`;

/** Servers in the styles of their frameworks, none with semicolons; each prints its port. */
const SERVERS: Record<string, Record<string, string>> = {
  'node:http, CommonJS': {
    'server.cjs': `const { createServer } = require('node:http')
const { slate, grain } = require('./work.cjs')
const routes = { 'GET /api/slate/:id': slate, 'GET /api/grain/:id': grain }
const server = createServer(async (request, response) => {
  const [, , cargo, id] = request.url.split('/')
  const given = await routes['GET /api/' + cargo + '/:id'](Number(id))
  response.setHeader('content-type', 'application/json')
  response.end(JSON.stringify(given))
})
server.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port))
`,
    'work.cjs':
      WORK.replace(/export (async )?(function|const) (\w+)/g, '$1$2 $3') + 'module.exports = { slate, grain }\n',
  },
  express: {
    'server.js': `import express from 'express'
import api from './api.js'
const app = express()
app.use('/api', api)
const server = app.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port))
`,
    'api.js': `import { Router } from 'express'
import { slate, grain } from './work.js'
const router = Router()
router.get('/slate/:id', async (request, response) => response.json(await slate(Number(request.params.id))))
router.get('/grain/:id', async (request, response) => {
  const given = await grain(Number(request.params.id))
  response.json(given)
})
export default router
`,
    'work.js': WORK,
  },
  koa: {
    'server.js': `import Koa from 'koa'
import Router from '@koa/router'
import { slate, grain } from './work.js'
const router = new Router({ prefix: '/api' })
router.get('/slate/:id', async (context) => { context.body = await slate(Number(context.params.id)) })
router.get('/grain/:id', async (context) => { context.body = await grain(Number(context.params.id)) })
const app = new Koa()
app.use(router.routes()).use(router.allowedMethods())
const server = app.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port))
`,
    'work.js': WORK,
  },
  fastify: {
    'server.js': `import fastify from 'fastify'
import routes from './routes.js'
const app = fastify()
app.register(routes, { prefix: '/api' })
await app.listen({ port: 0, host: '127.0.0.1' })
console.log('port ' + app.server.address().port)
`,
    'routes.js': `import { slate, grain } from './work.js'
export default async function routes(app) {
  app.get('/slate/:id', async (request) => slate(Number(request.params.id)))
  app.route({ method: 'GET', url: '/grain/:id', handler: (request) => grain(Number(request.params.id)) })
}
`,
    'work.js': WORK,
  },
};

/** Starts a program, and gives its session, the port that it prints, and entries as they are told. */
async function serve(files: Record<string, string>, entry: string) {
  const dir = folder({ 'package.json': '{"type":"module"}', ...files });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'), 'dir');
  let printed = '';
  const { session } = createLive({
    ...{ file: entry, cwd: dir, stdio: 'pipe' },
    onOutput: (_stream, text) => (printed += text),
  });
  const told: RawEntry[] = [];
  const take = session.entries.take.bind(session.entries);
  session.entries.take = (state, batch: Batch) => {
    told.push(...(batch.entries ?? []).flatMap(({ last }) => last ?? []));
    take(state, batch);
  };
  expect(session.start(() => undefined)).toEqual([]);
  ends.push(() => session.stop());
  const port = Number((await eventually(() => /port (\d+)/.exec(printed) ?? undefined))[1]);
  const get = (path: string, init: RequestInit = {}): Promise<string> =>
    fetch(`http://127.0.0.1:${port}${path}`, init).then((response) => response.text());
  // As a person finds it: the functions that took part, by their paths.
  const { functions } = (session as unknown as { running: { observed: { functions: Functions } } }).running.observed;
  const namesOf = ({ parts }: RawEntry): string[] => parts.map(({ of }) => functions.find(of)?.path ?? '?');
  return { dir, session, get, told, namesOf, printed: () => printed };
}

interface Functions {
  find(of: number): { path: string } | undefined;
}

test.each(Object.keys(SERVERS))(
  '%s: of a hundred requests at once no function is put to the wrong one',
  async (name) => {
    const files = SERVERS[name]!;
    const { session, get, told, namesOf } = await serve(files, Object.keys(files)[0]!);
    await session.entries.watch(true);
    expect(session.entries.all.map(({ key, count }) => [key, count])).toEqual([
      ['GET /api/slate/:id', 0],
      ['GET /api/grain/:id', 0],
    ]);
    const paths = Array.from({ length: 100 }, (_, i) => `/api/${i % 3 === 0 ? 'slate' : 'grain'}/${i}`);
    const answers = await Promise.all(paths.map((path) => get(path)));
    answers.forEach((text, i) => expect(JSON.parse(text)).toEqual({ cargo: paths[i]!.split('/')[2], id: i }));
    await eventually(() => session.entries.all.reduce((sum, { count }) => sum + count, 0) === 100);
    expect(session.entries.all.map(({ key, count, failed }) => [key, count, failed]).sort()).toEqual([
      ['GET /api/grain/:id', 66, 0],
      ['GET /api/slate/:id', 34, 0],
    ]);
    // Not all are told whole; of those that are, each has its own functions and no others.
    expect(told.length).toBeGreaterThan(30);
    for (const entry of told) {
      const [own, other] = entry.url!.includes('slate') ? ['slate', 'grain'] : ['grain', 'slate'];
      const names = namesOf(entry);
      expect(names).toEqual(expect.arrayContaining([own, `${own}Rule`, 'load', 'wait']));
      expect(names).not.toContain(other);
      expect(names).not.toContain(`${other}Rule`);
    }
    // Asked while others run: its values and counts are its own.
    let isOver = false;
    const others = (async () => {
      for (let i = 1; !isOver; i++) await Promise.all(paths.slice(0, 30).map((path) => get(path)));
    })();
    await session.entries.pick('GET /api/grain/:id', { url: '/api/grain/31' });
    isOver = true;
    await others;
    const { answer, pieces, record } = session.entries.current!;
    expect(JSON.parse(answer!.body!.text)).toEqual({ cargo: 'grain', id: 31 });
    const calls = new Map(pieces.flatMap((piece) => (piece.is === 'code' ? [[piece.name, piece.calls]] : [])));
    expect([calls.get('grain'), calls.get('grainRule'), calls.get('load'), calls.get('wait')]).toEqual([1, 1, 1, 2]);
    const rule = pieces.find((piece) => piece.is === 'code' && piece.name === 'grain')!;
    if (rule.is !== 'code') return;
    const lines = linesView(record, rule.file);
    const shown = (line: number) => ({
      hits: lines.get(line)!.hits,
      text: lines.get(line)!.items.map(({ text }) => text),
    });
    expect(shown(rule.firstLine)).toEqual({ hits: 1, text: ['id 31'] });
    expect(shown(rule.firstLine + 2)).toEqual({ hits: 1, text: ['{ id: 31, tonnes: [1, 2, 3] }'] });
  },
);

test('what comes in besides requests, what goes on behind an answer, and nothing when nobody watches', async () => {
  const { session, get, told, namesOf } = await serve(
    {
      'server.js': `import { createServer } from 'node:http'
import { readFileSync } from 'node:fs'
let level = 0
class Room { constructor() { this.name = 'room' } }
class Chamber extends Room { constructor() { super(); this.level = rise() } }
function rise() { return ++level }
function* steps() { yield rise(); yield rise() }
setInterval(function tick() { rise() }, 20)
const server = createServer((request, response) => {
  if (request.url === '/later') setTimeout(function afterwards() { rise() }, 30)
  if (request.url === '/fails') throw new Error('no water')
  const chamber = new Chamber()
  const all = [...steps()]
  const text = readFileSync('note.txt', 'utf8')
  response.end(text + all.length + (chamber.level > 0))
})
process.on('uncaughtException', () => undefined)
server.on('connection', function connected() { rise() })
server.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port))
`,
      'note.txt': 'levels: ',
    },
    'server.js',
  );
  const close = { headers: { connection: 'close' } };
  await get('/', close);
  expect(told).toEqual([]);
  await session.entries.watch(true);
  expect(session.entries.all.map(({ key }) => key)).toEqual(expect.arrayContaining(['event connection', 'timer tick']));
  expect(await get('/', close)).toBe('levels: 2true');
  const entry = await eventually(() => told.find(({ url }) => url === '/'));
  expect(namesOf(entry)).toEqual(expect.arrayContaining(['Chamber/constructor', 'rise', 'steps']));
  expect(entry.exchanges).toMatchObject([{ is: 'file', text: expect.stringMatching(/note\.txt$/), state: 'done' }]);
  expect(entry.status).toBe(200);
  await eventually(() => session.entries.all.find(({ key, count }) => key === 'timer tick' && count > 1));
  await eventually(() => session.entries.all.find(({ key, count }) => key === 'event connection' && count > 0));
  await get('/later');
  const behind = await eventually(() => told.find(({ kind }) => kind === 'after'));
  expect([behind.name, namesOf(behind)]).toEqual(['GET /later', ['createServer()/afterwards', 'rise']]);
  // Its functions had other versions twice; afterwards they have those they had.
  await session.entries.pick('GET /');
  await session.entries.watch(false);
  const before = told.length;
  expect(await get('/', close)).toBe('levels: 2true');
  await new Promise((done) => setTimeout(done, 250));
  expect(told.length).toBe(before);
  expect(session.entries.all).toEqual([]);
});

test('an edit joins a piece, leaves one out, and the answer is there again with what has changed', async () => {
  const { dir, session } = await serve(SERVERS['express']!, 'server.js');
  await session.entries.pick('GET /api/slate/:id', { url: '/api/slate/8' });
  const names = () => session.entries.current!.pieces.flatMap((piece) => (piece.is === 'code' ? [piece.name] : []));
  expect(names()).toContain('slateRule');
  const changed = WORK.replace('return slateRule(barge)', 'return heavyRule(barge)').concat(
    "export function heavyRule(barge) { return { cargo: 'slate', id: barge.id, heavy: true } }\n",
  );
  writeFileSync(join(dir, 'work.js'), changed);
  await session.changed([join(dir, 'work.js')]);
  await eventually(() => session.entries.current?.change);
  const { change, joined, faded } = session.entries.current!;
  expect(change!.places).toEqual([{ path: 'heavy', now: 'true' }]);
  expect(joined.map((name) => name.split(' ')[1])).toEqual(['heavyRule']);
  expect(faded.map((piece) => piece.is === 'code' && piece.name)).toEqual(['slateRule']);
  expect(names()).toContain('heavyRule');
});

test('a panel of the project: queries stand among the pieces, with their answers, and are left alone afterwards', async () => {
  const { dir, session, get, printed } = await serve(
    {
      'server.js': `import { createServer } from 'node:http'
import { Store } from './store.cjs'
const store = new Store()
const server = createServer(async (request, response) => {
  const rows = await store.query('select * from charges')
  if (request.url === '/wrong') await store.query('drop').catch(() => undefined)
  response.end(String(rows.length))
})
server.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port))
`,
      'store.cjs': `exports.Store = class Store {
  async query(text) {
    if (text === 'drop') throw new Error('not allowed')
    return [{ barge: 'Heron' }, { barge: 'Teal' }]
  }
}
`,
      'panels/store.mjs': `export default {
  library: '../store.cjs',
  watch({ default: { Store } }, exchange) {
    const { query } = Store.prototype
    Store.prototype.query = async function (text) {
      const sent = exchange(text)
      try {
        const answer = await query.call(this, text)
        sent.end({ answer })
        return answer
      } catch (error) {
        sent.end({ failed: true, answer: error.message })
        throw error
      }
    }
    return () => { Store.prototype.query = query; console.log('panel over') }
  },
}
`,
    },
    'server.js',
  );
  await session.entries.watch(true);
  await get('/wrong');
  await eventually(() => session.entries.all.find(({ key }) => key === 'GET /wrong'));
  await session.entries.pick('GET /wrong');
  expect(session.entries.current!.pieces.filter(({ is }) => is === 'query')).toMatchObject([
    { text: 'select * from charges', state: 'done', answer: '[{"barge":"Heron"},{"barge":"Teal"}]', layer: 'queries' },
    { text: 'drop', state: 'failed', answer: 'not allowed' },
  ]);
  await session.entries.watch(false);
  await eventually(() => printed().includes('panel over'));
  expect(await get('/')).toBe('2');
  expect(readFileSync(join(dir, 'store.cjs'), 'utf8')).toContain('not allowed');
});

/** The lock house as a program of its own, and its commands. */
async function lockHouse() {
  const dir = folder();
  cpSync(join(root, 'examples/lock-house'), dir, { recursive: true });
  const at = join(folder(), 'targets');
  const env = { USHER_ANVIL_TARGETS: at, XDG_STATE_HOME: folder(), NO_COLOR: '1' };
  const live = start(['live', 'server.ts', '--name', 'lock-house'], { cwd: dir, env });
  ends.push(() => live.end());
  await eventually(() => targets(at).length > 0 && /http:\S+\/locks/.test(live.text));
  const site = /http:\S+(?=\/locks)/.exec(live.text)![0];
  const entries = (...args: string[]) => cli(['entries', ...args], { cwd: dir, env });
  return { dir, site, entries };
}

test('on the command line: the list, the pieces of one, and its answer', async () => {
  const { dir, site, entries } = await lockHouse();
  const first = entries('lock-house').stdout;
  expect(first).toContain('nothing came in since this was first asked: it is watched from now on');
  expect(first.match(/^ {2}(?:GET|POST|DELETE) /gm)).toHaveLength(12);
  for (const path of ['/tolls/Heron', '/tolls/Teal', '/locks/elm', '/nowhere']) await fetch(site + path);
  await fetch(`${site}/queue`, { method: 'POST', body: '{"name":"Otter","length":18,"cargo":"grain","tonnes":9}' });
  const list = await eventually(() => {
    const { stdout } = entries();
    return stdout.includes('POST /queue  ') && stdout.includes('×2') ? stdout : undefined;
  });
  expect(list).toMatch(/^ {2}GET \/tolls\/:name +×2 +\S+ m?s 200 {2}.*routes\.ts:\d+$/m);
  expect(list).toMatch(/^ {2}GET \/nowhere +×1 +\S+ m?s 404/m);
  const shown = entries('lock-house', '--show', 'GET /tolls/:name', '--without', 'routing', 'data');
  expect(shown.code).toBe(0);
  expect(shown.stdout).toMatch(/── discount {2}rules\/tolls\.ts:\d+ · rules · ×2/);
  expect(shown.stdout).toMatch(/return YARD\.includes\(barge\.name\) \? base \* 0\.1 : 0; +│ 59 ×2/);
  expect(shown.stdout).toMatch(/── file {2}templates\/page\.html/);
  expect(shown.stdout).toContain('<li>to pay: 531</li>');
  expect(shown.stdout).not.toContain('routes.ts');
  const waits = entries('--show', 'POST /queue').stdout;
  expect(waits).toContain('not asked: it may change something');
  const asked = entries(
    '--show',
    'POST /queue',
    '--body',
    '{"name":"Wren","length":9,"cargo":"lime","tonnes":2}',
    '--ask',
  );
  expect(asked.stdout).toContain('"waiting": 5');
  const json = JSON.parse(entries('--show', 'GET /locks/:name', '--url', '/locks/dun', '--format', 'json').stdout) as {
    format: string;
    answer: { body: { text: string } };
    pieces: { is: string; name: string; lines: { values: string[] }[] }[];
  };
  expect(json.format).toBe('usher-anvil/entries@1');
  expect(JSON.parse(json.answer.body.text)).toEqual({ name: 'dun', rise: 8.3, level: 0.2 });
  expect(json.pieces.map(({ name }) => name)).toEqual(['answer', 'find', 'fit', 'GET /locks/:name', 'lockNamed']);
  // The file is as it was: nothing of this is a change.
  expect(readFileSync(join(dir, 'rules.ts'), 'utf8')).toBe(
    readFileSync(join(root, 'examples/lock-house/rules.ts'), 'utf8'),
  );
  expect(entries('--show', 'GET /weirs').stderr).toContain('E_ENTRY  there is no entry GET /weirs; there are ');
  expect(entries('--url', '/locks').stderr).toContain('E_OPTION  --url goes with --show <entry>');
  expect(entries('--show', 'DELETE /queue/:name', '--ask').stdout).toContain('has parts that nobody has filled in yet');
  expect(entries('--off').stdout).toContain('what comes in is watched no longer');
});

test('a timer that is picked tells the values of each call, also after an edit', async () => {
  const text =
    'let level = 0\nfunction rise(by) {\n  return (level += by)\n}\nsetInterval(function fill() { rise(2) }, 40)\n';
  const dir = folder({ 'lock.mjs': text });
  const file = join(dir, 'lock.mjs');
  const live = createLive({ file, stdio: 'pipe' });
  ends.push(() => live.session.stop());
  live.session.start(() => undefined);
  const { entries } = live.session;
  await entries.watch(true);
  const point = await eventually(() => entries.all.find(({ key, count }) => key === 'timer fill' && count > 0));
  expect(await entries.pick(point.key)).toBe(true);
  const by = (): number[] => {
    const { samples } = entries.current!.record;
    return [...samples.number.slice(0, samples.length)];
  };
  await eventually(() => by().includes(2));
  const { count } = entries.current!.point;
  await eventually(() => entries.current!.point.count > count);
  writeFileSync(file, text.replace('rise(2)', 'rise(700)'));
  await live.session.changed([file]);
  await eventually(() => by().includes(700));
  expect(entries.current!.why).toBeUndefined();
});
