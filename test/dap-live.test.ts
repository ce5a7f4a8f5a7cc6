/** Programs that run, by the Debug Adapter Protocol with its published test client: attached to by name, and launched. */
import { writeFileSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DebugClient } from '@vscode/debugadapter-testsupport';
import type { DebugProtocol } from '@vscode/debugprotocol';
import { targets } from '#dist/server/targets.js';
import { eventually, folder, root, start, wait } from './harness.js';

const MAIN = join(root, 'dist/bin/main.js');
const clients: DebugClient[] = [];
const running: ReturnType<typeof start>[] = [];

afterEach(async () => {
  // One whose adapter has ended already is not told so.
  for (const one of clients.splice(0)) await Promise.race([one.stop().catch(() => undefined), wait(2_000)]);
  for (const one of running.splice(0)) await one.end();
});

const CHAMBER = `const chamber = { level: 0, gates: ['upper', 'lower'] }
let passages = 0
function fill(by) {
  const before = chamber.level
  chamber.level += by
  return before
}
function pass(boat) {
  passages++
  let sum = fill(2)
  sum += 1
  return boat + sum
}
setInterval(() => {
  pass('Heron')
  if (passages > 1e9) throw new Error('flooded')
}, 20)
console.log('the chamber runs')
`;

async function client(env: Record<string, string>): Promise<DebugClient> {
  const made = new DebugClient(MAIN, 'dap', 'usher-anvil', { env: { ...process.env, ...env } });
  clients.push(made);
  made.defaultTimeout = 60_000;
  await made.start();
  await made.initializeRequest();
  return made;
}

async function program() {
  const dir = folder({ 'chamber.mjs': CHAMBER });
  const file = join(dir, 'chamber.mjs');
  const at = join(folder(), 'targets');
  const env = { USHER_ANVIL_TARGETS: at, XDG_STATE_HOME: folder() };
  const live = start(['live', 'chamber.mjs'], { cwd: dir, env });
  running.push(live);
  await eventually(() => targets(at).length > 0 && live.text.includes('runs'));
  return { file, env, live };
}

const stopped = (dc: DebugClient): Promise<DebugProtocol.StoppedEvent> =>
  dc.waitForEvent('stopped') as Promise<DebugProtocol.StoppedEvent>;

async function frames(dc: DebugClient, threadId = 1): Promise<DebugProtocol.StackFrame[]> {
  return (await dc.stackTraceRequest({ threadId })).body.stackFrames;
}

async function local(dc: DebugClient, frameId: number): Promise<DebugProtocol.Variable[]> {
  const { scopes } = (await dc.scopesRequest({ frameId })).body;
  const found = await Promise.all(
    scopes.map(async ({ variablesReference }) => (await dc.variablesRequest({ variablesReference })).body.variables),
  );
  return found.flat();
}

test('attached by name: conditions, counts and messages; frames, values and setting them; steps; code changed while it stands; a frame again', async () => {
  const { file, env, live } = await program();
  const dc = await client(env);
  await dc.attachRequest({ name: 'chamber' } as never);
  const set = async (breakpoints: DebugProtocol.SourceBreakpoint[]) =>
    (await dc.setBreakpointsRequest({ source: { path: file }, breakpoints })).body.breakpoints;
  expect((await dc.threadsRequest()).body.threads).toEqual([{ id: 1, name: 'chamber.mjs' }]);
  let stop = stopped(dc);
  const [made] = await set([{ line: 11, condition: 'sum > 9 && passages > 2' }]);
  expect(made).toMatchObject({ verified: true, line: 11 });
  expect((await stop).body).toMatchObject({ reason: 'breakpoint', threadId: 1, hitBreakpointIds: [made!.id] });
  const [top, second] = await frames(dc);
  expect([top!.name, top!.line, second!.line]).toEqual(['pass', 11, 15]);
  const variables = await local(dc, top!.id);
  expect(variables).toEqual(expect.arrayContaining([expect.objectContaining({ name: 'boat', value: "'Heron'" })]));
  const chamber = variables.find(({ name }) => name === 'chamber')!;
  const inside = (await dc.variablesRequest({ variablesReference: chamber.variablesReference })).body.variables;
  expect(inside.map(({ name }) => name)).toEqual(expect.arrayContaining(['level', 'gates']));
  expect((await dc.evaluateRequest({ expression: 'chamber.gates.length * 2', frameId: top!.id })).body.result).toBe(
    '4',
  );
  const { scopes } = (await dc.scopesRequest({ frameId: top!.id })).body;
  const own = scopes.find(({ name }) => name === 'Local')!;
  await dc.setVariableRequest({ variablesReference: own.variablesReference, name: 'sum', value: '100' });
  await dc.setVariableRequest({ variablesReference: chamber.variablesReference, name: 'level', value: '7' });
  expect((await dc.evaluateRequest({ expression: '[sum, chamber.level].join()', frameId: top!.id })).body.result).toBe(
    "'100,7'",
  );
  await expect(dc.evaluateRequest({ expression: 'nothing.at', frameId: top!.id })).rejects.toThrow(
    /nothing is not defined/,
  );
  // A field of one object: the next write to it is a stop.
  const info = await dc.customRequest('dataBreakpointInfo', {
    variablesReference: chamber.variablesReference,
    name: 'level',
  });
  expect(info.body).toMatchObject({ accessTypes: ['write'] });
  const { dataId } = info.body as { dataId: string };
  await set([]);
  stop = stopped(dc);
  const fields = await dc.customRequest('setDataBreakpoints', { breakpoints: [{ dataId }] });
  expect(fields.body).toMatchObject({ breakpoints: [{ verified: true }] });
  await dc.continueRequest({ threadId: 1 });
  expect((await stop).body.reason).toBe('data breakpoint');
  expect((await frames(dc)).slice(0, 2).map(({ name, line }) => `${name} ${line}`)).toEqual(['fill 5', 'pass 10']);
  expect(
    (await dc.evaluateRequest({ expression: '[before, chamber.level].join()', frameId: (await frames(dc))[0]!.id }))
      .body.result,
  ).toBe("'7,7'");
  await dc.customRequest('setDataBreakpoints', { breakpoints: [] });
  stop = stopped(dc);
  await set([{ line: 11 }]);
  await dc.continueRequest({ threadId: 1 });
  expect((await stop).body.reason).toBe('breakpoint');
  stop = stopped(dc);
  await dc.nextRequest({ threadId: 1 });
  expect((await stop).body.reason).toBe('step');
  expect((await frames(dc))[0]!.line).toBe(12);
  // It is mended while it stands, and the call begins anew with the new text.
  await set([{ line: 11 }]);
  writeFileSync(file, readFileSync(file, 'utf8').replace('let sum = fill(2)', 'let sum = 1_000'));
  await eventually(() => live.text.includes('pass patched'));
  stop = stopped(dc);
  await dc.restartFrameRequest({ frameId: (await frames(dc))[0]!.id });
  expect((await stop).body.reason).toBe('breakpoint');
  expect((await dc.evaluateRequest({ expression: 'sum', frameId: (await frames(dc))[0]!.id })).body.result).toBe(
    '1000',
  );
  const printed = dc.waitForEvent('output', 20_000);
  await set([{ line: 11, logMessage: 'sum is {sum}', hitCondition: '% 3' }]);
  await dc.continueRequest({ threadId: 1 });
  expect(((await printed) as DebugProtocol.OutputEvent).body).toMatchObject({ output: 'sum is 1000\n', line: 11 });
  // One whose condition throws sleeps, and its client is told.
  const asleep = dc.waitForEvent('breakpoint');
  await set([{ line: 11, condition: 'nothing.at' }]);
  expect(((await asleep) as DebugProtocol.BreakpointEvent).body).toMatchObject({
    reason: 'changed',
    breakpoint: { verified: false, message: expect.stringContaining('nothing is not defined') },
  });
  // Who leaves takes its breakpoints along, and the program goes on.
  await dc.disconnectRequest({});
  await wait(100);
  expect(live.text).not.toMatch(/ended/);
});

test('errors by filters, pausing, code at no frame; a name that is none', async () => {
  const { env } = await program();
  const dc = await client(env);
  await expect(dc.attachRequest({ name: 'weir' } as never)).rejects.toThrow(/no program .*weir|weir/);
  const other = await client(env);
  await other.attachRequest({ name: 'chamber' } as never);
  await other.setExceptionBreakpointsRequest({ filters: ['uncaught'] });
  let stop = stopped(other);
  expect((await other.evaluateRequest({ expression: 'passages = 2e9' })).body.result).toBe('2000000000');
  expect((await stop).body).toMatchObject({ reason: 'exception', text: 'Error: flooded' });
  const info = await other.customRequest('exceptionInfo', { threadId: 1 });
  expect(info.body).toMatchObject({ exceptionId: 'Error', description: 'flooded' });
  await other.evaluateRequest({ expression: 'passages = 0', frameId: (await frames(other))[0]!.id });
  await other.setExceptionBreakpointsRequest({ filters: [] });
  await other.continueRequest({ threadId: 1 });
  stop = stopped(other);
  await other.pauseRequest({ threadId: 1 });
  expect((await stop).body.reason).toBe('pause');
  await other.disconnectRequest({});
});

test('launched: breakpoints are there before the first line, or it stops there; what it prints is told; it ends with its client', async () => {
  const dir = folder({ 'chamber.mjs': CHAMBER });
  const file = join(dir, 'chamber.mjs');
  const dc = await client({ XDG_STATE_HOME: folder() });
  const printed = dc.waitForEvent('output');
  const stop = stopped(dc);
  const launched = dc.launchRequest({ program: file, live: true, cwd: dir } as never);
  await dc.setBreakpointsRequest({ source: { path: file }, breakpoints: [{ line: 4 }] });
  await dc.configurationDoneRequest();
  await launched;
  expect((await stop).body.reason).toBe('breakpoint');
  expect((await frames(dc)).slice(0, 2).map(({ name, line }) => `${name} ${line}`)).toEqual(['fill 4', 'pass 10']);
  expect(((await printed) as DebugProtocol.OutputEvent).body.output).toBe('the chamber runs\n');
  const terminated = dc.waitForEvent('terminated');
  await dc.terminateRequest({});
  await terminated;
  const entry = await client({ XDG_STATE_HOME: folder() });
  const first = stopped(entry);
  const begun = entry.launchRequest({ program: file, live: true, cwd: dir, stopOnEntry: true } as never);
  await entry.configurationDoneRequest();
  await begun;
  expect((await first).body.reason).toBe('pause');
  expect((await frames(entry))[0]!.line).toBe(1);
  await entry.disconnectRequest({});
});

test('a held call is told with its place, and a program that stands still is let go when its client is killed', async () => {
  const { file, env, live } = await program();
  const dc = await client(env);
  await dc.attachRequest({ name: 'chamber' } as never);
  const stop = stopped(dc);
  await dc.setBreakpointsRequest({ source: { path: file }, breakpoints: [{ line: 9 }] });
  await stop;
  const counted = async (): Promise<number> => {
    const other = await client(env);
    await other.attachRequest({ name: 'chamber' } as never);
    const { result } = (await other.evaluateRequest({ expression: 'passages' })).body;
    await other.disconnectRequest({});
    return Number(result);
  };
  // Not by the protocol: it is gone.
  clients.splice(clients.indexOf(dc), 1);
  (dc as unknown as { stopAdapter(): void }).stopAdapter();
  const before = await counted();
  await eventually(async () => (await counted()) > before);
  expect(live.text).not.toMatch(/ended/);
});
