import { writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { createLive, type LiveEvent } from 'usher-anvil';
import { historiesAt } from '#dist/record/histories.js';
import { valueText } from '#dist/runtime/text.js';
import { linesView } from '#dist/views/margin.js';
import { eventually, folder } from './harness.js';

const running: { stop(): void }[] = [];
afterEach(() => {
  for (const session of running.splice(0)) session.stop();
});

const MAIN = `import { Worker } from 'node:worker_threads';
import { fork } from 'node:child_process';
import { rise } from './rise.js';
const gauge = new Worker(new URL('./gauge.ts', import.meta.url));
gauge.on('message', (text) => console.log('gauge', text));
gauge.on('exit', () => console.log('gauge gone'));
const keeper = fork(new URL('./keeper.cjs', import.meta.url));
keeper.on('message', (text) => console.log('keeper', text));
setInterval(() => console.log('main', rise(1)), 20);
console.log('invited', JSON.parse(process.env.USHER_ANVIL_LIVE).path);
`;
const RISE = 'export function rise(n: number): number {\n  return n * 2;\n}\n';
const GAUGE = `import { parentPort } from 'node:worker_threads';
import { rise } from './rise.js';
let count: number = 0;
class Probe { #level = 0; read(): number { return this.#level + rise(count); } }
const probe = new Probe();
function tick(): void {
  count += 1;
  parentPort!.postMessage(\`\${count} reads \${probe.read()}\`);
}
setInterval(tick, 20);
`;
const KEEPER = `const { half } = require('./half.cjs');
let count = 0;
function tick() {
  count += 1;
  process.send(\`\${count} has \${half(count)}\`);
}
setInterval(tick, 20);
`;
const HALF = 'exports.half = function half(n) {\n  return n / 2;\n};\n';

function canal() {
  const dir = folder({ 'main.ts': MAIN, 'rise.ts': RISE, 'gauge.ts': GAUGE, 'keeper.cjs': KEEPER, 'half.cjs': HALF });
  const events: LiveEvent[] = [];
  let output = '';
  const { session } = createLive({
    file: join(dir, 'main.ts'),
    stdio: 'pipe',
    onOutput: (_stream, text) => (output += text),
  });
  session.onEvent((event) => events.push(event));
  running.push(session);
  expect(session.start(() => undefined)).toEqual([]);
  return {
    session,
    dir,
    events,
    get output() {
      return output;
    },
    says: (pattern: RegExp, from = output.length) => eventually(() => pattern.exec(output.slice(from)) ?? undefined),
    async save(name: string, text: string): Promise<string> {
      const before = events.length;
      writeFileSync(join(dir, name), text);
      await session.changed([join(dir, name)]);
      return events
        .slice(before)
        .map((event) => [event.text, ...event.details].join(' | '))
        .join(' / ');
    },
  };
}

test('threads and processes of a program take changes, keep what they hold, and take them back together', async () => {
  const program = canal();
  const { session, says, save } = program;
  await says(/gauge 3 reads 6/, 0);
  await says(/keeper 3 has 1.5/, 0);
  await eventually(() => session.guests.length === 2 && session.files.length === 5);
  expect(session.files.map((file) => file.split('/').pop()).sort()).toEqual([
    'gauge.ts',
    'half.cjs',
    'keeper.cjs',
    'main.ts',
    'rise.ts',
  ]);
  // A module that the program and its thread have each for themselves.
  expect(await save('rise.ts', RISE.replace('n * 2', 'n * 2000'))).toMatch(/^rise patched · in thread \d+ too$/);
  await says(/main 2000\n/);
  const read = (await says(/gauge (\d+) reads \d+000\n/))!;
  expect(Number(read[1])).toBeGreaterThan(3);
  // Private members, helpers, imports that come later.
  expect(
    await save(
      'gauge.ts',
      GAUGE.replace('this.#level + rise', 'this.#level + depth() + rise').replace(
        'let count',
        "import { sep } from 'node:path';\nconst depth = (): number => sep.length / 4;\nlet count",
      ),
    ),
  ).toMatch(
    /^import node:path, depth added.* · in thread \d+$|^Probe\.read patched · import node:path, depth added · in thread \d+$/,
  );
  await says(/gauge \d+ reads \d+\.25\n/);
  expect(await save('half.cjs', HALF.replace('n / 2', 'n / -2'))).toMatch(/^half patched · in process \d+$/);
  expect(await save('keeper.cjs', KEEPER.replace('has', 'had'))).toMatch(/^tick patched · in process \d+$/);
  await says(/keeper \d+ had -\d/);
  // A comment is nothing to be taken back.
  expect(await save('half.cjs', `// Half of what was asked.\n${HALF.replace('n / 2', 'n / -2')}`)).toMatch(
    /^nothing to do · in process \d+$/,
  );
  // A syntax error changes nothing anywhere.
  expect(await save('keeper.cjs', KEEPER.replace('count += 1', 'count += '))).toMatch(
    /^syntax error, nothing changed \| line 4/,
  );
  expect(await session.undo()).toBe(true);
  await says(/keeper \d+ has -\d/);
  expect(await session.undo()).toBe(true);
  expect(await session.undo()).toBe(true);
  expect(await session.undo()).toBe(true);
  await says(/main 2\n/);
  await says(/keeper \d+ has \d/);
  const [, count, level] = (await says(/gauge (\d+) reads (\d+)\n/))!;
  expect(Number(level)).toBe(Number(count) * 2);
});

test('where one of them cannot, none does; a change that does not end is stopped where it runs; one that ends leaves', async () => {
  const program = canal();
  const { session, says, save } = program;
  await says(/gauge 3 reads 6/, 0);
  await says(/keeper 1 /, 0);
  // The new constant can be computed in the program, and not in the thread.
  const refused = await save(
    'rise.ts',
    `import { isMainThread } from 'node:worker_threads';\nconst safe = isMainThread ? 5 : missing();\n${RISE.replace('n * 2', 'n * safe')}`,
  );
  expect(refused).toMatch(/^nothing changed: .*safe failed in thread \d+ \| ReferenceError: missing is not defined$/);
  await says(/main 2\n/);
  expect(program.output).not.toContain('main 5');
  await save('rise.ts', RISE);
  expect(await save('gauge.ts', GAUGE.replace('count += 1;', 'while (count < 1e12) { count += 0; }'))).toMatch(
    /^tick patched · in thread \d+$/,
  );
  await eventually(() =>
    program.events.some((event) =>
      /^a change did not end in thread \d+, was stopped and is undone there$/.test(event.text),
    ),
  );
  await eventually(() =>
    program.events.some((event) =>
      /^line 7 {2}Error: ran for more than 3 s without an end.* · in thread \d+$/.test(event.text),
    ),
  );
  await says(/gauge \d+ reads/);
  expect(await save('gauge.ts', GAUGE.replace('count += 1;', 'count += 1; if (count > 5) process.exit();'))).toMatch(
    /tick patched/,
  );
  await says(/gauge gone/);
  await eventually(() => session.guests.length === 1);
  expect(await save('gauge.ts', GAUGE)).toBe('');
  expect(await save('rise.ts', RISE.replace('n * 2', 'n * 3'))).toBe('rise patched');
});

test('what runs in a thread or a process is entered, completed, looked into and observed there', async () => {
  const program = canal();
  const { session, dir, events } = program;
  const gauge = join(dir, 'gauge.ts');
  const keeper = join(dir, 'keeper.cjs');
  const rise = join(dir, 'rise.ts');
  await eventually(() => session.guests.length === 2 && session.files.length === 5);
  const thread = session.whereIs(gauge)[0]!;
  expect([thread, session.whereIs(keeper)[0]!, session.whereIs(rise)]).toEqual([
    expect.stringMatching(/^thread \d+$/),
    expect.stringMatching(/^process \d+$/),
    ['', thread],
  ]);
  const enter = async (file: string, text: string, where?: string): Promise<string> => {
    const given = await session.evaluate(file, text, where);
    if (given.is !== 'done') return JSON.stringify(given);
    return [given.changes, given.result ? valueText(given.result.value) : '', given.where ?? '-']
      .filter((part) => part !== '')
      .join(' | ');
  };
  // An object that lives in the thread, its private field opened there.
  const probe = await session.evaluate(gauge, 'probe');
  if (probe.is !== 'done' || !probe.result) throw new Error(JSON.stringify(probe));
  expect([valueText(probe.result.value), probe.where]).toEqual(['Probe {}', thread]);
  const opened = await session.look({ do: 'open', moment: probe.result.moment, part: 0 });
  if (opened.is !== 'opened') throw new Error(JSON.stringify(opened));
  expect(opened.opened.first.map((member) => member.key)).toContain('#level');
  const prototype = opened.opened.first.find((member) => member.kind === 'prototype')!;
  const members = await session.look({ do: 'members', node: prototype.node, from: 0, count: 10, filter: '' });
  expect(members.is === 'members' && members.members.map((member) => member.key)).toContain('read');
  expect((await session.complete(gauge, 'probe.')).names.map((one) => one.name)).toContain('read');
  expect((await session.complete(keeper, 'ha')).names.map((one) => one.name)).toContain('half');
  // A function that is entered is a patch, for whoever holds it there; so is a name that comes with it.
  expect(await enter(keeper, 'const twice = (n) => n * 2;')).toMatch(/^twice added \| ƒ twice \| process \d+$/);
  expect(
    await enter(keeper, 'function tick() { count += 1; process.send(`${count} twice ${twice(count)}`); }'),
  ).toMatch(/^tick patched \| process \d+$/);
  await program.says(/keeper (\d+) twice \d+\n/);
  expect(await enter(keeper, 'await Promise.resolve(count) > 0')).toMatch(/^true \| process/);
  expect(await enter(keeper, 'missing')).toMatch(/ReferenceError: missing is not defined/);
  // A file that runs in two places: the program's own is meant, unless another is named.
  expect(await enter(rise, 'rise(1)')).toBe('2');
  expect(await enter(rise, 'export function rise(n) { return n * 5; }', thread)).toBe(`rise patched | ${thread}`);
  expect([await enter(rise, 'rise(1)'), await enter(rise, 'rise(1)', thread)]).toEqual(['2', `5 | ${thread}`]);
  expect(await enter(rise, '1', 'thread 99')).toMatch(
    /it does not run in thread 99; it runs in the program, thread \d+/,
  );
  // Observed: counts of both places together, values of what is opened, errors and console at their lines.
  expect(await session.observe(rise)).toBe(true);
  expect(await session.observe(gauge)).toBe(true);
  const line = (file: string, number: number) => linesView(session.record, file).get(number - 1);
  await eventually(() => line(rise, 2)!.hits > 20);
  await eventually(() =>
    /\d+\/s/.test(
      line(gauge, 6)!
        .items.map((item) => item.text)
        .join(' '),
    ),
  );
  expect(await session.openFunction(gauge, 6)).toBe('tick');
  await eventually(() => /^\d+$/.test(line(gauge, 7)!.items[0]?.text ?? ''));
  const [told] = historiesAt(session.record, { file: gauge, line: 6 });
  expect(told!.visits).toBeGreaterThan(0);
  writeFileSync(
    gauge,
    GAUGE.replace(
      'count += 1;',
      "count += 1; console.log('at', { count }); if (count % 5 === 0) throw new RangeError('silted');",
    ),
  );
  await session.changed([gauge]);
  await eventually(() =>
    session.record.console.some(
      (entry) => entry.text.startsWith('at {') && entry.file === gauge && entry.range!.start.line === 6,
    ),
  );
  const entry = session.record.console.find((one) => one.text.startsWith('at {'))!;
  const line7 = await session.look({ do: 'open', moment: entry.moment, part: 1 });
  expect(line7.is === 'opened' && line7.opened.first[0]!.key).toBe('count');
  await eventually(() =>
    session.record.errors.some(
      (error) => error.message === 'silted' && error.file === gauge && error.range.start.line === 6,
    ),
  );
  expect(events.some((event) => /^line 7 {2}RangeError: silted · in thread \d+$/.test(event.text))).toBe(true);
  // When nobody looks, what it has shows its own source again.
  await session.unobserve(gauge);
  expect(await enter(gauge, 'tick.toString().includes("silted") && !tick.toString().includes("$ua")')).toMatch(/^true/);
});

test('when the program is gone, a process that it started ends with its errors as any would', async () => {
  const program = canal();
  const { session } = program;
  await eventually(() => session.guests.length === 2);
  const [, pid] = /process (\d+)/.exec(session.guests.map((guest) => guest.label).join(' '))!;
  const lives = (): boolean => {
    try {
      return process.kill(Number(pid), 0);
    } catch {
      return false;
    }
  };
  expect(lives()).toBe(true);
  session.stop();
  // It sends to a program that is not there.
  await eventually(() => !lives());
});

test('nobody takes part without the token', async () => {
  const program = canal();
  const [, path] = (await program.says(/invited (\S+)\n/, 0))!;
  await eventually(() => program.session.guests.length === 2);
  const closed = await new Promise<boolean>((resolve) => {
    const socket = connect(path!);
    socket.on('close', () => resolve(true));
    socket.write(Buffer.from([4, 0, 0, 0, 1, 2, 3, 4]));
  });
  expect([closed, program.session.guests.length]).toEqual([true, 2]);
});
