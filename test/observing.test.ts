/** What a program that runs on tells: functions that are observed, its console, its errors. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createLive } from '#dist/hosts/node/live.js';
import { historiesAt } from '#dist/record/histories.js';
import { linesView } from '#dist/views/margin.js';
import { valueText } from '#dist/runtime/text.js';
import type { LiveEvent } from '#dist/session/live/events.js';
import type { LiveSession } from '#dist/session/live/session.js';
import { eventually, folder, wait } from './harness.js';

const running: LiveSession[] = [];
const ended = new Set<LiveSession>();
afterEach(async () => {
  for (const session of running.splice(0)) {
    session.stop();
    await eventually(() => ended.has(session));
  }
});

const CHAMBER = `let level = 0;
class Gate {
  turned = 0;
  constructor(readonly name: string) {
    this.turned = 1;
  }
  turn(by: number) {
    this.turned += by;
    if (this.turned > 1e9) throw new Error('worn out');
    return this.turned;
  }
}
const gate = new Gate('upper');
function fill(by: number) {
  level += by;
  return level;
}
function main() {
  let ticks = 0;
  setInterval(() => {
    ticks += 1;
    fill(2);
    gate.turn(1);
    if (ticks % 10 === 0) console.log('level', level, { ticks });
  }, 5);
}
main();
`;

async function chamber(text = CHAMBER) {
  const dir = folder({ 'chamber.ts': text });
  const file = join(dir, 'chamber.ts');
  const events: LiveEvent[] = [];
  let output = '';
  const { session } = createLive({ file, stdio: 'pipe', onOutput: (_stream, part) => (output += part) });
  session.onEvent((event) => events.push(event));
  running.push(session);
  expect(session.start(() => ended.add(session))).toEqual([]);
  const evaluated = async (code: string): Promise<string> => {
    const answer = await session.evaluate(file, code);
    return answer.is === 'done'
      ? answer.result
        ? valueText(answer.result.value)
        : answer.changes
      : JSON.stringify(answer);
  };
  await eventually(() => session.files.length > 0 && events.length === 0);
  /** State, hits and texts of a line (from 1). */
  const line = (number: number) => {
    const view = linesView(session.record, file).get(number - 1);
    return {
      state: view?.state ?? 'none',
      hits: view?.hits ?? 0,
      title: view?.title ?? '',
      texts: (view?.items ?? []).map((item) => item.text).join(' · '),
    };
  };
  return {
    file,
    session,
    events,
    line,
    evaluated,
    get output() {
      return output;
    },
  };
}

test('functions of a file that is looked at are counted from then on, with their rates; code that ran before says nothing', async () => {
  const { session, file, line } = await chamber();
  expect(line(14)).toMatchObject({ state: 'none' });
  expect(await session.observe(file)).toBe(true);
  await eventually(() => line(14).hits > 100);
  expect(line(15)).toMatchObject({ state: 'ran' });
  expect(line(8).hits).toBeGreaterThan(50);
  // The callback was made by a call that is over; it is counted all the same.
  expect(line(22)).toMatchObject({ state: 'ran' });
  expect(line(14).texts).toMatch(/^[\d,.]+\/s · ×[\d,]+$/);
  // Not called since: no claim that it never ran.
  expect(line(19)).toMatchObject({ state: 'never', title: 'did not run since it is observed' });
  expect(line(1)).toMatchObject({ state: 'none' });
  expect(line(27)).toMatchObject({ state: 'none' });
  // One branch was taken, the other not.
  expect(line(9)).toMatchObject({
    state: 'partly',
    title: expect.stringMatching(/^ran \d+ times; 2 of 3 parts did not run: .* since it is observed$/) as string,
  });
  // No values before a function is opened.
  expect(session.record.samples.length).toBe(0);
});

test('a function that is opened shows its values, also of parameters, and no other does', async () => {
  const { session, file, line } = await chamber();
  await session.observe(file);
  expect(await session.openFunction(file, 14)).toBe('fill');
  await eventually(() => /\d/.test(line(15).texts));
  expect(line(14).texts).toMatch(/by 2$/);
  expect(line(8).texts).toBe('');
  const first = Number(/\d+/.exec(line(15).texts)![0]);
  // What it says goes on to be new, however often it has run.
  await eventually(() => Number(/\d+/.exec(line(15).texts)![0]) > first + 400);
  expect(session.openedFunction(file)).toBe('fill');
  // Another one: that function alone.
  expect(await session.openFunction(file, 6)).toBe('Gate/turn');
  await eventually(() => /\d/.test(line(10).texts));
  expect(line(15).texts).toBe('');
  expect(await session.openFunction(file, 26)).toBeUndefined();
  await eventually(() => line(10).texts === '');
});

test('values of objects can be opened while the program runs on, and held ones are let go of', async () => {
  const { session, file } = await chamber(
    CHAMBER.replace('return level;', 'const now = { level, gate };\n  return now;'),
  );
  await session.observe(file);
  await session.openFunction(file, 14);
  const last = () => historiesAt(session.record, { line: 15, file }).find((one) => one.name === 'now');
  await eventually(() => (last()?.length ?? 0) > 3);
  const history = last()!;
  const opened = await session.look({ do: 'open', moment: history.at(history.length - 1).moment, part: 0 });
  expect(opened).toMatchObject({ is: 'opened' });
  // No more of one place than the last ones.
  await eventually(() => (last()?.visits ?? 0) > 400);
  expect(last()!.length).toBeLessThan(21_000);
});

test('a change of an observed function is observed too, and counted anew; what only moves goes on', async () => {
  const { session, file, line } = await chamber();
  await session.observe(file);
  await session.openFunction(file, 14);
  await eventually(() => line(14).hits > 60);
  const moved = CHAMBER.replace('function fill', '// Metres\nfunction fill');
  await session.edit(file, moved);
  expect(line(15).hits).toBeGreaterThan(60);
  const before = line(15).hits;
  await eventually(() => line(16).texts !== '' && line(15).hits > before);
  await session.edit(file, moved.replace('level += by', 'level -= by'));
  expect(line(15).hits).toBeLessThan(before);
  await eventually(() => /-?\d/.test(line(16).texts));
});

test('undo, a change that fails and a reload leave what is observed observed', async () => {
  const { session, file, line, evaluated } = await chamber();
  await session.observe(file);
  await session.edit(file, CHAMBER.replace('level += by', 'level += by * 100'));
  await eventually(() => line(14).hits > 5);
  expect(await session.undo()).toBe(true);
  await evaluated('1');
  const hits = line(14).hits;
  await eventually(() => line(14).hits > hits + 5);
  const level = Number(await evaluated('level'));
  await wait(100);
  expect(Number(await evaluated('level'))).toBeLessThan(level + 200);
  // A change of which one step throws.
  await session.edit(
    file,
    CHAMBER.replace('let level = 0;', 'let level = 0;\nconst sill = missing.depth;').replace(
      'level += by',
      'level += sill',
    ),
  );
  await eventually(() => line(15).hits > 5);
});

test('a text that does not parse changes nothing, and is told where it is wrong', async () => {
  const { session, file, events } = await chamber();
  await session.observe(file);
  await session.edit(file, CHAMBER.replace('level += by', 'level += '));
  expect(session.isWrong(file)).toBe(true);
  expect(session.record.errors.map((error) => [error.kind, error.range.start.line])).toEqual([['syntax', 14]]);
  expect(events.map((event) => [event.kind, event.typed])).toEqual([['refused', true]]);
  await session.edit(file, CHAMBER);
  expect(session.isWrong(file)).toBe(false);
  expect(session.record.errors).toEqual([]);
});

test('what is printed stands at its line, as it was written; equal errors are one with a count, and go when their line is changed', async () => {
  const { session, file, line, output, events } = await chamber();
  await session.observe(file);
  await eventually(() => session.record.console.length > 3);
  const entry = session.record.console[0]!;
  expect(entry.range?.start.line).toBe(23);
  expect(entry.text).toMatch(/^level \d+ \{ ticks: \d+ \}$/);
  expect(output).toBe('');
  await session.edit(file, CHAMBER.replace('> 1e9', '> 1'));
  await eventually(() => (session.record.errors[0]?.times ?? 0) > 20);
  expect(session.record.errors).toHaveLength(1);
  expect(session.record.errors[0]!.range).toMatchObject({ start: { line: 8, character: 4 } });
  expect(line(9)).toMatchObject({ state: 'failed' });
  // Told at once, then with how often: not once for each.
  expect(events.filter((event) => event.kind === 'error').length).toBeLessThan(10);
  // The error is at line 9: a line above moves it.
  await session.edit(file, `// Gates\n${CHAMBER.replace('> 1e9', '> 1')}`);
  expect(session.record.errors[0]!.range.start.line).toBe(9);
  await session.edit(file, `// Gates\n${CHAMBER}`);
  await session.evaluate(file, '1');
  expect(session.record.errors).toEqual([]);
});

test('a flood of lines is thinned, with an exact count', async () => {
  const { session, file, evaluated } = await chamber(
    `let printed = 0;\nlet open = false;\nsetInterval(() => {\n  for (let i = 0; open && i < 5_000 && printed < 40_000; i++) console.log('gauge', ++printed);\n}, 5);\n`,
  );
  await session.observe(file);
  await evaluated('open = true');
  await eventually(async () => (await evaluated('printed')) === '40000');
  await eventually(() => session.record.console.length + session.record.consoleOmitted === 40_000);
  expect(session.record.console.length).toBeLessThanOrEqual(4_000);
  expect(session.record.console[session.record.console.length - 1]!.text).toBe('gauge 40000');
});

test('nobody looks any more: the program has its own functions back, and tells nothing', async () => {
  const { session, file, evaluated } = await chamber();
  // A probe would be seen in the engine's own text of the version that runs.
  await session.observe(file);
  await session.openFunction(file, 14);
  await eventually(() => session.record.samples.length > 0);
  await session.unobserve(file);
  const { moments } = session.record;
  await wait(300);
  expect(session.record.moments).toBe(moments);
  // Observed again, it begins anew.
  await session.observe(file);
  await eventually(() => session.record.moments > moments);
  expect(await evaluated('fill.toString().includes("$ua")')).toBe('false');
});

test('endless code that a change brought is stopped while it is observed; long work of the program itself is not', async () => {
  const { session, file, events, line } = await chamber(
    `let rounds = 0;\nfunction work(n: number) {\n  for (let i = 0; i < n; i++) rounds += 1;\n}\nsetInterval(() => work(10), 10);\n`,
  );
  await session.observe(file);
  await eventually(() => line(3).hits > 3);
  await session.edit(
    file,
    `let rounds = 0;\nfunction work(n: number) {\n  for (let i = 0; i >= 0; i++) rounds += 1;\n}\nsetInterval(() => work(10), 10);\n`,
  );
  await eventually(() => events.some((event) => event.kind === 'undone'));
  const before = line(3).hits;
  await eventually(() => line(3).hits > before);
});

test('closures that are made by the thousand do not slow the program: they report through the code that makes them', async () => {
  const { session, file, line, evaluated } = await chamber(
    `let made = 0;\nfunction pair(n: number) {\n  return () => n + 1;\n}\nsetInterval(() => {\n  for (let i = 0; i < 500; i++) made += pair(i)() > 0 ? 1 : 0;\n}, 5);\n`,
  );
  await session.observe(file);
  await eventually(() => line(3).hits > 5_000);
  // Each closure ran once; its own body is counted with the function that makes it.
  await eventually(async () => Number(await evaluated('made')) > 20_000);
  const cells = session.record.counts.get(session.record.program.files.findIndex((one) => one.file === file))!;
  const sites = session.record.program.files.find((one) => one.file === file)!.sites;
  const arrow = sites.find((site) => site.kind === 'function' && site.name === '' && site.start < 60)!;
  expect(cells[arrow.id]!).toBeGreaterThan(5_000);
});

test('a function that is called for each of four barges shows all four', async () => {
  const { session, file, line } = await chamber(
    `const fleet = ['Heron', 'Otter', 'Kestrel', 'Plover'];\nlet length = 0;\nfunction draw(name: string) {\n  length = name.length;\n}\nsetInterval(() => {\n  for (const name of fleet) draw(name);\n}, 2);\n`,
  );
  await session.observe(file);
  await session.openFunction(file, 2);
  await eventually(() => line(3).hits > 2_000);
  const newest = (): Set<string> => {
    const [history] = historiesAt(session.record, { file, line: 2 });
    return new Set((history?.samples ?? []).slice(-12).map((sample) => valueText(sample.value)));
  };
  await eventually(() => newest().size === 4);
});

test('several files, a save on disk and an edit in a window', async () => {
  const dir = folder({
    'main.ts': `import { rise } from './rise.js';\nlet level = 0;\nsetInterval(() => {\n  level = rise(level);\n}, 5);\n`,
    'rise.ts': `export function rise(level: number): number {\n  return level + 1;\n}\n`,
  });
  const main = join(dir, 'main.ts');
  const rise = join(dir, 'rise.ts');
  const { session } = createLive({ file: main, stdio: 'pipe' });
  running.push(session);
  expect(session.start(() => ended.add(session))).toEqual([]);
  await session.observe(main);
  await session.observe(rise);
  await session.openFunction(rise, 0);
  const text = (file: string, line: number): string =>
    (linesView(session.record, file).get(line - 1)?.items ?? []).map((item) => item.text).join(' · ');
  await eventually(() => /^\d+$/.test(text(rise, 2)));
  await session.edit(rise, 'export function rise(level: number): number {\n  return level - 0.5;\n}\n');
  await eventually(() => /\.5$/.test(text(rise, 2)));
  // What is on disk does not count while a text of a window does.
  await session.changed([rise]);
  expect(session.textOf(rise)).toContain('- 0.5');
  writeFileSync(rise, 'export function rise(level: number): number {\n  return level * 0;\n}\n');
  await session.forgetEdit(rise);
  await session.changed([rise]);
  // A level that had gone below zero gives -0, and goes on giving it.
  await eventually(() => /^-?0$/.test(text(rise, 2)));
  await session.unobserve(rise);
  expect(session.record.program.files.map((one) => one.file)).toEqual([main]);
});

test('a function that is called too often to be counted is left alone, and says so', async () => {
  const { session, file, line, evaluated } = await chamber(
    `let sum = 0;\nfunction gauge(n: number) {\n  return n % 7;\n}\nfunction round() {\n  for (let i = 0; i < 20_000; i++) sum += gauge(i);\n}\nsetInterval(round, 5);\n`,
  );
  await session.observe(file);
  await eventually(() => /^about [\d,]+\/s, no longer counted/.test(line(2).texts));
  // The one that calls it is counted on.
  const hits = line(5).hits;
  await eventually(() => line(5).hits > hits);
  // Whoever asks for its values gets them.
  await session.openFunction(file, 1);
  await eventually(() => /\d/.test(line(3).texts));
  expect(Number(await evaluated('sum'))).toBeGreaterThan(0);
});

test('half a name that is typed is held back, and told; a save is taken as it is', async () => {
  const { session, file, events, evaluated } = await chamber();
  await session.observe(file);
  await session.edit(file, CHAMBER.replace('level += by', 'level += byt'));
  expect(session.record.errors.map((error) => error.message)).toEqual([
    expect.stringMatching(/^byt is not defined\. .*a save takes it as it is\.$/),
  ]);
  expect(events).toEqual([]);
  const level = Number(await evaluated('level'));
  await eventually(async () => Number(await evaluated('level')) > level);
  // Names of the platform, of the module and of a scope inside are known.
  await session.edit(file, CHAMBER.replace('level += by', 'level += Math.min(by, gate.turned, Number.MAX_VALUE)'));
  expect(session.record.errors).toEqual([]);
  expect(events.map((event) => event.text)).toEqual(['fill patched']);
  await session.edit(file, CHAMBER.replace('level += by', 'level += byt'));
  await session.forgetEdit(file);
  writeFileSync(file, CHAMBER.replace('level += by', 'level += byt'));
  await session.changed([file]);
  await eventually(() => events.some((event) => /ReferenceError: byt is not defined/.test(event.text)));
});
