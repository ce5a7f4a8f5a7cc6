import { spawn, type ChildProcess } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { cli, eventually, folder, start } from './harness.js';

const children: ChildProcess[] = [];
afterEach(() => {
  for (const child of children.splice(0)) child.kill('SIGKILL');
});

/** A process that knows nothing of us. */
function plain(
  files: Record<string, string>,
  entry: string,
  flags: string[] = [],
): { dir: string; child: ChildProcess; said(): string } {
  const dir = folder(files);
  const child = spawn(process.execPath, [...flags, entry], { cwd: dir, stdio: ['ignore', 'pipe', 'pipe'] });
  children.push(child);
  let text = '';
  child.stdout!.on('data', (chunk) => (text += String(chunk)));
  child.stderr!.on('data', (chunk) => (text += String(chunk)));
  return { dir, child, said: () => text };
}

const LOOP =
  'let n = 0;\nfunction step() {\n  n += 1;\n  return n;\n}\nsetInterval(() => console.log("n", step()), 20);\n';

test('bodies of a process that runs already are patched by its inspector, and what this cannot do is said', async () => {
  const { dir, said } = plain({ 'loop.cjs': LOOP, 'package.json': '{"type":"module"}' }, 'loop.cjs', ['--inspect=0']);
  const port = await eventually(() => /127\.0\.0\.1:(\d+)/.exec(said())?.[1]);
  await eventually(() => /n 3/.test(said()));
  const attached = start(['attach', `127.0.0.1:${port}`], { cwd: dir });
  await attached.until(/attached to process \d+, node v\d+\.\d+\.\d+: loop\.cjs\n {4}Only bodies of functions/);
  writeFileSync(join(dir, 'loop.cjs'), LOOP.replace('n += 1', 'n += 1000'));
  await attached.until(/loop\.cjs {2}step patched\n/);
  const counted = await eventually(() => /n (\d{4,})/.exec(said())?.[1]);
  expect(Number(counted)).toBeGreaterThan(1003);
  expect(Number(counted)).toBeLessThan(1100);
  writeFileSync(join(dir, 'loop.cjs'), LOOP.replace('n += 1', 'n += ;'));
  await attached.until(/loop\.cjs {2}syntax error, nothing changed\n {4}line 3 /);
  const value = cli(
    ['attach', `127.0.0.1:${port}`, '--evaluate', 'await Promise.resolve([process.argv.length, "Elm"])'],
    { cwd: dir },
  );
  expect([value.code, value.stdout]).toEqual([0, 'Array(2)\n']);
  const failing = cli(['attach', `127.0.0.1:${port}`, '--evaluate', 'missing.level'], { cwd: dir });
  expect([failing.code, failing.stdout]).toEqual([1, expect.stringMatching(/^ReferenceError: missing is not defined/)]);
  children[0]!.kill('SIGKILL');
  await attached.until(/the process has ended/);
  expect(await attached.exited).toBe(0);
});

test('a new helper of an ES module is refused with its reason, and the process goes on', async () => {
  const { dir, said } = plain({ 'loop.mjs': LOOP }, 'loop.mjs', ['--inspect=0']);
  const port = await eventually(() => /127\.0\.0\.1:(\d+)/.exec(said())?.[1]);
  const attached = start(['attach', `127.0.0.1:${port}`], { cwd: dir });
  await attached.until(/attached to process/);
  writeFileSync(join(dir, 'loop.mjs'), LOOP.replace('n += 1', 'n += ramp()').concat('function ramp() { return 5; }\n'));
  await attached.until(/loop\.mjs {2}nothing changed\n {4}the top level of an ES module changed/);
  const before = said().length;
  await eventually(() => /n \d+/.test(said().slice(before)));
  await attached.end();
});

test('what cannot be attached to is said with the way out', () => {
  const nobody = cli(['attach', '127.0.0.1:1']);
  expect([nobody.code, nobody.stderr]).toEqual([
    2,
    expect.stringMatching(/E_TARGET {2}No inspector answers at 127\.0\.0\.1:1\. Start the process with --inspect/),
  ]);
  const gone = cli(['attach', '3999999']);
  expect([gone.code, gone.stderr]).toEqual([2, expect.stringMatching(/E_TARGET/)]);
  const wrong = cli(['attach', 'elm']);
  expect([wrong.code, wrong.stderr]).toEqual([
    2,
    expect.stringMatching(/E_OPTION {2}elm is neither a process id nor host:port/),
  ]);
});

test('a signal that would end a process, or a group of them, is not sent', async () => {
  const sleeper = spawn('sleep', ['60']);
  children.push(sleeper);
  for (const [pid, why] of [
    ['0', 'no process of a person has that number'],
    [String(sleeper.pid), 'it does not listen for the signal at which Node opens its inspector'],
  ]) {
    const { code, stderr } = cli(['attach', pid!]);
    expect([code, stderr]).toEqual([2, expect.stringContaining(why!)]);
  }
  expect([sleeper.exitCode, sleeper.signalCode]).toEqual([null, null]);
});
