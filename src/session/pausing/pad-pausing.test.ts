import { join } from 'node:path';
import { createSession, type PadRecord, type Session } from 'usher-anvil';
import type { Breakpoint, BreakpointAsked } from '../live/pausing/breakpoints.js';
import { samplesAt, valueText } from 'usher-anvil/record';
import { eventually, folder, wait } from '../../../test/harness.js';

const open: Session[] = [];
afterEach(async () => {
  await Promise.all(open.splice(0).map((session) => session.close()));
});

/** A pad that runs, with its first file. */
function padOf(
  files: Record<string, string>,
  options: Partial<Parameters<typeof createSession>[0]> = {},
): { pad: Session; file: string; dir: string } {
  const dir = folder(files);
  const file = join(dir, Object.keys(files)[0]!);
  const pad = createSession({ file, timeLimitMs: 20_000, ...options });
  open.push(pad);
  return { pad, file, dir };
}

/** Where it stands once more: one-based lines with the names of functions, the innermost first. */
async function stands(pad: Session, behind = 0): Promise<string> {
  const standing = await eventually(() => pad.pausing.all.find(({ number }) => number > behind));
  return standing.frames.map(({ name, line }) => `${name}:${line + 1}`).join(' ');
}

/** Where it stands behind a step. */
async function stepped(pad: Session, how: 'into' | 'over' | 'out'): Promise<string> {
  const { number } = pad.pausing.all[0]!;
  await pad.pausing.go({ how });
  return stands(pad, number);
}

/** Sets a breakpoint, and runs the pad with it. */
async function stop(pad: Session, asked: Omit<BreakpointAsked, 'file'>): Promise<Breakpoint> {
  const made = await pad.pausing.set({ file: pad.options.file, ...asked });
  pad.execute();
  return made;
}

/** What an expression gives in a frame, or why it gives nothing. */
async function valueIn(pad: Session, text: string, frame = 0): Promise<string> {
  const answer = await pad.pausing.evaluate(text, frame);
  if (answer.is === 'value') return valueText(answer.value);
  return answer.is === 'threw' ? `threw ${answer.error.message}` : `cannot: ${answer.why}`;
}

function beside(record: PadRecord, line: number): string[] {
  return samplesAt(record, { line: line - 1 }).map(({ value }) => valueText(value));
}

const TOLLS = `import { rateOf } from './rates.js'
const barges = [{ name: 'Heron', tonnes: 12 }, { name: 'Otter', tonnes: 40 }]
let total = 0
function tollFor(barge) {
  let { tonnes } = barge
  const rate = rateOf(tonnes)
  return tonnes * rate
}
for (const barge of barges) {
  const toll = tollFor(barge)
  total += toll
}
total
`;
const RATES = `export function rateOf(tonnes) {
  if (tonnes > 20) return 0.25
  return 0.5
}
`;

describe.each(['worker', 'process'] as const)('a pad in a %s', (target) => {
  test('stands at a breakpoint, with its variables, and goes on to the values it would have had', async () => {
    const { pad } = padOf({ 'tolls.js': TOLLS, 'rates.js': RATES }, { target });
    pad.execute();
    const plain = await pad.settled();
    const made = await stop(pad, { line: 6, condition: 'tonnes > 20' });
    expect(made.state).toBe('set');
    expect(await stands(pad)).toBe('tollFor:7 top level:10');
    expect(await valueIn(pad, 'rate')).toBe('0.25');
    expect(await valueIn(pad, 'total + tonnes')).toBe('46');
    expect(await valueIn(pad, 'barge.name', 1)).toBe("'Otter'");
    expect(await valueIn(pad, 'rateOf(1)')).toBe('0.5');
    expect(await pad.pausing.go({ how: 'on' })).toEqual({ is: 'done' });
    const record = await pad.settled();
    expect(pad.pausing.all).toEqual([]);
    expect([record.outcome, ...beside(record, 13)]).toEqual(['ok', '16']);
    for (let line = 1; line <= 13; line++) expect(beside(record, line)).toEqual(beside(plain, line));
  });

  test('stops at its top level, is stepped, and a variable is assigned', async () => {
    const { pad } = padOf({ 'tolls.js': TOLLS, 'rates.js': RATES }, { target });
    await stop(pad, { line: 9 });
    expect(await stands(pad)).toBe('top level:10');
    expect(await stepped(pad, 'into')).toBe('tollFor:5 top level:10');
    expect(await stepped(pad, 'over')).toBe('tollFor:6 top level:10');
    expect(await stepped(pad, 'over')).toBe('tollFor:7 top level:10');
    expect(await valueIn(pad, 'rate = 2')).toBe('cannot: rate is a constant');
    expect(await valueIn(pad, 'tonnes = 100')).toBe('100');
    expect(await stepped(pad, 'out')).toMatch(/^top level:/);
    for (const { id } of pad.pausing.breakpoints) await pad.pausing.remove(id);
    await pad.pausing.go({ how: 'on' });
    expect(beside(await pad.settled(), 13)).toEqual(['60']);
  });
});

test('an edit while it stands runs the new text, and stands again where the statement is then', async () => {
  const { pad, file } = padOf({ 'tolls.js': TOLLS, 'rates.js': RATES });
  await stop(pad, { line: 6 });
  await stands(pad);
  pad.edit(file, TOLLS.replace('let total', '// of all barges\nlet total'));
  expect(await eventually(async () => pad.pausing.all.length > 0 && stands(pad))).toBe('tollFor:8 top level:11');
  expect(pad.pausing.breakpoints.map(({ line }) => line)).toEqual([7]);
});

test('what it stands for is not its time', async () => {
  const { pad } = padOf({ 'tolls.js': TOLLS, 'rates.js': RATES }, { timeLimitMs: 1_500, hangMs: 500 });
  await stop(pad, { line: 11 });
  await stands(pad);
  await wait(2_500);
  expect(pad.pausing.all).toHaveLength(1);
  for (const { id } of pad.pausing.breakpoints) await pad.pausing.remove(id);
  await pad.pausing.go({ how: 'on' });
  expect((await pad.settled()).outcome).toBe('ok');
});

test('stops at errors that nothing catches, and not at those that something does', async () => {
  const text = `function drain(level) {\n  if (level < 0) throw new RangeError('dry')\n  return level\n}\ntry {\n  drain(-1)\n} catch {}\ndrain(-2)\n`;
  const { pad } = padOf({ 'lock.js': text });
  await pad.pausing.stopAtErrors('uncaught');
  pad.execute();
  expect(await stands(pad)).toBe('drain:2 top level:8');
  expect(await valueIn(pad, 'level')).toBe('-2');
  await pad.pausing.go({ how: 'on' });
  expect((await pad.settled()).errors.map(({ message }) => message)).toEqual(['dry']);
});

test('prints what a breakpoint says, and tells of a condition that fails', async () => {
  const { pad } = padOf({ 'tolls.js': TOLLS, 'rates.js': RATES });
  const said: string[] = [];
  pad.pausing.listen((event) => {
    if (event.is === 'message') said.push(event.text);
  });
  await stop(pad, { line: 10, message: '{barge.name} pays {toll}' });
  await pad.settled();
  expect(said).toEqual(['Heron pays 6', 'Otter pays 10']);
  const wrong = await stop(pad, { line: 10, condition: 'barge.mate.name' });
  await pad.settled();
  expect(pad.pausing.breakpoints.find(({ id }) => id === wrong.id)).toMatchObject({ state: 'asleep' });
});

test('before a value is given it asks its condition there, and prints what is wanted', async () => {
  const text = `const due = (tonnes) => tonnes * 2
function all(boats) {
  for (const boat of boats) {
    const owed = due(boat.tonnes)
    if (owed > 50) return(owed)
  }
}
all([{ tonnes: 4 }])
all([{ tonnes: 4 }, { tonnes: 40 }])
`;
  const { pad } = padOf({ 'dues.mjs': text });
  const said: string[] = [];
  pad.pausing.listen((event) => {
    if (event.is === 'message') said.push(event.text);
  });
  await pad.pausing.set({
    file: pad.options.file,
    line: 0,
    where: 'return',
    message: '{tonnes} tonnes',
    condition: 'tonnes > 3',
  });
  await stop(pad, { line: 1, where: 'return', condition: 'owed > 8' });
  expect(await stands(pad)).toBe('all:5 top level:9');
  expect(pad.pausing.all[0]).toMatchObject({ reason: 'return', value: { value: { text: '80' } } });
  await pad.pausing.go({ how: 'on' });
  const record = await pad.settled();
  expect([record.outcome, beside(record, 9)]).toEqual(['ok', ['80']]);
  expect(said).toEqual(['4 tonnes', '4 tonnes', '40 tonnes']);
  expect(pad.pausing.breakpoints.map(({ state }) => state)).toEqual(['set', 'set']);
});
