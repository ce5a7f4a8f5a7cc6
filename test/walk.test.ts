/** Walking through runs: frames, moves and variables, against what the programs are known to do. */
import { join } from 'node:path';
import { runPad } from 'usher-anvil';
import {
  CallTree,
  valueText,
  walk,
  walkedPieces,
  Walker,
  type Move,
  type PadRecord,
  type Walk,
} from 'usher-anvil/record';
import { folder, root } from './harness.js';

async function walked(text: string, name = 'pad.mjs'): Promise<{ record: PadRecord; run: Walk; text: string }> {
  const record = await runPad({ file: join(folder({ [name]: text }), name), depth: 'steps' });
  return { record, run: walk(record)!, text };
}

/** The text of a step, in short. */
function said(run: Walk, text: string, index: number | undefined): string {
  if (index === undefined) return 'the end';
  const { range } = run.step(index);
  return text.split('\n')[range.start.line]!.slice(range.start.character).trim();
}

/** The steps at which a statement begins that contains a text. */
function stepsAt(run: Walk, text: string, part: string): number[] {
  return [...Array(run.length).keys()].filter((i) => said(run, text, i).startsWith(part));
}

function values(run: Walk, index: number): Record<string, string> {
  return Object.fromEntries(run.variables(index).map(({ name, value }) => [name, valueText(value)]));
}

test('into, over and out, in both directions', async () => {
  const { run, text } = await walked(`function fill(by) {
  const twice = double(by)
  return twice + 1
}
function double(one) {
  return one * 2
}
const level = fill(3)
console.log(level)
`);
  const [call] = stepsAt(run, text, 'const level');
  const path = (from: number, ...moves: [Move, 1 | -1][]): string[] => {
    let at: number | undefined = from;
    return moves.map(([move, by]) => {
      at = at === undefined ? undefined : run.move(at, move, by);
      return said(run, text, at);
    });
  };
  expect(path(call!, ['into', 1], ['into', 1], ['out', 1], ['out', 1], ['over', 1])).toEqual([
    'const twice = double(by)',
    'return one * 2',
    'return twice + 1',
    'console.log(level)',
    'the end',
  ]);
  expect(path(call!, ['over', 1], ['over', -1], ['into', 1], ['over', 1], ['over', -1], ['out', -1])).toEqual([
    'console.log(level)',
    'const level = fill(3)',
    'const twice = double(by)',
    'return twice + 1',
    'const twice = double(by)',
    'const level = fill(3)',
  ]);
  const [inner] = stepsAt(run, text, 'return one');
  expect(run.stack(inner!).map(({ name }) => name)).toEqual(['double', 'fill', 'module']);
  expect(run.stack(inner!).map(({ how }) => how)).toEqual(['returned', 'returned', 'returned']);
  expect(run.calls(run.step(call!).frame).map(({ name }) => name)).toEqual(['fill']);
  expect(run.edge(inner!, 'entry')).toBe(inner);
  expect(() => run.step(run.length)).toThrow(RangeError);
  expect(() => run.frame(0)).toThrow(RangeError);
});

const PROGRAM = `function counter(from) {
  let count = from
  return () => {
    count++
    return count
  }
}
const first = counter(1)
const second = counter(10)
first()
second()
first()
const factorial = (n) => n < 2 ? 1 : n * factorial(n - 1)
factorial(4)
class Lock {
  level = 0
  set to(value) { this.level = value }
  get half() {
    return this.level / 2
  }
}
const lock = new Lock()
lock.to = 8
const half = lock.half
function* passages() {
  let boats = 0
  while (boats < 2) {
    boats++
    yield boats
  }
}
for (const boat of passages()) console.log(boat)
async function wait(ms) {
  const before = ms
  await null
  const after = before + 1
  return after
}
const both = await Promise.all([wait(1), wait(5)])
let seen = ''
try {
  [1].forEach((one) => {
    seen += one
    throw new Error('weir')
  })
} catch (error) {
  seen += error.message
} finally {
  seen += '!'
}
const { tonnes, kind = 'lime' } = { tonnes: 4 }
console.log(seen, tonnes, kind, both)
`;

test('over and back over lead to the same step wherever the frame goes on', async () => {
  const { run } = await walked(PROGRAM);
  expect(run.length).toBeGreaterThan(50);
  for (let at = 0; at < run.length; at++) {
    const over = run.move(at, 'over', 1);
    const same = over !== undefined && run.step(over).frame === run.step(at).frame;
    // From a part of a statement one comes back to the statement.
    if (same && !run.step(at).part) expect(run.move(over, 'over', -1)).toBe(at);
    const into = run.move(at, 'into', 1);
    if (into !== undefined) expect(run.move(into, 'into', -1)).toBe(at);
    const out = run.move(at, 'out', 1);
    // Out of a frame is never into one that it called.
    if (out !== undefined) expect(run.stack(out).map(({ number }) => number)).not.toContain(run.step(at).frame);
    expect(run.stepAt(run.step(at).moment)).toBe(at);
  }
});

test('each closure, recursion, generator and wait has variables of its own', async () => {
  const { run, text, record } = await walked(PROGRAM);
  expect(record.console.at(-1)!.text).toBe('1weir! 4 lime [2, 6]');
  expect(stepsAt(run, text, 'return count').map((at) => values(run, at).count)).toEqual(['2', '11', '3']);
  expect(stepsAt(run, text, 'n < 2').map((at) => values(run, at).n)).toEqual(['4', '3', '2', '1']);
  expect(run.stack(stepsAt(run, text, 'n < 2').at(-1)!)).toHaveLength(5);
  expect(stepsAt(run, text, 'yield').map((at) => values(run, at).boats)).toEqual(['1', '2']);
  expect(stepsAt(run, text, 'return after').map((at) => values(run, at).after)).toEqual(['2', '6']);
  const [throws] = stepsAt(run, text, 'throw new Error');
  expect(run.stack(throws!)[0]).toMatchObject({ how: 'threw' });
  expect(said(run, text, run.move(throws!, 'out', 1))).toBe('seen += error.message');
  const last = run.length - 1;
  expect(values(run, last)).toMatchObject({ seen: "'1weir!'", tonnes: '4', kind: "'lime'" });
  // What changed with the step before stands first.
  const [after] = stepsAt(run, text, 'return after');
  expect(run.variables(after!)[0]).toMatchObject({ name: 'after', changed: true });
});

test('frames that wait go on in the order of the run, and over an await stays in its frame', async () => {
  const { run, text } = await walked(PROGRAM);
  const awaits = stepsAt(run, text, 'await null');
  expect(awaits).toHaveLength(2);
  for (const at of awaits) {
    const over = run.move(at, 'over', 1)!;
    expect(said(run, text, over)).toBe('const after = before + 1');
    expect(run.step(over).frame).toBe(run.step(at).frame);
    expect(run.move(over, 'over', -1)).toBe(at);
  }
});

test('the demo: from the failing assertion to the comparison that decided it', async () => {
  const file = join(root, 'examples/tolls/tolls.ts');
  const record = await runPad({ file, depth: 'steps' });
  const run = walk(record)!;
  const failed = record.tests.find(({ state }) => state === 'failed')!;
  let at = run.stepAt(failed.error!.moment);
  let moves = 0;
  const line = (): string =>
    record.program.files.find((one) => one.file === run.step(at).file)!.lines.text.split('\n')[
      run.step(at).range.start.line
    ]!;
  while (!line().includes('passages > 5')) {
    at = run.move(at, 'into', -1)!;
    moves++;
  }
  expect(moves).toBeLessThanOrEqual(4);
  expect(values(run, at).passages).toBe('5');
  expect(
    run
      .stack(at)
      .map(({ name }) => name)
      .slice(0, 2),
  ).toEqual(['discount', 'tollFor']);
});

test('a run at another depth has nothing to walk through', async () => {
  const record = await runPad({ file: join(folder({ 'pad.mjs': 'let a = 1\n' }), 'pad.mjs') });
  expect(walk(record)).toBeUndefined();
});

test('a name is that of the innermost scope, and no value of an earlier turn is seen', async () => {
  const { run, text } = await walked(`let total = 1
function add(list) {
  for (const one of list) {
    if (one > 0) {
      console.log(one)
      let total = 'inner ' + one
      console.log(total)
    }
    console.log('after')
  }
  return total
}
add([1, 2])
try { null.x } catch (error) { console.log(error.name) }
console.log('end', total)
`);
  expect(stepsAt(run, text, 'console.log(one)').map((at) => values(run, at).total)).toEqual(['1', '1']);
  const inner = stepsAt(run, text, 'console.log(total)').map((at) => values(run, at).total);
  expect(inner).toEqual(["'inner 1'", "'inner 2'"]);
  expect(stepsAt(run, text, "console.log('after')").map((at) => values(run, at).total)).toEqual(['1', '1']);
  const [end] = stepsAt(run, text, "console.log('end'");
  expect(Object.keys(values(run, end!))).toEqual(['total']);
  expect(run.setBy(end!, 'total')).toBe(stepsAt(run, text, 'let total')[0]);
  expect(run.setBy(end!, 'one')).toBeUndefined();
});

test('ten thousand moves at random: over and back over lead to the same step', async () => {
  const { run } = await walked(PROGRAM);
  let seed = 7;
  const random = (below: number): number => (seed = (seed * 48_271) % 2_147_483_647) % below;
  const moves = ['into', 'over', 'out', 'line'] as const;
  const walker = new Walker(run, 0);
  for (let i = 0; i < 10_000; i++) {
    const before = walker.at;
    if (walker.go('over', 1)) {
      expect(walker.go('over', -1)).toBe(true);
      expect(walker.at).toBe(before);
    }
    walker.go(moves[random(4)]!, random(2) === 0 ? 1 : -1);
    if (random(50) === 0) walker.jump(random(run.length));
  }
});

test('the tree of calls, with the steps in each; what is not wanted is passed over', async () => {
  const { run } = await walked(`function rate(tonnes) { return tonnes * 2 }
function toll(boats) { return boats.map((tonnes) => rate(tonnes)) }
toll([3, 9])
toll([4])
rate(1)
`);
  const tree = new CallTree(run);
  const names = (under: number, options?: Parameters<CallTree['under']>[1]): string[] =>
    tree.under(under, options).calls.map(({ frame, steps, calls }) => `${frame.name} ${steps}${calls ? ' …' : ''}`);
  expect(tree.total).toBe(run.length);
  expect(names(0)).toEqual([`module ${run.length} …`]);
  const [module] = tree.under(0).calls;
  expect(names(module!.frame.number)).toEqual(['toll 5 …', 'toll 3 …', 'rate 1']);
  const wanted = ({ name }: { name: string }): boolean => name === 'rate';
  expect(names(0, { wanted })).toEqual(['rate 1', 'rate 1', 'rate 1', 'rate 1']);
  expect(tree.under(0, { wanted, from: 1, most: 2 })).toMatchObject({ total: 4, calls: [{ steps: 1 }, { steps: 1 }] });
});

test('to a part of the code: what is inside of it, else what it is a part of', async () => {
  const { run, text } = await walked(`const list = [1, 7, 2]
const many = list.map((one) => (one > 5 ? 'many' : 'few') + one)
console.log(many)
`);
  const file = run.step(0).file;
  const range = (
    code: string,
  ): { start: { line: number; character: number }; end: { line: number; character: number } } => {
    const start = text.indexOf(code);
    const before = text.slice(0, start).split('\n');
    const line = before.length - 1;
    const character = before[line]!.length;
    return { start: { line, character }, end: { line, character: character + code.length } };
  };
  const chosen = run.inCode(0, file, range("'many'"), 1)!;
  expect(run.textAt(chosen)).toBe("'many'");
  expect(run.inCode(chosen, file, range("'many'"), 1)).toBeUndefined();
  expect(run.textAt(run.inCode(0, file, range('many)'), 1)!)).toBe('console.log(many)');
  expect(run.inCode(0, file, range("'many'"), -1)).toBeUndefined();
});

test('what is read of a list or behind a getter is told with what it was read from', async () => {
  const { run, text } = await walked(`const list = [1, 2]
list.push(3)
const boat = { get name() { return 'Heron' } }
console.log(list.length, boat.name.length)
`);
  const [at] = stepsAt(run, text, 'console.log(list');
  const told = run.sources(at!).map(({ text, value }) => [text, value && valueText(value)]);
  expect(told).toContainEqual(['list.length', '3']);
  expect(told.map(([text]) => text)).toContain('boat.name');
  expect(run.textAt(run.setBy(at!, 'list.length')!)).toBe('list.push(3)');
});

test('the code under one call: functions in the order of calls, with what the last call of each had at its lines', async () => {
  const { run } = await walked(`function fill(by) {
  const twice = double(by)
  const more = double(twice)
  return check(more)
}
function double(one) {
  const given = one * 2
  return given
}
function check(level) {
  if (level > 10) throw new Error('over')
  return level
}
double(100)
fill(1)
try {
  fill(5)
} catch {}
`);
  const of = (frame: number) =>
    walkedPieces(run, frame, 10, (value) => valueText(value)).map(({ name, calls, threw, lines }) => {
      const inOrder = [...lines].sort(([a], [b]) => a - b);
      const values = inOrder.flatMap(([, line]) => [...line.values].map(([key, value]) => `${key} ${value}`));
      return `${name} ${calls} ${threw}: ${values.join(', ')}`;
    });
  const fills = [...Array(run.frameCount).keys()].map((i) => run.frame(i + 1)).filter(({ name }) => name === 'fill');
  expect(of(fills[0]!.number)).toEqual([
    'fill 1 0: by 1, twice 2, more 4',
    'double 2 0: one 2, given 4',
    'check 1 0: level 4',
  ]);
  expect(of(fills[1]!.number)[2]).toBe('check 1 1: level 20');
  expect(of(0).map((one) => one.split(':')[0])).toEqual(['double 5 0', 'fill 2 1', 'check 2 1']);
  const [first] = walkedPieces(run, fills[0]!.number, 1, (value) => valueText(value));
  expect([...first!.lines].map(([line, { hits }]) => [line, hits])).toEqual(
    expect.arrayContaining([
      [1, 1],
      [2, 1],
      [3, 1],
    ]),
  );
});
