/** What a pad starts ends with its run, and what `live` is told its program is told. */
import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, runPad } from 'usher-anvil';
import { cliPath, eventually, folder, start, wait } from '../../../test/harness.js';

const isAlive = (pid: number): boolean => {
  try {
    process.kill(pid, 0);
    // A process that has ended and that nobody has asked about is dead all the same.
    return !/^State:\s*Z/m.test(existsSync(`/proc/${pid}`) ? readFileSync(`/proc/${pid}/status`, 'utf8') : '');
  } catch {
    return false;
  }
};
const isGone = (pid: number): Promise<unknown> => eventually(() => !isAlive(pid));
const pidIn = (file: string): Promise<number> =>
  eventually(() => (existsSync(file) ? Number(readFileSync(file, 'utf8')) || undefined : undefined));

const STARTS = `
import { spawn, execFile } from 'node:child_process'
import { writeFileSync } from 'node:fs'
const child = spawn('sleep', ['600'])
const apart = spawn('sleep', ['600'], { detached: true, stdio: 'ignore' })
apart.unref()
const shell = spawn('sh', ['-c', 'sleep 600 & echo $! > orphan; wait'])
writeFileSync('child', String(child.pid))
writeFileSync('apart', String(apart.pid))
`;

test('with the next edit, and with the session', async () => {
  const dir = folder({ 'pumps.js': STARTS });
  const session = createSession({ file: join(dir, 'pumps.js'), cwd: dir });
  session.execute();
  const pids = await Promise.all(['child', 'apart', 'orphan'].map((name) => pidIn(join(dir, name))));
  expect(pids.every(isAlive)).toBe(true);
  session.edit(join(dir, 'pumps.js'), 'let level = 1');
  await Promise.all(pids.map(isGone));
  session.edit(join(dir, 'pumps.js'), STARTS.replaceAll("'child'", "'second'"));
  const second = await pidIn(join(dir, 'second'));
  await session.close();
  await isGone(second);
});

test('also in packages that start them, by every way there is; unless they are kept', async () => {
  const dir = folder({
    'pumps.js': "import { start } from 'pumps'\nconst pid = start()\nexport {}\n",
    'node_modules/pumps/package.json': '{"name":"pumps","main":"main.js"}',
    'node_modules/pumps/main.js': `
      const processes = require('child_process')
      exports.start = () => {
        if (processes.execSync('echo up').toString() !== 'up\\n') throw new Error('no answer')
        processes.execFileSync('true'), processes.spawnSync('true')
        const child = processes.exec('sleep 600')
        require('fs').writeFileSync('child', String(child.pid))
        child.unref(), child.stdout.unref(), child.stderr.unref()
        return child.pid
      }`,
  });
  const record = await runPad({ file: join(dir, 'pumps.js'), cwd: dir });
  expect(record.errors.map((error) => error.message)).toEqual([]);
  expect(record.outcome).toBe('ok');
  await isGone(await pidIn(join(dir, 'child')));
  await runPad({ file: join(dir, 'pumps.js'), cwd: dir, keepStarted: true });
  const kept = await pidIn(join(dir, 'child'));
  await wait(300);
  expect(isAlive(kept)).toBe(true);
  process.kill(kept);
});

test('when the session is killed', async () => {
  const dir = folder({ 'pumps.js': `${STARTS}setInterval(() => undefined, 1000)\n` });
  const running = spawn(process.execPath, [cliPath, 'run', 'pumps.js', '--time-limit', '5m'], {
    cwd: dir,
    stdio: 'ignore',
  });
  const pids = await Promise.all(['child', 'apart', 'orphan'].map((name) => pidIn(join(dir, name))));
  running.kill('SIGKILL');
  await Promise.all(pids.map(isGone));
});

describe('signals to live', () => {
  const PROGRAM = `
    import { writeFileSync, appendFileSync } from 'node:fs'
    for (const signal of LISTENS) process.on(signal, () => { appendFileSync('told', signal + ' '); if (signal !== 'SIGHUP') process.exit(7) })
    setInterval(() => undefined, 1000)
    writeFileSync('pid', String(process.pid))
  `;
  const start = async (listens: string[]): Promise<{ live: ChildProcess; pid: number; dir: string }> => {
    const dir = folder({ 'chamber.mjs': PROGRAM.replace('LISTENS', JSON.stringify(listens)) });
    const env = { ...process.env, USHER_ANVIL_TARGETS: folder() };
    // Of a session of its own, as under a supervisor.
    const live = spawn(process.execPath, [cliPath, 'live', 'chamber.mjs'], {
      cwd: dir,
      env,
      stdio: 'ignore',
      detached: true,
    });
    return { live, pid: await pidIn(join(dir, 'pid')), dir };
  };
  const ended = (live: ChildProcess): Promise<number | null> => new Promise((resolve) => live.once('exit', resolve));

  test.each([
    ['SIGTERM', 128 + 15],
    ['SIGINT', 128 + 2],
    ['SIGHUP', 128 + 1],
    ['SIGQUIT', 128 + 3],
  ] as const)('%s ends a program that does not listen, and the command with its code', async (signal, code) => {
    const { live, pid } = await start([]);
    live.kill(signal);
    expect(await ended(live)).toBe(code);
    await isGone(pid);
  });

  test('a program that listens decides; the command ends as it does', async () => {
    const { live, dir } = await start(['SIGHUP', 'SIGTERM']);
    live.kill('SIGHUP');
    await eventually(() => existsSync(join(dir, 'told')));
    live.kill('SIGTERM');
    expect(await ended(live)).toBe(7);
    expect(readFileSync(join(dir, 'told'), 'utf8')).toBe('SIGHUP SIGTERM ');
  });

  test('a command that is killed takes its program with it, which hears of it as SIGTERM', async () => {
    const { live, pid, dir } = await start(['SIGTERM']);
    live.kill('SIGKILL');
    await isGone(pid);
    expect(readFileSync(join(dir, 'told'), 'utf8')).toBe('SIGTERM ');
  });
});

test('a command ends with its pad, whatever limit the first run of it had', async () => {
  const dir = folder({
    'pumps.cjs': "const { spawnSync } = require('child_process')\nconsole.log(spawnSync('true').status)\n",
  });
  const run = start(['run', 'pumps.cjs', '--time-limit', '60m'], { cwd: dir });
  await run.until(/Console 1/);
  expect(await run.exited).toBe(0);
});
