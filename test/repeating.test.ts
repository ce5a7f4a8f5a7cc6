/** Runs at depth `steps` that are longer than what is kept of them are repeated: with the same from outside. */
import { existsSync, readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { createSession, type PadRecord, type PadOptions } from 'usher-anvil';
import { errorAt, startOf, valueText, walk, type Walk } from 'usher-anvil/record';
import { folder } from './harness.js';

/** More steps than a small budget holds. */
const BUSY = `function busy(turns) {
  let sum = 0
  for (let i = 0; i < turns; i++) sum += i % 7
  return sum
}
`;

interface Runs {
  /** What was printed by each repetition. */
  printed: string[][];
  /** What all of them wrote to a file. */
  written: string;
  runs: Walk[];
  last: PadRecord;
}

/** Executes a pad with a small budget, which repeats it once by itself, and then for the steps around some numbers. */
async function repeated(text: string, around: number[] = [], options: Partial<PadOptions> = {}): Promise<Runs> {
  const dir = folder({ 'long.mjs': BUSY + text });
  const file = join(dir, 'long.mjs');
  const session = createSession({ file, cwd: dir, depth: 'steps', stepsMb: 1, timeLimitMs: 30_000, ...options });
  const printed: string[][] = [];
  const runs: Walk[] = [];
  const take = (record: PadRecord): PadRecord => {
    printed.push(record.console.map(({ text }) => text));
    runs.push(walk(record)!);
    return record;
  };
  session.execute();
  let last = await session.settled();
  take(last);
  for (const number of around) {
    expect(session.repeat(number)).toBe(true);
    last = take(await session.settled());
  }
  await session.close();
  const log = join(dir, 'said.txt');
  return { printed, runs, last, written: existsSync(log) ? readFileSync(log, 'utf8') : '' };
}

const seen = (run: Walk, index: number): Record<string, string> =>
  Object.fromEntries(run.variables(index).map(({ name, value }) => [name, valueText(value)]));

test('clocks, random numbers, timers, answers of a server: a repetition is given what the run had', async () => {
  let asked = 0;
  const server = createServer((request, answer) => {
    asked++;
    if (request.url !== '/late') answer.end(`level ${asked} ${Math.random()}`);
  }).listen(0);
  await new Promise((resolve) => server.once('listening', resolve));
  const { port } = server.address() as AddressInfo;
  const { printed, runs, written, last } = await repeated(
    `import { randomBytes, randomUUID } from 'node:crypto'
import { appendFileSync } from 'node:fs'
import { setTimeout as soon } from 'node:timers'
const said = []
for (const [name, ms] of [['slate', 4], ['lime', 1], ['timber', 2], ['coal', 4]])
  setTimeout((more) => said.push(name + more + Math.random(), Date.now()), ms, ' boat ')
setImmediate(() => said.push('at once ' + performance.now()))
let ticks = 0
const every = setInterval(() => {
  said.push('tick ' + new Date().toISOString())
  if (++ticks === 3) clearInterval(every)
}, 3)
const never = setTimeout(() => said.push('never'), 2)
clearTimeout(never)
const answer = await fetch('http://127.0.0.1:${port}/level')
said.push(answer.status, answer.headers.get('date'), await answer.text())
const failed = await fetch('http://127.0.0.1:1/').catch((error) => error.name + error.message)
said.push(failed)
const late = await fetch('http://127.0.0.1:${port}/late', { signal: AbortSignal.timeout(40) }).catch((error) => error.name)
said.push(late)
await new Promise((resolve) => soon(resolve, 10))
said.push(crypto.randomUUID(), randomUUID(), randomBytes(4).toString('hex'), process.hrtime.bigint() % 1000n, process.hrtime()[1])
said.push(String(crypto.getRandomValues(new Uint8Array(3))), Date().length, new Date(2026, 1, 3).getTime(), Date.UTC(2026, 1))
class Tide extends Date {}
said.push(new Tide() instanceof Date, new Tide().constructor === Tide, new Date().constructor === Date, typeof Date.now)
busy(30_000)
console.log(said.join('\\n'))
appendFileSync('said.txt', said.join('\\n') + '\\n--\\n')
`,
    [100],
  );
  server.closeAllConnections();
  server.close();
  const all = written.split('\n--\n');
  expect(all).toHaveLength(4);
  expect(all[0]).toContain('level 1');
  expect([all[1], all[2]]).toEqual([all[0], all[0]]);
  expect(printed).toEqual([[all[0]], [all[0]]]);
  expect(asked).toBe(2);
  const requests = last.requests.map(({ url, status, state }) => [url.replace(/^.*\//, ''), status, state]);
  expect(requests).toEqual([
    ['level', 200, 'done'],
    ['', undefined, 'failed'],
    ['late', undefined, 'failed'],
  ]);
  expect(runs.map((run) => [run.isSame, run.total])).toEqual(Array(2).fill([true, runs[0]!.total]));
});

test('at each step that is kept it shows what a run shows that was kept whole', async () => {
  const text = `let total = 0
const lock = { level: 0, name: 'Weir', gates: [1, 2] }
function counter(from) {
  let count = from
  const unused = 'not captured'
  return (by) => {
    count += by
    return count
  }
}
const count = counter(100)
class Boat {
  #cargo = 0
  constructor(name) {
    this.name = name
  }
  load(tonnes) {
    const before = this.#cargo
    this.#cargo += tonnes
    return before
  }
}
const boat = new Boat('Heron')
function* locks(from) {
  const label = 'lock ' + from
  for (let n = from; ; n++) {
    const twice = n * 2
    yield label + twice
  }
}
const passing = locks(3)
function pass(i) {
  const mine = i * 2
  total += mine
  lock.level = i
  boat.load(i)
  return [1].map((one) => {
    const inner = one + mine
    return count(inner)
  })
}
async function later(name) {
  const own = name + '!'
  for (let i = 0; i < 4; i++) {
    await null
    { const own = i; for (let j = 0; j < 900; j++) pass(j + own) }
    passing.next()
  }
  return own
}
const said = await later('heron')
busy(9_000)
if (total > 0) throw new Error(said)
`;
  const dir = folder({ 'long.mjs': BUSY + text });
  const file = join(dir, 'long.mjs');
  const session = createSession({ file, depth: 'steps', stepsMb: 400 });
  session.execute();
  const whole = walk(await session.settled())!;
  expect(whole.hasMore(-1)).toBe(false);
  await session.close();
  const places = [3_000, 9_500, 21_000, 40_000];
  const { runs } = await repeated(text, places);
  for (const [index, number] of places.entries()) {
    const run = runs[index + 1]!;
    expect(run.total).toBe(whole.length);
    expect([index, number, run.kept, run.withNumber(number) !== undefined]).toEqual([index, number, run.kept, true]);
    const differing: unknown[] = [];
    for (let at = run.withNumber(run.kept.from)!; at < run.length; at += 11) {
      const there = run.numberOf(at) - 1;
      const [a, b] = [seen(run, at), seen(whole, there)];
      const names = [run, whole].map((one, i) => one.stack(i === 0 ? at : there).map(({ name }) => name));
      if (JSON.stringify(names[0]) !== JSON.stringify(names[1])) differing.push({ at, names });
      // What nothing captures is gone where its frame waited, or has ended: it may be missing, and never be another.
      for (const name of Object.keys(b))
        if (name in a && a[name] !== b[name]) differing.push({ at, name, a: a[name], b: b[name] });
      for (const name of ['total', 'lock', 'boat', 'mine', 'i', 'count'])
        if (name in b && !(name in a))
          differing.push({
            at,
            number: run.numberOf(at),
            code: run.textAt(at),
            stack: run.stack(at),
            name,
            missing: true,
          });
    }
    expect(differing.slice(0, 4)).toEqual([]);
  }
});

test('a run that goes another way the second time is told so, and what it did then is there', async () => {
  const { runs, last } = await repeated(`import { appendFileSync, readFileSync } from 'node:fs'
appendFileSync('log.txt', 'a boat\\n')
const boats = readFileSync('log.txt', 'utf8').length
busy(20_000 + boats)
throw new Error('boats ' + boats)
`);
  expect(runs[0]!.isSame).toBe(false);
  expect(last.errors[0]!.message).toBe('boats 14');
  const end = runs[0]!.length - 1;
  expect(seen(runs[0]!, end)).toMatchObject({ boats: '14' });
});

test('a run that ends too early to have what was wanted is told from its begin', async () => {
  const { runs, last } = await repeated(`import { existsSync, writeFileSync } from 'node:fs'
const turns = existsSync('been.txt') ? 3 : 40_000
writeFileSync('been.txt', '')
busy(turns)
console.log(turns)
`);
  expect(last.console.at(-1)!.text).toBe('3');
  expect(runs[0]!.length).toBe(runs[0]!.total);
  expect(runs[0]!.isSame).toBe(false);
});

test('a run that was ended by its time limit is repeated up to where it was', async () => {
  const { runs, last } = await repeated(
    `let turns = 0
setInterval(() => {
  turns += busy(50)
}, 1)
`,
    [500],
    { timeLimitMs: 3_000 },
  );
  expect(last.stop?.reason).toBe('time-limit');
  expect(runs[1]!.withNumber(500)).toBeDefined();
  expect(runs[0]!.total).toBeGreaterThan(5_000);
});

test('a test that runs alone is repeated alone', async () => {
  const dir = folder({
    'long.test.mjs': `${BUSY}import { test } from 'node:test'
import assert from 'node:assert'
test('one', () => { busy(20_000); assert.equal(busy(10), 1) })
test('two', () => { busy(20_000) })
`,
  });
  const session = createSession({ file: join(dir, 'long.test.mjs'), depth: 'steps', stepsMb: 1, timeLimitMs: 30_000 });
  session.testAlone(['one']);
  const record = await session.settled();
  const run = walk(record)!;
  expect(run.hasMore(-1)).toBe(true);
  expect(record.tests.map(({ name, state }) => [name, state])).toEqual([
    ['one', 'failed'],
    ['two', 'skipped'],
  ]);
  expect(session.repeat(10)).toBe(true);
  expect(walk(await session.settled())!.withNumber(10)).toBeDefined();
  await session.close();
});

test('a failure far before the end is in the part that is kept', async () => {
  const dir = folder({
    'long.test.mjs': `${BUSY}import { test } from 'node:test'
import assert from 'node:assert'
test('one', () => { busy(30_000) })
test('two', () => { const price = busy(10); assert.equal(price, 1) })
test('three', () => { busy(60_000) })
`,
  });
  const session = createSession({ file: join(dir, 'long.test.mjs'), depth: 'steps', stepsMb: 1, timeLimitMs: 30_000 });
  session.execute();
  const record = await session.settled();
  const run = walk(record)!;
  expect([run.hasMore(-1), run.hasMore(1)]).toEqual([true, true]);
  const at = startOf(record, run)!;
  expect(run.textAt(at)).toBe('assert.equal(price, 1)');
  expect(seen(run, at)).toMatchObject({ price: '24' });
  expect(errorAt(record, run, at)!.name).toBe('AssertionError');
  // Kept elsewhere, the failure is none of the steps.
  expect(session.repeat(run.total - 1)).toBe(true);
  const other = await session.settled();
  expect(errorAt(other, walk(other)!, walk(other)!.length - 1)).toBeUndefined();
  await session.close();
});

test('more readings than are written down: the repetition is none of the same run', async () => {
  const { runs } = await repeated('let last = 0\nfor (let i = 0; i < 2_000_100; i++) last = Date.now()\nbusy(9_000)\n');
  expect(runs[0]!.isSame).toBe(false);
});
