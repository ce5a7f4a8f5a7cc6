/** Whatever a project is started by becomes live by a command before it. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
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
