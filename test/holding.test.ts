/** Calls that fail in a program that runs are held, and go on once they are mended. */
import { readFileSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import { createLive, type NodeLive } from 'usher-anvil';
import type { HeldCall } from '#dist/session/live/holding/holding.js';
import { eventually, folder, wait } from './harness.js';
import { catalogueProgram, FERRY } from './holding-cases.js';

const running: NodeLive[] = [];
afterEach(() => {
  for (const live of running.splice(0)) live.session.stop();
});

async function begin(text: string, files: Record<string, string> = {}) {
  const dir = folder({ 'main.mjs': text, ...files });
  const file = join(dir, 'main.mjs');
  let output = '';
  const live = createLive({ file, cwd: dir, stdio: 'pipe', onOutput: (_, printed) => (output += printed) });
  running.push(live);
  const { session } = live;
  const events: string[] = [];
  session.held.listen((event) => {
    if (event.is !== 'switched')
      events.push(`${event.is} ${event.held.name}${event.is === 'released' ? ` ${event.how}` : ''}`);
  });
  expect(session.start(() => undefined)).toEqual([]);
  await eventually(() => output.includes('ready'));
  return {
    file,
    session,
    held: session.held,
    events,
    output: () => output,
    async save(change: (text: string) => string) {
      writeFileSync(file, change(readFileSync(file, 'utf8')));
      await session.changed([file]);
    },
    enter: (code: string) => session.evaluate(file, code),
  };
}

/** One request; resolves with what came back. */
function ask(port: number, path: string, body?: string) {
  const client = request({ port, path, host: '127.0.0.1', method: body === undefined ? 'GET' : 'POST' });
  const answer = new Promise<string>((resolve) => {
    client.on('response', (response) => {
      let text = `${response.statusCode} `;
      response
        .on('data', (chunk) => (text += String(chunk)))
        .on('end', () => resolve(text))
        .on('error', () => undefined);
    });
    client.on('error', (error) => resolve(`gone: ${error.message}`));
  });
  client.end(body);
  return { answer, leave: () => client.destroy() };
}

test('a catalogue: twelve kinds of functions, called in eight ways, are held where they fail and go on when they are mended', async () => {
  const { text, names } = catalogueProgram();
  expect(names.length).toBeGreaterThan(80);
  const { held, save, enter, output, events } = await begin(text, FERRY);
  await held.switchTo('on');
  await enter('begin()');
  await eventually(() => held.all.length >= names.length);
  expect(output()).not.toContain('case');
  const failed = held.all.map(({ error }) => Number(/gate (\d+)/.exec(error.message)?.[1])).sort((a, b) => a - b);
  expect(failed.map((n) => names[n])).toEqual(names);
  // Each has the frame that failed, with its variables.
  expect(
    held.all.filter(
      ({ frames }) => !/^n = \d+$/.test(variablesOf(frames[0]).find((one) => one.startsWith('n ')) ?? ''),
    ),
  ).toEqual([]);
  await save((now) => now.replace("throw new Error('nobody opens gate ' + n)", 'return n * 2'));
  for (const { id } of held.all) expect(await held.again(id)).toEqual({ is: 'done' });
  const told = (n: number): boolean => output().includes(`case ${n} ${n * 2}\n`);
  await eventually(() => names.every((_, n) => told(n)));
  expect(held.all).toEqual([]);
  expect(events.filter((one) => one.startsWith('held')).length).toBe(names.length);
});

function variablesOf(frame: HeldCall['frames'][number] | undefined): string[] {
  return (frame?.scopes ?? []).flatMap(({ variables }) =>
    variables.map(({ name, value }) => `${name} = ${value.text ?? value.type}`),
  );
}

const SERVER = `import { createServer } from 'node:http'
const rates = { slate: 65 }
class Book {
  entries = []
}
const book = new Book()
async function bodyOf(request) {
  let text = ''
  for await (const chunk of request) text += chunk
  return text
}
function toll(cargo) {
  if (!(cargo in rates)) throw new RangeError('no rate for ' + cargo)
  return rates[cargo]
}
async function route(request, response) {
  switch (request.url) {
    case '/toll':
      return toll('peat')
    case '/caught':
      try {
        return toll('peat')
      } catch {
        return 'caught'
      }
    case '/settle':
      return book.settle(toll('slate'), 'Heron')
    case '/body':
      return (await bodyOf(request)) + toll('peat')
    case '/begun':
      response.write('half ')
      return toll('peat')
  }
}
const server = createServer(async (request, response) => {
  const given = await route(request, response)
  response.end(String(given))
})
server.listen(0, '127.0.0.1', () => console.log('ready ' + server.address().port))
`;

async function beginServer() {
  const live = await begin(SERVER);
  await live.held.switchTo('on');
  const port = Number(/ready (\d+)/.exec(live.output())![1]);
  const isHeld = (count: number) => eventually(() => live.held.all.length === count);
  return { ...live, port, isHeld };
}

test('a request waits, with its values, and is answered once the function is mended; what its body gave is read again', async () => {
  const { port, held, isHeld, save } = await beginServer();
  const first = ask(port, '/toll');
  await isHeld(1);
  const second = ask(port, '/body', 'for the body: ');
  await isHeld(2);
  expect(held.all.map(({ waits }) => waits)).toEqual([
    ['GET /toll, a client is waiting'],
    ['POST /body, a client is waiting'],
  ]);
  expect(variablesOf(held.all[0]!.frames[0])).toContain('cargo = peat');
  await save((text) => text.replace('slate: 65', 'slate: 65, peat: 30'));
  for (const { id } of held.all) await held.again(id);
  expect([await first.answer, await second.answer]).toEqual(['200 30', '200 for the body: 30']);
});

test('what the program catches itself is not held, and neither is anything once it is switched off', async () => {
  const { port, held, isHeld } = await beginServer();
  expect(await ask(port, '/caught').answer).toBe('200 caught');
  expect(held.all).toEqual([]);
  const waiting = ask(port, '/toll');
  await isHeld(1);
  await held.switchTo('off');
  expect(held.all).toEqual([]);
  waiting.leave();
});

test('a value is given in its place; it is let fail; it is dropped; it fails for good at its limit; its client goes', async () => {
  const { port, held, isHeld, events, output, session } = await beginServer();
  const given = ask(port, '/toll');
  await isHeld(1);
  expect(await held.give(held.all[0]!.id, 'rates.nothing.at')).toMatchObject({ is: 'threw' });
  expect(await held.give(held.all[0]!.id, 'rates.')).toMatchObject({ is: 'cannot' });
  // The request's own function gives nothing: its answer is for its route to give.
  expect(await held.give(held.all[0]!.id, '1')).toEqual({ is: 'done' });
  given.leave();
  const errors: string[] = [];
  session.onEvent(({ kind, text }) => void (kind === 'error' && errors.push(text)));
  const failing = ask(port, '/toll');
  await isHeld(1);
  await held.fail(held.all[0]!.id);
  await eventually(() => errors.some((text) => text.includes('no rate for peat')));
  failing.leave();
  const dropped = ask(port, '/toll');
  await isHeld(1);
  await held.drop(held.all[0]!.id);
  expect(held.all).toEqual([]);
  dropped.leave();
  await held.switchTo('on', 200);
  const late = ask(port, '/toll');
  await eventually(() => events.some((one) => one.endsWith(' limit')));
  late.leave();
  await held.switchTo('on', 0);
  const leaving = ask(port, '/toll');
  await isHeld(1);
  leaving.leave();
  await eventually(() => events.some((one) => one.endsWith(' gone')));
  expect(held.all).toEqual([]);
  expect(output()).not.toContain('undefined');
});

test('when an answer has begun to go out, only letting it fail and dropping it are left', async () => {
  const { port, held, isHeld } = await beginServer();
  const asked = ask(port, '/begun');
  await isHeld(1);
  const [call] = held.all;
  expect(call!.isOver).toContain('has begun to go out');
  expect(await held.again(call!.id)).toMatchObject({ is: 'cannot' });
  expect(await held.drop(call!.id)).toEqual({ is: 'done' });
  expect(await held.drop(call!.id)).toEqual({ is: 'cannot', why: 'this call is held no longer' });
  asked.leave();
});

test('a missing method is declared in its class, with parameters after what the call gives', async () => {
  const { port, held, isHeld, save } = await beginServer();
  const asked = ask(port, '/settle');
  await isHeld(1);
  const answer = await held.missing(held.all[0]!.id);
  if (answer.is !== 'missing') throw new Error(answer.why);
  const { offset, text, line, cursor } = answer.missing;
  expect(text).toBe('\n\n  settle(toll, text) {\n    \n  }');
  expect([line, cursor]).toEqual([3, { line: 6, character: 4 }]);
  await save((now) =>
    (now.slice(0, offset) + text + now.slice(offset)).replace('{\n    \n', '{\n    return `${text} paid ${toll}`\n'),
  );
  await held.again(held.all[0]!.id);
  expect(await asked.answer).toBe('200 Heron paid 65');
});

test('with auto a call goes on by itself when a function of its frames changes, and not before', async () => {
  const { port, held, isHeld, save } = await beginServer();
  await held.switchTo('auto');
  const asked = ask(port, '/toll');
  await isHeld(1);
  await save((text) => text.replace('text += chunk', 'text = text + chunk'));
  expect(held.all.length).toBe(1);
  await save((text) => text.replace("throw new RangeError('no rate for ' + cargo)", 'return 12'));
  expect(await asked.answer).toBe('200 12');
});

test('a call that fails anew is held anew; whoever needs a value now has the program stand still instead', async () => {
  const { held, session, enter, save, output } = await begin(`let words = ['b', 'a']
const order = (one, other) => {
  if (broken) throw new Error('no order')
  return one < other ? -1 : 1
}
let broken = true
export function sorted() {
  return JSON.stringify({ toJSON: order })
}
export function later() {
  setTimeout(sorted, 1)
}
setInterval(() => undefined, 1_000)
console.log('ready')
`);
  await held.switchTo('on');
  await enter('later()');
  await eventually(() => held.all.length === 1);
  await held.again(held.all[0]!.id);
  await eventually(() => held.all.length === 1 && held.all[0]!.id === 2);
  await save((text) => text.replace("throw new Error('no order')", "console.log('mended')"));
  await held.again(2);
  await eventually(() => output().includes('mended'));
  expect(session.pausing.all).toEqual([]);
});

test('calls of threads and processes that take part are held there, with their values', async () => {
  const { held, session, file, output } = await begin(
    `import { fork } from 'node:child_process'
import { Worker } from 'node:worker_threads'
const part = new URL('./part.mjs', import.meta.url)
const worker = new Worker(part)
const child = fork(part)
for (const one of [worker, child]) one.on('message', (text) => console.log(text))
export function ask() {
  worker.postMessage(1)
  child.send(2)
}
console.log('ready')
`,
    {
      'part.mjs': `import { parentPort } from 'node:worker_threads'
const tell = (text) => (parentPort ? parentPort.postMessage(text) : process.send(text))
function toll(tonnes) {
  const rate = tonnes * 10
  throw new Error('no rate ' + rate)
}
async function onMessage(tonnes) {
  tell('toll ' + toll(tonnes))
}
if (parentPort) parentPort.on('message', (tonnes) => onMessage(tonnes))
else process.on('message', (tonnes) => onMessage(tonnes))
tell('listens')
`,
    },
  );
  const part = join(file, '../part.mjs');
  await eventually(() => output().split('listens').length === 3);
  await held.switchTo('on');
  await session.evaluate(file, 'ask()');
  await eventually(() => held.all.length === 2);
  expect(held.all.map(({ where }) => where.split(' ')[0]).sort()).toEqual(['process', 'thread']);
  for (const { frames } of held.all) expect(variablesOf(frames[0]!).join()).toMatch(/^tonnes = [12],rate = [12]0/);
  writeFileSync(part, readFileSync(part, 'utf8').replace("throw new Error('no rate ' + rate)", 'return rate'));
  await session.changed([part]);
  for (const { id } of held.all) await held.again(id);
  await eventually(() => output().includes('toll 10') && output().includes('toll 20'));
});

test.each([60_000, 0])(
  'a program does not end while a call is held, whatever else it has to do: limit %d ms',
  async (limit) => {
    const { held, session, file, output, save } = await begin(
      `let rate = 0
function toll(tonnes) {
  if (rate === 0) throw new Error('no rate')
  return tonnes * rate
}
async function turn() {
  console.log('toll ' + toll(4))
}
export const later = () => setTimeout(turn, 50)
const wait = setInterval(() => {}, 1_000)
export const rest = () => clearInterval(wait)
console.log('ready')
`,
      {},
    );
    await held.switchTo('on', limit);
    await session.evaluate(file, 'later(); rest()');
    await eventually(() => held.all.length === 1);
    await wait(600);
    await save((text) => text.replace("throw new Error('no rate')", 'return tonnes * 10'));
    expect(await held.again(held.all[0]!.id)).toMatchObject({ is: 'done' });
    await eventually(() => output().includes('toll 40'));
  },
);
