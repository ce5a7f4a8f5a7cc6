/** Walking by the Debug Adapter Protocol, with its published test client: one adapter process for each session. */
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { type AddressInfo, createServer } from 'node:net';
import { join } from 'node:path';
import { DebugClient } from '@vscode/debugadapter-testsupport';
import type { DebugProtocol } from '@vscode/debugprotocol';
import { folder, root } from './harness.js';

const MAIN = join(root, 'dist/bin/main.js');
const clients: DebugClient[] = [];

async function client(): Promise<DebugClient> {
  const made = new DebugClient(MAIN, 'dap', 'usher-anvil');
  clients.push(made);
  made.defaultTimeout = 60_000;
  await made.start();
  return made;
}

afterEach(async () => {
  for (const one of clients.splice(0)) await one.stop();
});

const FARES = `import test from 'node:test'
import assert from 'node:assert'
function rate(passages) {
  const many = passages > 5
  return many ? 0.9 : 1
}
function toll(boat, passages) {
  let sum = 0
  for (const tonnes of boat.loads) {
    sum += tonnes
  }
  const part = rate(passages)
  return sum * part
}
console.log('fares')
test('a discount from the fifth passage', () => {
  const heron = { name: 'Heron', loads: [10, 20, 30] }
  const price = toll(heron, 5)
  assert.equal(price, 54)
})
`;

const LOOP = `const seen = []
let total = 0
function add(n) {
  total += n
  seen.push(n)
  return total
}
for (let i = 1; i <= 6; i++) {
  const now = add(i)
  if (i === 3) {
    try {
      throw new RangeError('weir ' + now)
    } catch (error) {
      total = total - 1
    }
  }
}
console.error('total', total)
`;

function pad(text: string, name = 'pad.mjs'): string {
  return join(folder({ [name]: text }), name);
}

interface Stand {
  line: number;
  reason: string;
  text?: string;
  frames: DebugProtocol.StackFrame[];
}

/** Begins a session and resolves where it stands first. */
async function begin(
  dc: DebugClient,
  launch: Record<string, unknown>,
  set?: (dc: DebugClient) => Promise<unknown>,
): Promise<Stand> {
  const stopped = dc.waitForEvent('stopped', 60_000);
  const ready = dc.waitForEvent('initialized', 60_000);
  await dc.initializeRequest();
  const launched = dc.launchRequest(launch as DebugProtocol.LaunchRequestArguments);
  await ready;
  await set?.(dc);
  await dc.configurationDoneRequest();
  await launched;
  return stand(dc, stopped);
}

async function stand(dc: DebugClient, stopped: Promise<DebugProtocol.Event>): Promise<Stand> {
  const { body } = (await stopped) as DebugProtocol.StoppedEvent;
  const frames = (await dc.stackTraceRequest({ threadId: 1 })).body.stackFrames;
  return {
    line: frames[0]!.line,
    reason: body.reason,
    ...(body.text === undefined ? {} : { text: body.text }),
    frames,
  };
}

/** Moves, and resolves where that leads. */
async function go(dc: DebugClient, ask: (dc: DebugClient) => Promise<unknown>): Promise<Stand> {
  const stopped = dc.waitForEvent('stopped', 60_000);
  await ask(dc);
  return stand(dc, stopped);
}

const over = (dc: DebugClient): Promise<unknown> => dc.nextRequest({ threadId: 1 });
const into = (dc: DebugClient): Promise<unknown> => dc.stepInRequest({ threadId: 1 });
const out = (dc: DebugClient): Promise<unknown> => dc.stepOutRequest({ threadId: 1 });
const back = (dc: DebugClient): Promise<unknown> => dc.stepBackRequest({ threadId: 1 });
const onwards = (dc: DebugClient): Promise<unknown> => dc.continueRequest({ threadId: 1 });
const backwards = (dc: DebugClient): Promise<unknown> => dc.reverseContinueRequest({ threadId: 1 });

async function variables(dc: DebugClient, frameId: number, scope = 0): Promise<Record<string, string>> {
  const { scopes } = (await dc.scopesRequest({ frameId })).body;
  const found = await dc.variablesRequest({ variablesReference: scopes[scope]!.variablesReference });
  return Object.fromEntries(found.body.variables.map(({ name, value }) => [name, value]));
}

/** What `n` is at each breakpoint from a stop on. */
async function numbersFrom(
  dc: DebugClient,
  from: Stand,
  move: (dc: DebugClient) => Promise<unknown>,
): Promise<string[]> {
  const found: string[] = [];
  for (let at = from; at.reason === 'breakpoint'; at = await go(dc, move))
    found.push((await variables(dc, at.frames[0]!.id)).n!);
  return found;
}

function lines(
  file: string,
  ...breakpoints: (number | DebugProtocol.SourceBreakpoint)[]
): (dc: DebugClient) => Promise<DebugProtocol.SetBreakpointsResponse> {
  return (dc) =>
    dc.setBreakpointsRequest({
      source: { path: file },
      breakpoints: breakpoints.map((one) => (typeof one === 'number' ? { line: one } : one)),
    });
}

/** What the adapter prints from now on. */
function printed(dc: DebugClient): { category: string; text: string }[] {
  const all: { category: string; text: string }[] = [];
  dc.on('output', ({ body }: DebugProtocol.OutputEvent) => {
    all.push({ category: body.category ?? '', text: body.output.trimEnd() });
  });
  return all;
}

test('it says what it can, and walks backwards', async () => {
  const dc = await client();
  const { body } = await dc.initializeRequest();
  expect(body).toMatchObject({ supportsStepBack: true, supportsRestartFrame: true, supportsLogPoints: true });
});

test('the published client’s own sequence: launch, breakpoint, stop', async () => {
  const dc = await client();
  const file = pad(LOOP);
  await dc.hitBreakpoint({ program: file }, { path: file, line: 5 });
});

test('a failing test: it stands at the failure, and steps back to what decided it', async () => {
  const dc = await client();
  const file = pad(FARES);
  const first = await begin(dc, { program: file, test: 'a discount from the fifth passage' });
  expect(first).toMatchObject({ reason: 'exception', text: expect.stringContaining('54') as unknown });
  expect(first.line).toBe(19);
  // Over the assertion, out of nothing: into the call before it, backwards, is its last step.
  const price = await go(dc, back);
  expect(price.line).toBe(18);
  const target = await dc.stepInTargetsRequest({ frameId: price.frames[0]!.id });
  expect(target.body.targets.map(({ label }) => label)).toEqual(['toll']);
  const inside = await go(dc, (one) => one.stepInRequest({ threadId: 1, targetId: target.body.targets[0]!.id }));
  expect(inside.line).toBe(8);
  expect(inside.frames.map(({ name }) => name).slice(0, 1)).toEqual(['toll']);
});

test('exceptions tell what was thrown', async () => {
  const dc = await client();
  const first = await begin(dc, {
    program: pad("const level = 3\nif (level > 2) throw new RangeError('over the weir')\n"),
  });
  expect(first).toMatchObject({ line: 2, reason: 'exception', text: 'RangeError: over the weir' });
  const { body } = await dc.exceptionInfoRequest({ threadId: 1 });
  expect(body).toMatchObject({ exceptionId: 'RangeError', description: 'over the weir', breakMode: 'unhandled' });
});

test('stops on entry', async () => {
  const dc = await client();
  expect(await begin(dc, { program: pad(LOOP), stopOnEntry: true })).toMatchObject({ line: 1, reason: 'entry' });
});

test('without a place to stop at it stands at the end, goes back from there, and ends when asked to go on', async () => {
  const dc = await client();
  const file = pad(LOOP);
  expect(await begin(dc, { program: file })).toMatchObject({ line: 18, reason: 'pause', text: 'The run ended here' });
  const ended = dc.waitForEvent('terminated', 60_000);
  await dc.continueRequest({ threadId: 1 });
  await ended;
  expect(await go(dc, backwards)).toMatchObject({ line: 1, text: 'The run begins here' });
});

test('over and back over lead to the same place', async () => {
  const dc = await client();
  const first = await begin(dc, { program: pad(LOOP), stopOnEntry: true });
  const path = [first.line];
  for (let i = 0; i < 8; i++) path.push((await go(dc, over)).line);
  for (let i = path.length - 2; i >= 0; i--) expect((await go(dc, back)).line).toBe(path[i]);
});

test('into and out', async () => {
  const dc = await client();
  const file = pad(LOOP);
  await begin(dc, { program: file }, lines(file, 9));
  expect((await go(dc, into)).line).toBe(4);
  expect((await go(dc, out)).line).toBe(10);
});

test('stepping before the begin stays there and says so', async () => {
  const dc = await client();
  await begin(dc, { program: pad(LOOP), stopOnEntry: true });
  const said = printed(dc);
  expect((await go(dc, back)).line).toBe(1);
  expect(said.map(({ text }) => text)).toContain('The run began here: nothing more was recorded that way.');
});

test('reverse continue stops at the same breakpoints, the other way round', async () => {
  const dc = await client();
  const file = pad(LOOP);
  const values: string[] = [];
  let at = await begin(dc, { program: file }, lines(file, 4));
  for (let i = 0; i < 3; i++) {
    values.push((await variables(dc, at.frames[0]!.id)).n!);
    at = await go(dc, onwards);
  }
  const reversed: string[] = [];
  for (let i = 0; i < 3; i++) {
    at = await go(dc, backwards);
    reversed.push((await variables(dc, at.frames[0]!.id)).n!);
  }
  expect(values).toEqual(['1', '2', '3']);
  expect(reversed).toEqual(['3', '2', '1']);
});

test.each([
  ['n === 4', ['4']],
  ['n % 2 === 0 && total > 2', ['4', '6']],
  ['seen.length >= 4', ['5', '6']],
  ['seen.includes(2)', ['3', '4', '5', '6']],
  ['`${n}` === "3"', ['3']],
])('a breakpoint with the condition %s', async (condition, expected) => {
  const dc = await client();
  const file = pad(LOOP);
  const at = await begin(dc, { program: file }, lines(file, { line: 4, condition }));
  expect(await numbersFrom(dc, at, onwards)).toEqual(expected);
});

test('a condition that needs what was not recorded, or would execute code, is named', async () => {
  const dc = await client();
  const file = pad(LOOP);
  const said = printed(dc);
  const at = await begin(dc, { program: file }, lines(file, { line: 4, condition: 'add(2) > 1' }));
  expect(at).toMatchObject({ reason: 'pause' });
  expect(said.map(({ text }) => text).join('\n')).toContain('"add(2)" would execute code');
});

test.each([
  ['3', ['3']],
  ['>= 5', ['5', '6']],
  ['% 3', ['3', '6']],
])('a breakpoint with the count of hits %s', async (hitCondition, expected) => {
  const dc = await client();
  const file = pad(LOOP);
  const at = await begin(dc, { program: file }, lines(file, { line: 4, hitCondition }));
  const found = await numbersFrom(dc, at, onwards);
  // The same counts on the way back.
  const reversed = await numbersFrom(dc, await go(dc, backwards), backwards);
  expect([found, reversed]).toEqual([expected, [...expected].reverse()]);
});

test('a count of hits that is none is refused, with what it has to be', async () => {
  const dc = await client();
  const file = pad(LOOP);
  await dc.initializeRequest();
  const { body } = await lines(file, { line: 4, hitCondition: 'often' })(dc);
  expect(body.breakpoints[0]).toMatchObject({
    verified: false,
    message: expect.stringContaining('give a number') as unknown,
  });
});

test('log messages print in both directions and do not stop', async () => {
  const dc = await client();
  const file = pad(LOOP);
  const said = printed(dc);
  await begin(dc, { program: file }, lines(file, { line: 4, logMessage: 'n is {n} of {seen}', hitCondition: '<= 2' }));
  await go(dc, backwards);
  const logs = said.filter(({ text }) => text.startsWith('n is')).map(({ text }) => text);
  expect(logs).toEqual(['n is 1 of []', 'n is 2 of [1]', 'n is 2 of [1]', 'n is 1 of []']);
});

test('a breakpoint on a line where nothing runs moves to the next that does; behind all code there is none', async () => {
  const dc = await client();
  const file = pad('// the tolls\n\nlet a = 1\n\na += 1\n// the end\n');
  await dc.initializeRequest();
  const { body } = await lines(file, 1, 4, 6)(dc);
  expect(body.breakpoints.map(({ line, verified }) => [line, verified])).toEqual([
    [3, true],
    [5, true],
    [6, false],
  ]);
  const where = await dc.customRequest('breakpointLocations', { source: { path: file }, line: 1, endLine: 6 });
  expect((where as DebugProtocol.BreakpointLocationsResponse).body.breakpoints.map(({ line }) => line)).toEqual([3, 5]);
});

test('breakpoints of functions', async () => {
  const dc = await client();
  const file = pad(LOOP);
  const at = await begin(dc, { program: file }, (one) =>
    one.setFunctionBreakpointsRequest({ breakpoints: [{ name: 'add' }] }),
  );
  expect(at).toMatchObject({ line: 4, reason: 'function breakpoint' });
});

test('errors that were caught are stops where that is asked for', async () => {
  const dc = await client();
  const file = pad(LOOP);
  const at = await begin(dc, { program: file }, (one) => one.setExceptionBreakpointsRequest({ filters: ['caught'] }));
  expect(at).toMatchObject({ line: 12, reason: 'exception' });
});

test('writes: who set this, in both directions', async () => {
  const dc = await client();
  const file = pad(LOOP);
  const at = await begin(dc, { program: file });
  const { scopes } = (await dc.scopesRequest({ frameId: at.frames[0]!.id })).body;
  const info = await dc.dataBreakpointInfoRequest({ name: 'total', variablesReference: scopes[0]!.variablesReference });
  expect(info.body).toMatchObject({ description: 'total, written 8 times' });
  const set = await dc.setDataBreakpointsRequest({ breakpoints: [{ dataId: info.body.dataId! }] });
  expect(set.body.breakpoints[0]!.verified).toBe(true);
  const found: number[] = [];
  for (let i = 0; i < 5; i++) found.push((await go(dc, backwards)).line);
  expect(found).toEqual([4, 4, 4, 14, 4]);
});

test('writes to a property of an object', async () => {
  const dc = await client();
  const file = pad(`const lock = { level: 1, gates: { upper: 'shut' } }
const other = lock
other.level = 2
lock.gates.upper = 'open'
other.level++
console.log(lock.level)
`);
  const at = await begin(dc, { program: file });
  const info = await dc.dataBreakpointInfoRequest({ name: 'lock.level' });
  await dc.setDataBreakpointsRequest({ breakpoints: [{ dataId: info.body.dataId! }] });
  expect(at.line).toBe(6);
  expect([(await go(dc, backwards)).line, (await go(dc, backwards)).line]).toEqual([5, 3]);
  const gates = await dc.dataBreakpointInfoRequest({ name: 'lock.gates.lower' });
  expect(gates.body.dataId).toBeNull();
});

test('scopes: own variables, those of functions around, those of the module, each as of the step', async () => {
  const dc = await client();
  const file = pad(`const canal = 'Wenlow'
function outer(name) {
  const full = canal + ' ' + name
  return () => {
    const text = full + '!'
    return text
  }
}
const told = outer('Weir')()
console.log(told)
`);
  const at = await begin(dc, { program: file }, lines(file, 6));
  const { scopes } = (await dc.scopesRequest({ frameId: at.frames[0]!.id })).body;
  expect(scopes.map(({ name }) => name)).toEqual(['Local', 'Around: outer', 'Module']);
  const own = at.frames[0]!.id;
  expect(await variables(dc, own, 0)).toEqual({ text: "'Wenlow Weir!'" });
  expect(await variables(dc, own, 1)).toMatchObject({ full: "'Wenlow Weir'", name: "'Weir'" });
  expect(await variables(dc, own, 2)).toMatchObject({ canal: "'Wenlow'" });
});

test('frames further out show what they held, and where they called', async () => {
  const dc = await client();
  const file = pad(FARES);
  const at = await begin(dc, { program: file }, lines(file, 4));
  expect(at.frames.slice(0, 3).map(({ name, line }) => [name, line])).toEqual([
    ['rate', 4],
    ['toll', 12],
    ['test()', 18],
  ]);
  expect(await variables(dc, at.frames[1]!.id)).toMatchObject({ sum: '60', passages: '5' });
});

test('a stack in pages', async () => {
  const dc = await client();
  const file = pad('function down(n) {\n  if (n === 0) return 0\n  return down(n - 1)\n}\ndown(40)\n');
  const at = await begin(dc, { program: file }, lines(file, { line: 2, condition: 'n === 0' }));
  expect(at.frames).toHaveLength(42);
  const { body } = await dc.stackTraceRequest({ threadId: 1, startFrame: 40, levels: 5 });
  expect(body).toMatchObject({ totalFrames: 42 });
  expect(body.stackFrames.map(({ name }) => name)).toEqual(['down', 'module']);
});

test('objects open, and long lists come in pages', async () => {
  const dc = await client();
  const file = pad(
    'const list = Array.from({ length: 500 }, (_, i) => i * 2)\nconst boat = { name: "Heron", deep: { er: { yet: 1 } } }\nconsole.log(list.length, boat)\n',
  );
  const at = await begin(dc, { program: file });
  const { scopes } = (await dc.scopesRequest({ frameId: at.frames[0]!.id })).body;
  const { variables: all } = (await dc.variablesRequest({ variablesReference: scopes[0]!.variablesReference })).body;
  const list = all.find(({ name }) => name === 'list')!;
  expect(list.indexedVariables).toBe(500);
  const page = await dc.variablesRequest({
    variablesReference: list.variablesReference,
    filter: 'indexed',
    start: 200,
    count: 3,
  });
  expect(page.body.variables.map(({ name, value }) => [name, value])).toEqual([
    ['200', '400  (now)'],
    ['201', '402  (now)'],
    ['202', '404  (now)'],
  ]);
  const boat = all.find(({ name }) => name === 'boat')!;
  const inside = await dc.variablesRequest({ variablesReference: boat.variablesReference });
  expect(inside.body.variables.map(({ name, evaluateName }) => [name, evaluateName])).toEqual([
    ['name', 'boat.name'],
    ['deep', 'boat.deep'],
  ]);
});

test('expressions are evaluated over what was recorded, and what they need beyond it is named', async () => {
  const dc = await client();
  const file = pad(FARES);
  const at = await begin(dc, { program: file }, lines(file, 12));
  const frameId = at.frames[0]!.id;
  const asked = async (expression: string): Promise<string> =>
    (await dc.evaluateRequest({ expression, frameId, context: 'watch' })).body.result;
  expect(await asked('sum / boat.loads.length')).toBe('20');
  expect(await asked('boat.name.toUpperCase() + "!"')).toBe("'HERON!'");
  expect(await asked('passages > 5 ? "many" : "few"')).toBe("'few'");
  await expect(asked('rate(3)')).rejects.toThrow('would execute code');
  await expect(asked('sum +')).rejects.toThrow('is no expression');
  await expect(asked('gate')).rejects.toThrow('No value of gate was recorded');
  const completed = await dc.completionsRequest({ text: 'pass', column: 5, frameId });
  expect(completed.body.targets.map(({ label }) => label)).toEqual(['passages']);
});

test('a frame restarts as a move to its entry', async () => {
  const dc = await client();
  const file = pad(FARES);
  const at = await begin(dc, { program: file }, lines(file, 5));
  expect(await go(dc, (one) => one.restartFrameRequest({ frameId: at.frames[1]!.id }))).toMatchObject({
    line: 8,
    reason: 'restart',
  });
});

test('to the line under the cursor, in either direction', async () => {
  const dc = await client();
  const file = pad(LOOP);
  await begin(dc, { program: file }, lines(file, { line: 4, hitCondition: '3' }));
  const { targets } = (await dc.gotoTargetsRequest({ source: { path: file }, line: 9 })).body;
  expect(targets.map(({ label }) => label)).toEqual(['The next time it ran', 'The last time it ran']);
  const at = await go(dc, (one) => one.gotoRequest({ threadId: 1, targetId: targets[1]!.id }));
  expect(at).toMatchObject({ line: 9, reason: 'goto' });
  expect((await variables(dc, at.frames[0]!.id)).i).toBe('3');
});

test('threads, sources, and what the pad prints', async () => {
  const dc = await client();
  const file = pad(LOOP);
  const said = printed(dc);
  await begin(dc, { program: file });
  expect((await dc.threadsRequest()).body.threads).toEqual([{ id: 1, name: 'pad.mjs' }]);
  const { body } = (await dc.customRequest('loadedSources')) as DebugProtocol.LoadedSourcesResponse;
  expect(body.sources.map(({ path }) => path)).toEqual([file]);
  expect(said).toContainEqual({ category: 'stderr', text: 'total 20' });
});

test('a pad that does not parse is refused, with its place', async () => {
  const dc = await client();
  const file = pad('const a = 1\nconst = 2\n');
  await dc.initializeRequest();
  await expect(dc.launchRequest({ program: file } as DebugProtocol.LaunchRequestArguments)).rejects.toThrow(
    /pad\.mjs:2/,
  );
});

test('a pad that is not there, and a launch that asks for what is not there', async () => {
  const dc = await client();
  await dc.initializeRequest();
  await expect(
    dc.launchRequest({ program: '/nowhere/at-all.mjs' } as DebugProtocol.LaunchRequestArguments),
  ).rejects.toThrow();
  await expect(dc.launchRequest({ program: 5 } as unknown as DebugProtocol.LaunchRequestArguments)).rejects.toThrow(
    'program',
  );
  await expect(
    dc.launchRequest({ program: pad(FARES), test: 'no such' } as DebugProtocol.LaunchRequestArguments),
  ).rejects.toThrow('No test is called no such');
});

test('a pad that never ends is ended at its limit, and what it did can be walked through', async () => {
  const dc = await client();
  const file = pad('let n = 0\nfor (;;) {\n  n = n + 1\n  await new Promise((done) => setTimeout(done, 5))\n}\n');
  const said = printed(dc);
  const at = await begin(dc, { program: file, timeLimit: 1_500 }, lines(file, { line: 3, condition: 'n === 2' }));
  expect(at).toMatchObject({ line: 3, reason: 'breakpoint' });
  expect(said.map(({ text }) => text).join('\n')).toContain('can be walked through');
});

test('pause ends a run that goes on', async () => {
  const dc = await client();
  const file = pad("let n = 0\nconsole.log('on')\nsetInterval(() => {\n  n++\n}, 5)\n");
  const stopped = dc.waitForEvent('stopped', 60_000);
  const ready = dc.waitForEvent('initialized', 60_000);
  await dc.initializeRequest();
  const running = dc.waitForEvent('output', 60_000);
  const launched = dc.launchRequest({ program: file, timeLimit: 60_000 } as DebugProtocol.LaunchRequestArguments);
  await ready;
  await dc.configurationDoneRequest();
  await running;
  await dc.pauseRequest({ threadId: 1 });
  await launched;
  expect((await stand(dc, stopped)).reason).toBe('pause');
});

test('async functions: the way leads over an await, back as well', async () => {
  const dc = await client();
  const file = pad(`async function wait(name) {
  const before = name
  await null
  const after = before + '!'
  return after
}
const [a, b] = await Promise.all([wait('a'), wait('b')])
console.log(a, b)
`);
  const at = await begin(dc, { program: file }, lines(file, { line: 4, condition: "name === 'a'" }));
  expect(at.line).toBe(4);
  expect((await go(dc, back)).line).toBe(3);
  expect(await variables(dc, at.frames[0]!.id)).toMatchObject({ name: "'a'" });
});

test('TypeScript, and a module that the pad imports', async () => {
  const dc = await client();
  const at = folder({
    'toll.ts':
      'export interface Boat { tonnes: number }\nexport function toll(boat: Boat): number {\n  const price: number = boat.tonnes * 2\n  return price\n}\n',
    'pad.ts': "import { toll } from './toll'\nconst price = toll({ tonnes: 4 })\nconsole.log(price)\n",
  });
  const module = join(at, 'toll.ts');
  const found = await begin(dc, { program: join(at, 'pad.ts') }, lines(module, 4));
  expect(found.frames[0]).toMatchObject({ line: 4, source: { path: module } });
  expect(await variables(dc, found.frames[0]!.id)).toMatchObject({ price: '8' });
});

test('a long run is repeated where a move leads out of what is kept, and says so', async () => {
  const dc = await client();
  const said: string[] = [];
  dc.on('output', (event: DebugProtocol.OutputEvent) => said.push(event.body.output));
  const file = pad(`let total = 0
const first = Math.random()
function add(i) {
  total += i
  return total
}
for (let i = 0; i < 150_000; i++) {
  add(i)
}
throw new Error('too much ' + first)
`);
  const end = await begin(dc, { program: file, timeLimit: 60_000 });
  expect(end.text).toContain('too much');
  expect(said.join('')).toMatch(/Of 600,005 steps [\d,]+ to 600,005 are kept/);
  // Backwards to the only time that the line ran, which is long before.
  await dc.setBreakpointsRequest({ source: { path: file }, breakpoints: [{ line: 2 }] });
  const begun = await go(dc, backwards);
  expect(begun.line).toBe(2);
  expect(said.join('')).toContain('The pad executes once more');
  expect(await variables(dc, begun.frames[0]!.id)).toMatchObject({ total: '0' });
  const before = await go(dc, back);
  expect(before.line).toBe(1);
  // And forwards again, to the same failure.
  await dc.setBreakpointsRequest({ source: { path: file }, breakpoints: [{ line: 10 }] });
  const again = await go(dc, onwards);
  expect(again.line).toBe(10);
});

test('restart executes the pad anew', async () => {
  const dc = await client();
  const file = pad(LOOP);
  await begin(dc, { program: file }, lines(file, 4));
  const at = await go(dc, (one) => one.restartRequest({}));
  expect(at).toMatchObject({ line: 4, reason: 'breakpoint' });
});

test('without walking it only runs, and ends', async () => {
  const dc = await client();
  const ended = dc.waitForEvent('terminated', 60_000);
  await dc.initializeRequest();
  const launched = dc.launchRequest({ program: pad(LOOP), noDebug: true } as DebugProtocol.LaunchRequestArguments);
  await dc.configurationDoneRequest();
  await launched;
  await ended;
});

test('arguments, environment and unsaved text reach the pad', async () => {
  const dc = await client();
  const file = pad('nothing()\n');
  const said = printed(dc);
  await begin(dc, {
    program: file,
    args: ['heron'],
    env: { CANAL: 'Wenlow' },
    text: 'console.log(process.argv[2], process.env.CANAL)\n',
  });
  expect(said).toContainEqual({ category: 'stdout', text: 'heron Wenlow' });
});

test('at a port: several clients, none that is a page of a browser, and none without the token', async () => {
  const server = spawn(process.execPath, [MAIN, 'dap', '--port', '0', '--token', 'weir'], {
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const port = await new Promise<number>((resolve) => {
    server.stderr.on('data', (data: Buffer) => {
      const found = /127\.0\.0\.1:(\d+)/.exec(String(data));
      if (found) resolve(Number(found[1]));
    });
  });
  const file = pad(LOOP);
  const connect = async (): Promise<DebugClient> => {
    const made = new DebugClient(MAIN, 'dap', 'usher-anvil');
    clients.push(made);
    await made.start(port);
    return made;
  };
  for (let i = 0; i < 2; i++) {
    const at = await begin(await connect(), { program: file, token: 'weir' }, lines(file, 4));
    expect(at).toMatchObject({ line: 4, reason: 'breakpoint' });
  }
  const stranger = await connect();
  await stranger.initializeRequest();
  await expect(stranger.launchRequest({ program: file } as DebugProtocol.LaunchRequestArguments)).rejects.toThrow(
    'token',
  );
  // What a page can send: the head of a request has a length as well, and its body could be a message.
  await expect(
    fetch(`http://127.0.0.1:${port}/`, {
      method: 'POST',
      body: JSON.stringify({ seq: 1, type: 'request', command: 'initialize', arguments: { adapterID: 'x' } }),
    }),
  ).rejects.toThrow();
  for (const one of clients.splice(0)) await one.stop();
  server.kill();
});

test('a port that is none, and one that is taken', async () => {
  const run = (port: string): Promise<string> =>
    new Promise((resolve) => {
      const child = spawn(process.execPath, [MAIN, 'dap', '--port', port], { stdio: ['ignore', 'ignore', 'pipe'] });
      let said = '';
      child.stderr.on('data', (data: Buffer) => (said += String(data)));
      child.on('exit', (code) => resolve(`${code} ${said}`));
    });
  expect(await run('often')).toContain('Give a number from 0 to 65535');
  const taken = createServer().listen(0, '127.0.0.1');
  await once(taken, 'listening');
  expect(await run(String((taken.address() as AddressInfo).port))).toContain('is taken');
  taken.close();
});
