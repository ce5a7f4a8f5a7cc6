import { writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { createLive, type LiveEvent } from 'usher-anvil';
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
  const { session } = createLive({ file: join(dir, 'main.ts'), stdio: 'pipe', onOutput: (_stream, text) => (output += text) });
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
  await eventually(() => session.participating === 2 && session.files.length === 5);
  expect(session.files.map((file) => file.split('/').pop()).sort()).toEqual(['gauge.ts', 'half.cjs', 'keeper.cjs', 'main.ts', 'rise.ts']);
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
  ).toMatch(/^import node:path, depth added.* · in thread \d+$|^Probe\.read patched · import node:path, depth added · in thread \d+$/);
  await says(/gauge \d+ reads \d+\.25\n/);
  expect(await save('half.cjs', HALF.replace('n / 2', 'n / -2'))).toMatch(/^half patched · in process \d+$/);
  expect(await save('keeper.cjs', KEEPER.replace('has', 'had'))).toMatch(/^tick patched · in process \d+$/);
  await says(/keeper \d+ had -\d/);
  // A comment is nothing to be taken back.
  expect(await save('half.cjs', `// Half of what was asked.\n${HALF.replace('n / 2', 'n / -2')}`)).toMatch(/^nothing to do · in process \d+$/);
  // A syntax error changes nothing anywhere.
  expect(await save('keeper.cjs', KEEPER.replace('count += 1', 'count += '))).toMatch(/^syntax error, nothing changed \| line 4/);
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
  expect(await save('gauge.ts', GAUGE.replace('count += 1;', 'while (count < 1e12) { count += 0; }'))).toMatch(/^tick patched · in thread \d+$/);
  await eventually(() => program.events.some((event) => /^a change did not end in thread \d+, was stopped and is undone there$/.test(event.text)));
  await eventually(() => program.events.some((event) => /^line 7 {2}Error: ran for more than 3 s without an end.* · in thread \d+$/.test(event.text)));
  await says(/gauge \d+ reads/);
  expect(await save('gauge.ts', GAUGE.replace('count += 1;', 'count += 1; if (count > 5) process.exit();'))).toMatch(/tick patched/);
  await says(/gauge gone/);
  await eventually(() => session.participating === 1);
  expect(await save('gauge.ts', GAUGE)).toBe('');
  expect(await save('rise.ts', RISE.replace('n * 2', 'n * 3'))).toBe('rise patched');
});

test('nobody takes part without the token', async () => {
  const program = canal();
  const [, path] = (await program.says(/invited (\S+)\n/, 0))!;
  await eventually(() => program.session.participating === 2);
  const closed = await new Promise<boolean>((resolve) => {
    const socket = connect(path!);
    socket.on('close', () => resolve(true));
    socket.write(Buffer.from([4, 0, 0, 0, 1, 2, 3, 4]));
  });
  expect([closed, program.session.participating]).toEqual([true, 2]);
});
