/** `usher-anvil open` as a process: where it listens, and what it comes back to after an end that nobody meant. */
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { eventually, folder, start, wait } from '../../test/harness.js';
import { Window } from '../../test/window.js';

type Running = ReturnType<typeof start>;

async function addressOf(running: Running): Promise<{ port: number; token: string }> {
  const url = new URL(await running.until(/http:\/\/127\.0\.0\.1:\d+\/\?token=[\w-]+/));
  return { port: Number(url.port), token: url.searchParams.get('token')! };
}

const open = (dir: string, state: string, ...args: string[]): Running =>
  start(['open', ...args], { cwd: dir, env: { XDG_STATE_HOME: state } });

test('the address is the same at the next start, and another where the port is taken', async () => {
  const [dir, state] = [folder({ 'toll.js': "require('fs').appendFileSync('runs', 'x')\n" }), folder()];
  const runs = (): string => (existsSync(join(dir, 'runs')) ? readFileSync(join(dir, 'runs'), 'utf8') : '');
  const first = open(dir, state, 'toll.js');
  const address = await addressOf(first);
  await eventually(() => runs() === 'x');
  const beside = open(dir, state, 'toll.js');
  expect((await addressOf(beside)).port).not.toBe(address.port);
  // Once, though the first port was taken.
  await eventually(() => runs() === 'xx');
  await wait(300);
  expect(runs()).toBe('xx');
  await beside.end();
  await first.end();
  const again = open(dir, state, 'toll.js', '--port', String(address.port));
  expect(await addressOf(again)).toEqual(address);
  await again.end();
  const other = open(folder({ 'toll.js': '' }), state, 'toll.js');
  expect((await addressOf(other)).token).not.toBe(address.token);
  await other.end();
});

test('a text that ended the tool twice is opened without running, until a person runs it', async () => {
  const [dir, state] = [folder({ 'toll.js': 'let rate = 4\nrate\n' }), folder()];
  const first = open(dir, state, 'toll.js');
  const window = new Window(await addressOf(first));
  await window.shows('4', 1);
  // A pad may do whatever its person may, also this.
  window.type("process.kill(process.ppid, 'SIGKILL')\n");
  await first.exited;
  const second = open(dir, state, 'toll.js');
  await second.exited;
  const third = open(dir, state, 'toll.js');
  const later = new Window(await addressOf(third));
  expect(await later.until('text')).toMatchObject({ text: "process.kill(process.ppid, 'SIGKILL')\n", unsaved: true });
  const runs = await later.until('runs');
  expect(runs).toMatchObject({ behind: true, when: 'edit' });
  expect(runs.held).toMatch(/unexpected end, twice/);
  // Typing does not run it either.
  later.type('let rate = 5\nrate\n');
  await wait(300);
  expect(later.messages.some((message) => message.type === 'record')).toBe(false);
  later.send({ type: 'execute' });
  await later.shows('5', 1);
  expect((await later.until('runs', (message) => !message.behind)).held).toBeUndefined();
  await third.end();
  expect(existsSync(join(state, 'usher-anvil', 'starts')) && readdirSync(join(state, 'usher-anvil', 'starts'))).toEqual(
    [],
  );
});

test('a file of a folder that was merely opened does not run until it is told to', async () => {
  const [dir, state] = [folder({ 'toll.js': "require('fs').writeFileSync('ran', '')\n" }), folder()];
  const running = open(dir, state);
  const window = new Window(await addressOf(running));
  await window.until('start');
  window.send({ type: 'show', file: 'toll.js', run: true });
  await window.until('runs', (runs) => runs.pad === 'toll.js' && runs.when === 'command' && runs.behind);
  await wait(400);
  expect(existsSync(join(dir, 'ran'))).toBe(false);
  window.send({ type: 'execute' });
  // And then carefully.
  await window.until('record', (record) => record.gates[0]?.name === 'write ran');
  expect(existsSync(join(dir, 'ran'))).toBe(false);
  window.send({ type: 'act', action: { do: 'let-through' } });
  await eventually(() => existsSync(join(dir, 'ran')));
  await running.end();
});

test('a file that is not there yet is a pad to type in; it is made when it is saved', async () => {
  const [dir, state] = [folder(), folder()];
  const running = open(dir, state, 'sub.mjs');
  const window = new Window(await addressOf(running));
  expect(await window.until('text')).toMatchObject({ file: 'sub.mjs', text: '', unsaved: false });
  expect(await window.until('runs')).toMatchObject({ when: 'edit', careful: false });
  window.type('const level = 4\nlevel\n');
  await window.shows('4', 1);
  expect(readdirSync(dir)).toEqual([]);
  window.send({ type: 'save', file: 'sub.mjs' });
  await eventually(() => existsSync(join(dir, 'sub.mjs')));
  expect(readFileSync(join(dir, 'sub.mjs'), 'utf8')).toBe('const level = 4\nlevel\n');
  await running.end();
});

test('a folder begins with an untitled pad; what is typed in it is kept without a file', async () => {
  const [dir, state] = [folder(), folder()];
  const first = open(dir, state);
  const window = new Window(await addressOf(first));
  expect(await window.until('welcome')).toMatchObject({ start: true });
  expect(await window.until('text')).toMatchObject({ file: 'untitled-1.ts', text: '', untitled: true });
  window.type('const level: number = 5\nlevel\n');
  await window.shows('5', 1);
  await first.end();
  const second = open(dir, state);
  const later = new Window(await addressOf(second));
  const { recent } = await later.until('start');
  expect(recent).toMatchObject([{ file: 'untitled-1.ts', untitled: true, bad: false }]);
  later.send({ type: 'show', file: 'untitled-1.ts', run: true });
  await later.until('text', (text) => text.unsaved && text.text === 'const level: number = 5\nlevel\n');
  await second.end();
  const nowhere = open(dir, state, 'none/pad.ts');
  expect(await nowhere.exited).toBe(2);
  expect(nowhere.text).toMatch(/E_NOT_FOUND/);
});

test('an error of our own that nobody thought of is told, and ends nothing', async () => {
  const [dir, state] = [folder({ 'toll.js': 'let rate = 4\nrate\n' }), folder()];
  // When a window has joined, however long that takes.
  const wrong =
    "import { existsSync } from 'node:fs'; if (process.argv.includes('open')) { const waits = setInterval(() => { if (!existsSync('broken')) return; " +
    "clearInterval(waits); setTimeout(() => Promise.reject(new Error('and again')), 100); throw new Error('the sluice broke') }, 50) }";
  const running = start(['open', 'toll.js'], {
    cwd: dir,
    env: { XDG_STATE_HOME: state, NODE_OPTIONS: `--import data:text/javascript,${encodeURIComponent(wrong)}` },
  });
  const window = new Window(await addressOf(running));
  await window.until('text');
  writeFileSync(join(dir, 'broken'), '');
  await window.until('problem', (problem) => problem.code === 'E_INTERNAL' && /the sluice broke/.test(problem.message));
  await window.until('problem', (problem) => /and again/.test(problem.message));
  expect(running.text).toMatch(/Error: the sluice broke\n\s+at/);
  window.type('let rate = 5\nrate\n');
  await window.shows('5', 1);
  await running.end();
});
