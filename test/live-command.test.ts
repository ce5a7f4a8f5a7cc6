/** Whatever a project is started by becomes live by a command before it. */
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { cli, eventually, folder, start } from './harness.js';

const FILES = {
  'package.json': '{ "name": "lock-office", "scripts": { "dev": "node server.js" } }',
  'server.js': `const http = require('http')
const { toll } = require('./lib/toll')

const server = http.createServer((req, res) => {
  res.end(String(toll(10)))
})
server.listen(0, '127.0.0.1', () => console.log('listening at', 'http://127.0.0.1:' + server.address().port))
`,
  'lib/toll.js': 'const RATE = 4\nfunction toll (length) {\n  return length * RATE\n}\nmodule.exports = { toll }\n',
};

test('a server that its own script starts, in a folder with spaces and umlauts', async () => {
  const dir = join(folder({ 'Schleuse Süd/x': '' }), 'Schleuse Süd');
  for (const [name, text] of Object.entries(FILES)) {
    mkdirSync(dirname(join(dir, name)), { recursive: true });
    writeFileSync(join(dir, name), text);
  }
  const env = { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() };
  const live = start(['live', '--', 'npm', 'run', 'dev'], { cwd: dir, env });
  const url = (await live.until(/http:\/\/127\.0\.0\.1:\d+/)) as string;
  const asked = async (): Promise<string> => (await fetch(url)).text();
  expect(await asked()).toBe('40');
  await eventually(() => cli(['targets'], { env }).stdout.includes('server.js and 1 more'));
  const file = join(dir, 'lib/toll.js');
  writeFileSync(file, readFileSync(file, 'utf8').replace('length * RATE', 'length * RATE + 1'));
  await live.until(/lib\/toll\.js {2}toll patched/);
  expect(await asked()).toBe('41');
  writeFileSync(file, readFileSync(file, 'utf8').replace('+ 1', '+ 1 +'));
  await live.until(/lib\/toll\.js {2}syntax error, nothing changed/);
  expect(await asked()).toBe('41');
  live.child.kill('SIGTERM');
  await live.exited;
  // Also what the shell between them has left behind.
  await eventually(() =>
    fetch(url).then(
      () => false,
      () => true,
    ),
  );
});

test('the command’s own exit code, and a command that is not there', async () => {
  const dir = folder({ 'end.mjs': 'process.exit(7)' });
  const ended = start(['live', '--', 'node', 'end.mjs'], { cwd: dir });
  expect(await ended.exited).toBe(7);
  const missing = start(['live', '--', 'no-such-command'], { cwd: dir });
  expect(await missing.exited).toBe(2);
  expect(missing.text).toMatch(/E_NOT_FOUND {2}there is no command no-such-command here/);
});

test('packages of a workspace are one program, over links', async () => {
  const dir = folder({
    'package.json':
      '{ "workspaces": ["packages/*", "apps/*"], "scripts": { "dev": "npm run dev --workspace apps/office" } }',
    'packages/toll/package.json': '{ "name": "@canal/toll", "type": "module", "exports": "./toll.js" }',
    'packages/toll/toll.js': 'export const RATE = 4\nexport const toll = (length) => length * RATE\n',
    'apps/office/package.json': '{ "name": "office", "type": "module", "scripts": { "dev": "node office.js" } }',
    'apps/office/office.js':
      "import { RATE, toll } from '@canal/toll'\nconst double = RATE * 2\nlet n = 0\nsetInterval(() => { n++; console.log('at', n, toll(10), double) }, 60)\n",
  });
  mkdirSync(join(dir, 'node_modules/@canal'), { recursive: true });
  symlinkSync('../../packages/toll', join(dir, 'node_modules/@canal/toll'));
  const env = { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() };
  const live = start(['live', '--', 'npm', 'run', 'dev'], { cwd: dir, env });
  await live.until(/at \d+ 40 8/);
  await eventually(() => cli(['targets'], { env }).stdout.includes('and 1 more'));
  const file = join(dir, 'packages/toll/toll.js');
  writeFileSync(file, readFileSync(file, 'utf8').replace('RATE = 4', 'RATE = 5'));
  // What is saved in one package reaches what depends on it in another, in order.
  await live.until(/packages\/toll\/toll\.js {2}RATE assigned[\s\S]*apps\/office\/office\.js {2}double assigned/);
  const [, count] = /at (\d+) 50 10/.exec(await live.until(/at \d+ 50 10/))!;
  expect(Number(count)).toBeGreaterThan(1);
  await live.end();
});

test('a program that is begun anew by what started it loses what it held, and that is said once', async () => {
  const dir = folder({
    'package.json': '{ "type": "module" }',
    'toll.js': 'export const toll = (length) => length * 4\n',
    'office.js':
      "import { toll } from './toll.js'\nlet n = 0\nsetInterval(() => { n++; console.log('at', n, toll(10)) }, 60)\n",
  });
  const live = start(['live', '--', 'node', '--watch', 'office.js'], {
    cwd: dir,
    env: { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() },
  });
  await live.until(/at 5 40/);
  await new Promise((resolve) => setTimeout(resolve, 500));
  writeFileSync(join(dir, 'toll.js'), 'export const toll = (length) => length * 5\n');
  await live.until(/toll\.js {2}toll patched/);
  await live.until(/begun anew by what started it, which watches files itself: what it held is gone/);
  await live.end();
});

test.each([[['live', 'office.js']], [['live', '--', 'node', '--env-file=depths.env', 'office.js']]])(
  'a save of an environment file is named with what it takes: %j',
  async (command) => {
    const dir = folder({
      'package.json': '{ "type": "module" }',
      '.env': 'DEPTH=2\n',
      '.env.example': 'DEPTH=\n',
      'depths.env': 'DEPTH=2\n',
      'office.js': "let n = 0\nsetInterval(() => { n++; console.log('at', n, process.env.DEPTH) }, 60)\n",
    });
    const live = start(command, {
      cwd: dir,
      env: { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() },
    });
    await live.until(/at 8 /);
    for (const name of ['.env.example', command.length > 2 ? 'depths.env' : '.env'])
      writeFileSync(join(dir, name), 'DEPTH=3\n');
    await live.until(/(?:\.env|depths\.env) {2}environment file: what runs has read it at its start/);
    expect(live.text).not.toContain('.env.example  ');
    await live.until(/at 20 /);
    expect(live.text).not.toMatch(/at \d+ 3/);
    await live.end();
  },
);
