/** Programs that stop: breakpoints, steps, evaluating and assigning in frames, changing code while one stands. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createLive, type NodeLive } from 'usher-anvil';
import type { BreakpointAsked } from '#dist/session/live/pausing/breakpoints.js';
import type { Standing } from '#dist/session/live/pausing/pausing.js';
import type { Going } from '#dist/wire/pausing.js';
import { entered, eventually, folder, wait, executes } from './harness.js';

const CHARGE = `import { rate } from './rate.mjs'
const tolls = []
function charge(boat, n) {
  let total = 0
  for (const one of boat.cargo) {
    total += rate(one) * n
  }
  tolls.push(total)
  return total
}
class Lock {
  #level = 3
  fill(by) {
    const before = this.#level
    this.#level += by
    return before
  }
}
function makeKeeper(name) {
  let shifts = 0
  return (hours) => {
    shifts++
    return name + ' ' + shifts + ' ' + hours
  }
}
const lock = new Lock()
const keeper = makeKeeper('Ada')
let n = 0
const short = (x) => x * 2
async function slow(by) {
  const a = await Promise.resolve(by)
  const b = a + 1
  return b
}
setInterval(() => {
  n++
  charge({ cargo: [{ t: 2 }, { t: 5 }] }, n)
  lock.fill(1)
  keeper(n)
  short(n)
  if (n % 2) void slow(n)
}, 20)
console.log('ready')
`;
const RATE = 'export const base = 10\nexport function rate({ t }) {\n  return t * base\n}\n';

const running: NodeLive[] = [];
afterEach(() => {
  for (const live of running.splice(0)) live.session.stop();
});

async function begin(text = CHARGE, before: Partial<BreakpointAsked>[] = [], options: { pause?: boolean } = {}) {
  const dir = folder({ 'main.mjs': text, 'rate.mjs': RATE });
  const file = join(dir, 'main.mjs');
  let output = '';
  const live = createLive({ file, cwd: dir, stdio: 'pipe', onOutput: (_, printed) => (output += printed) });
  running.push(live);
  const { session } = live;
  const { pausing } = session;
  const stood: Standing[] = [];
  const messages: string[] = [];
  pausing.listen((event) => {
    if (event.is === 'paused') stood.push(event.standing);
    if (event.is === 'message') messages.push(event.text);
  });
  for (const one of before) await pausing.set({ file, line: 0, ...one });
  expect(session.start(() => undefined, options)).toEqual([]);
  if (before.length === 0 && !options.pause) {
    await eventually(() => output.includes('ready'));
    await executes(session, file);
  }
  const lineOf = (part: string): number =>
    readFileSync(file, 'utf8')
      .split('\n')
      .findIndex((line) => line.includes(part));
  return {
    file,
    dir,
    session,
    pausing,
    messages,
    lineOf,
    output: () => output,
    set: (part: string, rest: Partial<BreakpointAsked> = {}) => pausing.set({ file, line: lineOf(part), ...rest }),
    next: async (): Promise<string> => {
      await eventually(() => stood.length > 0);
      return shown(stood.shift()!);
    },
    go: async (how: Going['how'], rest: { line?: number; frame?: number } = {}) =>
      pausing.go({ how, ...rest } as Going),
    variables: async (frame = 0): Promise<string[]> => {
      const answer = await pausing.scopes(frame);
      if (answer.is !== 'scopes') throw new Error(answer.why);
      return answer.scopes.flatMap(({ variables }) =>
        variables.map(({ name, value }) => `${name} = ${value.text ?? value.class ?? value.type}`),
      );
    },
    value: async (expression: string, frame = 0): Promise<string> => {
      const answer = await pausing.evaluate(expression, frame);
      if (answer.is === 'value') return answer.value.text ?? answer.value.class ?? answer.value.type;
      return answer.is === 'threw' ? `threw ${answer.error.message}` : `cannot: ${answer.why}`;
    },
    async save(change: (now: string) => string) {
      writeFileSync(file, change(readFileSync(file, 'utf8')));
      await session.changed([file]);
    },
  };
}

/** \`breakpoint charge:6 < :37\`. */
function shown({ reason, frames, value }: Standing): string {
  const places = frames
    .filter(({ local }) => local)
    .map(({ name, line }) => `${name.replace(/^.*\./, '')}:${line + 1}`);
  return `${reason}${value ? ` ${value.value.text ?? value.value.type}` : ''} ${places.join(' < ')}`;
}

test('a breakpoint in a loop: all variables of all frames, values by expressions, assigning, and every kind of step', async () => {
  const { set, next, go, variables, value, pausing } = await begin();
  const made = await set('total += rate');
  expect(made).toMatchObject({ state: 'set', line: 5 });
  expect(await next()).toBe('breakpoint charge:6 < :37');
  expect(await variables()).toEqual(expect.arrayContaining(['one = object', 'boat = object', 'total = 0']));
  expect(await value('rate(one) * 2')).toBe('40');
  expect(await value('(total = 1000, total + 1)')).toBe('1001');
  expect(await value('tolls.length >= 0')).toBe('true');
  expect(await value('missing')).toBe('threw missing is not defined');
  expect(await value('1 +')).toMatch(/^cannot: /);
  expect(await value('typeof n', 1)).toBe('number');
  await go('into');
  expect(await next()).toBe('step rate:3 < charge:6 < :37');
  await go('out');
  expect(await next()).toMatch(/^step charge:[65] < :37$/);
  await pausing.remove(made.id);
  await go('to', { line: 7 });
  expect(await next()).toBe('step charge:8 < :37');
  expect(Number(await value('total'))).toBeGreaterThan(1000);
  await go('over');
  expect(await next()).toBe('step charge:9 < :37');
  await go('out');
  expect(await next()).toBe('step :38');
  await go('on');
  await eventually(() => pausing.all.length === 0);
});

test('conditions see what the statement sees: private fields, names of outer functions, imports; hit counts; entry and value', async () => {
  const { set, next, go, variables, value, pausing, messages } = await begin();
  const once = async (part: string, rest: Partial<BreakpointAsked>): Promise<string> => {
    const made = await set(part, rest);
    expect(made).toMatchObject({ state: 'set' });
    const found = await next();
    await pausing.remove(made.id);
    return found;
  };
  expect(await once('const before', { condition: 'this.#level > 8 && by === 1' })).toBe('breakpoint fill:14 < :38');
  await go('on');
  expect(await once('shifts++', { condition: "shifts % 2 === 0 && name === 'Ada'" })).toBe('breakpoint :22 < :39');
  expect(await variables()).toEqual(expect.arrayContaining(['name = Ada']));
  expect(Number(await value('(shifts += 100)')) % 2).toBe(0);
  await go('on');
  expect(await once('total += rate', { condition: 'rate(one) > 40' })).toBe('breakpoint charge:6 < :37');
  expect(await value('one.t')).toBe('5');
  await go('on');
  expect(await once('const short', { where: 'statement' })).toBe('breakpoint short:29 < :40');
  await go('on');
  expect(await once('function charge', { where: 'entry', condition: 'n > 3' })).toMatch(/^breakpoint charge:/);
  await go('on');
  expect(await once('function charge', { where: 'return', after: 2 })).toMatch(/^return \d+ charge:9 < :37$/);
  await go('on');
  expect(await once('const b = a', {})).toBe('breakpoint slow:32');
  await go('over');
  expect(await next()).toBe('step slow:33');
  await go('on');
  const printing = await set('tolls.push', { message: 'toll {total} for {boat.cargo.length}, {{so}}', every: 2 });
  await eventually(() => messages.length > 1);
  expect(messages[0]).toMatch(/^toll \d+ for 2, \{so\}$/);
  await pausing.remove(printing.id);
  expect(pausing.breakpoints).toEqual([]);
});

test('a condition that throws sleeps, and is reported once; one that is no expression is refused; one where nothing stops says so', async () => {
  const { set, pausing, save } = await begin();
  const made = await set('total += rate', { condition: 'one.nothing.at > 3' });
  await eventually(() => pausing.breakpoints[0]?.state === 'asleep');
  expect(pausing.breakpoints[0]!.why).toContain('Cannot read properties of undefined');
  expect(pausing.all).toEqual([]);
  await pausing.remove(made.id);
  expect(await set('total += rate', { condition: 'let x = 1' })).toMatchObject({ state: 'wrong' });
  expect(await set('total += rate', { condition: 'await rate(one)' })).toMatchObject({ state: 'wrong' });
  expect(await set('const tolls')).toMatchObject({ state: 'nowhere' });
  await pausing.clear(pausing.breakpoints[0]!.file);
  // They follow their statement.
  await set('tolls.push');
  await save((text) => text.replace('const tolls = []', '// first\n// second\nconst tolls = []'));
  expect(pausing.breakpoints.map(({ line, state }) => [line, state])).toEqual([[9, 'set']]);
});

test('code is changed while one stands; a call begins anew in its newest version, and so does one further out', async () => {
  const { set, next, go, value, pausing, save, output } = await begin();
  const made = await set('tolls.push');
  await next();
  const before = Number(await value('total'));
  await save((text) => text.replace('rate(one) * n', 'rate(one) * n * 100').replace("'ready'", "'ready'"));
  expect(Number(await value('total'))).toBe(before);
  expect(await go('again', { frame: 0 })).toEqual({ is: 'done' });
  expect(await next()).toMatch(/^breakpoint charge:8/);
  expect(Number(await value('total'))).toBe(before * 100);
  const n = Number(await value('n', 1));
  expect(await go('again', { frame: 1 })).toEqual({ is: 'done' });
  await next();
  expect(Number(await value('n', 1))).toBe(n + 1);
  await pausing.remove(made.id);
  await go('on');
  await eventually(() => pausing.all.length === 0);
  expect(output()).toBe('ready\n');
});

test('errors: all of them, and those that no code of the program catches', async () => {
  const text = `function fail(n) {
  if (n < 0) return
  throw new RangeError('gate ' + n)
}
function caught() {
  try {
    fail(1)
  } catch {
    return 1
  }
}
setInterval(() => {
  caught()
  fail(turn)
}, 20)
let turn = -1
console.log('ready')
`;
  const { next, go, value, pausing, session, file } = await begin(text);
  await pausing.stopAtErrors('all');
  expect(await next()).toBe('error fail:3 < caught:7 < :13');
  expect(await value('n')).toBe('1');
  await pausing.stopAtErrors('uncaught');
  await go('on');
  await wait(150);
  expect(pausing.all).toEqual([]);
  await session.evaluate(file, 'turn = 5');
  expect(await next()).toBe('error fail:3 < :14');
  expect(pausing.all[0]!.error).toMatchObject({ name: 'RangeError', message: 'gate 5' });
  await pausing.stopAtErrors('none');
  await go('on');
  await wait(100);
  expect(pausing.all).toEqual([]);
});

test('one stops at its first statement, at breakpoints that were set before, and anywhere at once, also in a loop without an end', async () => {
  const first = await begin(CHARGE, [{ line: 27 }], { pause: true });
  expect(await first.next()).toMatch(/^asked top level:1$/);
  await first.go('over');
  expect(await first.next()).toMatch(/^step /);
  first.session.stop();
  const early = await begin(CHARGE, [{ line: 13 }, { line: 5 }]);
  expect(await early.next()).toBe('breakpoint charge:6 < :37');
  await early.pausing.remove(2);
  await early.go('on');
  expect(await early.next()).toBe('breakpoint fill:14 < :38');
  const busy = await begin(
    'let n = 0\nfunction spin() {\n  for (;;) {\n    n++\n    if (n < 0) break\n  }\n}\nsetTimeout(spin, 50)\nconsole.log("ready")\n',
  );
  await wait(200);
  expect(await busy.pausing.pause()).toEqual({ is: 'done' });
  expect(await busy.next()).toMatch(/^asked spin:[345]$/);
  expect(Number(await busy.value('n'))).toBeGreaterThan(0);
  // The program can be let out of it.
  expect(await busy.value('n = -5')).toBe('-5');
  await busy.go('on');
  await eventually(() => busy.pausing.all.length === 0);
  const idle = await begin();
  await idle.pausing.pause();
  expect(await idle.next()).toMatch(/^asked /);
});

test('a program that stands still ends as it is told to, and answers what it is asked: values, and evaluating that never ends', async () => {
  const { set, next, value, session, file } = await begin();
  await set('tolls.push');
  await next();
  // The prompt is in the frame then.
  expect(await session.evaluate(file, 'total + boat.cargo.length')).toMatchObject({ is: 'done' });
  expect(await session.evaluate(file, 'base')).toMatchObject({ is: 'failed' });
  expect(await session.evaluate(file, 'n + 0.5')).toMatchObject({ is: 'done' });
  expect(await value('(() => { for (;;); })()')).toMatch(/^cannot: /);
  expect(await value('1 + 1')).toBe('2');
});

test('what nobody stops in runs as before: versions go when breakpoints do', async () => {
  const { set, pausing, session, file } = await begin();
  const made = await set('tolls.push', { condition: 'n < 0' });
  expect(session.textOf(file)).toBe(CHARGE);
  await pausing.remove(made.id);
  const entered = await session.evaluate(file, 'String(charge)');
  expect(entered).toMatchObject({
    is: 'done',
    result: { value: { text: expect.stringMatching(/^function charge\(boat, n\) \{\n {2}let total = 0/) } },
  });
});

test('what is evaluated can be stopped in, from its first statement on', async () => {
  const { next, go, value, pausing, session, file } = await begin(CHARGE.replace('}, 20)', '}, 1e8)'));
  await pausing.pause();
  const entered = session.evaluate(file, 'charge({ cargo: [{ t: 2 }] }, 3)');
  expect(await next()).toMatch(/^asked /);
  await go('into');
  let at = await next();
  for (let i = 0; i < 3 && !at.includes('charge:'); i++) {
    await go('into');
    at = await next();
  }
  expect(at).toMatch(/^step charge:4 < /);
  expect(await value('boat.cargo.length')).toBe('1');
  await go('on');
  expect(await entered).toMatchObject({ is: 'done', result: { value: { text: '60' } } });
});

test('a step over a return ends in the caller, whatever the function leaves by it', async () => {
  const text = `const closed = []
function inLoop(list) {
  for (const one of list) {
    if (one > 0) return one
  }
}
function inTry(list) {
  try {
    return list.length
  } finally {
    closed.push(1)
  }
}
function inBoth(list) {
  for (const one of list) {
    try {
      if (one) return one * 2
    } catch {}
  }
}
function count(n) {
  for (const one of [n]) {
    if (one > 0) return 1 + count(one - 1)
    return 0
  }
}
const turn = () => {
  const a = inLoop(new Set([1]))
  const b = inTry([2])
  const c = inBoth([3])
  const d = count(2)
  return [a, b, c, d]
}
setInterval(() => turn(), 20)
console.log('ready')
`;
  const { set, next, go, pausing, lineOf } = await begin(text);
  for (const [at, ends] of [
    ['return one\n', 'const b ='],
    ['closed.push(1)', 'const c ='],
    ['return one * 2', 'const d ='],
  ] as const) {
    const { id } = await set(at.trim());
    const first = await next();
    expect(first).toMatch(/^breakpoint in/);
    await pausing.remove(id);
    await go('over');
    expect(await next()).toMatch(new RegExp(`^step turn:${lineOf(ends) + 1} < `));
    await go('on');
  }
  // A call of the same function further in does not end it.
  const { id } = await set('return 1 + count');
  expect(await next()).toBe(
    `breakpoint count:${lineOf('return 1 + count') + 1} < turn:${lineOf('const d =') + 1} < :${lineOf('setInterval') + 1}`,
  );
  await pausing.remove(id);
  await go('over');
  expect(await next()).toMatch(/^step turn:/);
});

test('a module that is imported later, by a name that is made, stops and is shown as set', async () => {
  const { set, next, go, pausing, session, file, dir } = await begin(
    `let late
export const load = async () => {
  late = await import(['./la', 'te.mjs'].join(''))
}
setInterval(() => late?.first(), 20)
console.log('ready')
`,
  );
  const other = join(dir, 'late.mjs');
  writeFileSync(other, 'export function first() {\n  return 1\n}\nfirst()\n');
  const made = await set('', { file: other, line: 1 });
  expect(made.state).toBe('nowhere');
  const loaded = session.evaluate(file, 'await load()');
  // Right while it is loaded.
  expect(await next()).toMatch(/^breakpoint first:2 < top level:4/);
  expect(pausing.breakpoints[0]).toMatchObject({ state: 'set' });
  await go('on');
  await loaded;
  expect(await next()).toMatch(/^breakpoint first:2 < :5/);
});

test('the same address once more is the module that runs, with what was changed in it', async () => {
  const { session, file, dir } = await begin(
    `export let late
export const load = async () => {
  late = await import(['./late', '.mjs?at=1'].join(''))
}
console.log('ready')
setInterval(() => {}, 1_000)
`,
  );
  const other = join(dir, 'late.mjs');
  const write = async (text: string): Promise<void> => {
    writeFileSync(other, text);
    await session.changed([other]);
  };
  writeFileSync(other, 'export function first() {\n  return 1\n}\n');
  await session.evaluate(file, 'await load()');
  await write('function rate() {\n  return 2\n}\nexport function first() {\n  return rate()\n}\n');
  expect(await entered(session, file, 'late.first()')).toBe('2');
  await session.evaluate(file, 'await load()');
  await write('function rate() {\n  return 3\n}\nexport function first() {\n  return rate() * 10\n}\n');
  expect(await entered(session, file, 'late.first()')).toBe('30');
});

test('lines are right in a function that has moved to where another one was when that got its version', async () => {
  const { set, save, next, go, lineOf } = await begin();
  await set('const before', { condition: 'by > 100' });
  await save((now) => `${'\n'.repeat(8)}${now}`);
  await set('tolls.push');
  expect(await next()).toMatch(new RegExp(`^breakpoint charge:${lineOf('tolls.push') + 1} `));
  await go('over');
  expect(await next()).toMatch(new RegExp(`^step charge:${lineOf('return total') + 1} `));
});
