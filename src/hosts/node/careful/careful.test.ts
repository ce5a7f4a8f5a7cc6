/** Careful runs: whatever changes something outside of a pad is held at its line, and nothing of it happens before. */
import { spawn } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { createServer as createNetServer } from 'node:net';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { createSession, runPad, type PadRecord } from 'usher-anvil';
import { startServer } from '#dist/server/server.js';
import { eventually, folder, root, wait } from '../../../../test/harness.js';
import { Window } from '../../../../test/window.js';

const FILES = { 'toll.csv': 'Heron,4\n', 'sub/lock.csv': '1' };

let http: Server;
let port: number;
const asked: string[] = [];
let connections = 0;
const raw = createNetServer((socket) => {
  connections++;
  socket.end();
});
const bystander = spawn('sleep', ['600']);

beforeAll(async () => {
  http = createServer((request, response) => {
    asked.push(request.method!);
    response.end('{"level":4}');
  });
  await new Promise<void>((resolve) => http.listen(0, '127.0.0.1', resolve));
  await new Promise<void>((resolve) => raw.listen(0, '127.0.0.1', resolve));
  port = (http.address() as AddressInfo).port;
});
afterAll(() => {
  http.close();
  raw.close();
  bystander.kill();
});

const heldIn = (record: PadRecord): string[] => record.gates.filter((gate) => gate.held).map((gate) => gate.name);

const CALLS: [string, RegExp][] = [
  ["require('fs').writeFileSync('new.csv', 'x')", /^write new\.csv$/],
  ["require('fs').writeFile('new.csv', 'x', () => 0)", /^write new\.csv$/],
  ["require('fs').promises.writeFile('new.csv', 'x')", /^write new\.csv$/],
  ["require('fs/promises').appendFile('toll.csv', 'x')", /^append to toll\.csv$/],
  ["import('node:fs').then((fs) => fs.appendFileSync('toll.csv', 'x'))", /^append to toll\.csv$/],
  ["require('fs').createWriteStream('new.csv').end('x')", /^open new\.csv for writing$/],
  ["require('fs').openSync('new.csv', 'a+')", /^open new\.csv for writing$/],
  ["require('fs').open('toll.csv', 'r+', () => 0)", /^open toll\.csv for writing$/],
  ["require('fs').openSync('new.csv', require('fs').constants.O_CREAT | 2)", /^open new\.csv for writing$/],
  ["require('fs').promises.open('new.csv', 'w')", /^open new\.csv for writing$/],
  ["require('fs').truncateSync('toll.csv')", /^truncate toll\.csv$/],
  ["require('fs').unlinkSync('toll.csv')", /^remove toll\.csv$/],
  ["require('fs').rmSync('sub', { recursive: true })", /^remove sub$/],
  ["require('fs').promises.rm('sub', { recursive: true })", /^remove sub$/],
  ["require('fs').rmdir('sub', () => 0)", /^remove the folder sub$/],
  ["require('fs').mkdirSync('made/deep', { recursive: true })", /^make the folder made\/deep$/],
  ["require('fs').mkdtempSync('made-')", /^make a folder made-$/],
  ["require('fs').renameSync('toll.csv', 'new.csv')", /^rename toll\.csv to new\.csv$/],
  ["require('fs').copyFileSync('toll.csv', 'new.csv')", /^copy toll\.csv to new\.csv$/],
  ["require('fs').cpSync('sub', 'made', { recursive: true })", /^copy sub to made$/],
  ["require('fs').symlinkSync('toll.csv', 'new.csv')", /^link toll\.csv to new\.csv$/],
  ["require('fs').linkSync('toll.csv', 'new.csv')", /^link toll\.csv to new\.csv$/],
  ["require('fs').chmodSync('toll.csv', 0)", /^change the mode of toll\.csv$/],
  [
    "require('fs').utimesSync(new URL('file://' + process.cwd() + '/toll.csv'), 0, 0)",
    /^change the times of toll\.csv$/,
  ],
  ["require('util').promisify(require('fs').writeFile)('new.csv', 'x')", /^write new\.csv$/],
  ["require('child_process').execSync('touch new.csv')", /^start touch new\.csv$/],
  ["require('child_process').spawn('touch', ['new.csv'])", /^start touch new\.csv$/],
  ["require('child_process').spawnSync('touch', ['new.csv'])", /^start touch new\.csv$/],
  ["require('child_process').execFile('touch', ['new.csv'])", /^start touch new\.csv$/],
  ["require('util').promisify(require('child_process').exec)('touch new.csv')", /^start touch new\.csv$/],
  [
    'new (require(\'worker_threads\').Worker)(\'require("fs").writeFileSync("new.csv", "")\', { eval: true })',
    /^start a thread/,
  ],
  ['process.kill(BYSTANDER)', /^send SIGTERM to process \d+$/],
  ["require('http').request({ port: PORT, method: 'POST' }).end('x')", /^POST localhost:\d+\/$/],
  ["fetch('http://127.0.0.1:PORT/charges', { method: 'PUT', body: 'x' })", /^PUT http:\/\/127\.0\.0\.1:\d+\/charges$/],
  ["fetch(new Request('http://127.0.0.1:PORT/charges', { method: 'DELETE' }))", /^DELETE http:/],
  ["require('net').connect(RAW).on('error', () => 0)", /^connect to localhost:\d+$/],
  ["require('tls').connect({ port: RAW, host: '127.0.0.1' }).on('error', () => 0)", /^connect to 127\.0\.0\.1:\d+$/],
  ["require('dgram').createSocket('udp4').send('x', RAW, '127.0.0.1')", /^send to 127\.0\.0\.1:\d+$/],
  ["new (require('WS'))('ws://127.0.0.1:PORT/').on('error', () => 0)", /^open a socket to 127\.0\.0\.1:\d+\/$/],
  ["require('pumps').write()", /^write new\.csv$/],
];

const place = (code: string): string =>
  code
    .replaceAll('PORT', String(port))
    .replaceAll('WS', join(root, 'node_modules/ws'))
    .replaceAll('RAW', String((raw.address() as AddressInfo).port))
    .replaceAll('BYSTANDER', String(bystander.pid));

const PUMPS = {
  'node_modules/pumps/package.json': '{"name":"pumps","main":"main.js"}',
  // Taken out when the package is loaded, perhaps ahead of the run.
  'node_modules/pumps/main.js':
    "const { writeFileSync } = require('fs')\nexports.write = () => writeFileSync('new.csv', 'x')\n",
};

test('each way to change something is held, at its line, and nothing of it happens', async () => {
  const dir = folder({ ...FILES, ...PUMPS });
  const session = createSession({ file: join(dir, 'pad.cjs'), text: '', cwd: dir, careful: true });
  const requests = asked.length;
  for (const [code, what] of CALLS) {
    const text = `let level = 4\n${place(code)}\n`;
    session.edit(join(dir, 'pad.cjs'), text);
    const gate = await eventually(() =>
      session.record?.program.files[0]?.lines.text === text ? session.record.gates.find((one) => one.held) : undefined,
    );
    expect([code, gate.name]).toEqual([code, expect.stringMatching(what)]);
    expect([code, gate]).toMatchObject([code, { state: 'closed', frame: { line: 1 } }]);
  }
  await wait(200);
  await session.close();
  expect(readdirSync(dir).sort()).toEqual(['node_modules', 'sub', 'toll.csv']);
  expect(readFileSync(join(dir, 'toll.csv'), 'utf8')).toBe(FILES['toll.csv']);
  expect(asked.length).toBe(requests);
  expect(connections).toBe(0);
  expect(bystander.exitCode).toBeNull();
});

test('reading, requests that change nothing, and what a pad computes are not held', async () => {
  const dir = folder(FILES);
  const record = await runPad({
    file: join(dir, 'pad.mjs'),
    cwd: dir,
    careful: true,
    text: `
import fs from 'node:fs'
import http from 'node:http'
fs.readFileSync('toll.csv'), fs.readdirSync('.'), fs.existsSync('x'), fs.openSync('toll.csv', 'r')
fs.writeFileSync('/dev/null', 'x')
const one = await (await fetch('http://127.0.0.1:${port}/levels')).json()
const other = await new Promise((resolve) => http.get('http://127.0.0.1:${port}/', (answer) => answer.resume().on('end', () => resolve(answer.statusCode))))
process.stdout.write('told')
console.log(one.level, other)
`,
  });
  expect(record.errors.map((error) => error.message)).toEqual([]);
  expect(heldIn(record)).toEqual([]);
  expect(record.console.at(-1)!.text).toBe('4 200');
});

test('what is held goes on when it is let through, with its own result; values can be opened meanwhile', async () => {
  const dir = folder(FILES);
  const session = createSession({
    file: join(dir, 'pad.mjs'),
    cwd: dir,
    careful: true,
    hangMs: 400,
    text: `
import { execSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { mkdtemp } from 'node:fs/promises'
const levels = [{ lock: 'Heron', level: 4 }]
writeFileSync('one.csv', '1')
writeFileSync('one.csv', '2')
const made = await mkdtemp('made-')
const said = execSync('echo up').toString()
console.log(made.slice(0, 5), said)
`,
  });
  session.execute();
  const held = () => session.record?.gates.find((gate) => gate.state === 'closed');
  const first = await eventually(held);
  // Longer than a loop may go round without an answer.
  await wait(1_200);
  expect(session.record!.stop).toBeUndefined();
  expect(await session.look({ do: 'open', moment: 999_999, part: 0 } as never)).toBeDefined();
  expect(existsSync(join(dir, 'one.csv'))).toBe(false);
  session.act({ do: 'let-through', name: first.name });
  await eventually(() => held()?.name === 'make a folder made-');
  expect(readFileSync(join(dir, 'one.csv'), 'utf8')).toBe('2');
  session.act({ do: 'open-gate', id: held()!.id });
  await eventually(() => held()?.name === 'start echo up');
  session.act({ do: 'let-through' });
  const record = await session.settled();
  expect(record.console.map((entry) => entry.text)).toEqual(['made- up\n']);
  // For the session: the next run is held by nothing.
  session.execute();
  expect(heldIn(await session.settled())).toEqual([]);
  await session.close();
});

test('with nobody there to let it through, a run ends where it is held, and says how to let it through', async () => {
  const dir = folder(FILES);
  const text = "require('fs').unlinkSync('toll.csv')\nconsole.log('gone')\n";
  const run = (open: string[]) => runPad({ file: join(dir, 'pad.cjs'), text, cwd: dir, careful: true, open });
  const held = await run([]);
  expect(held.stop).toMatchObject({ reason: 'held', message: expect.stringContaining('--open "remove toll.csv"') });
  expect((await run(['remove toll.csv'])).console.map((entry) => entry.text)).toEqual(['gone']);
});

test('a program that waits for what is held has not ended: it is not told of its exit before', async () => {
  const dir = folder();
  // As packages do that clean up behind themselves.
  const text = `
const fs = require('fs')
process.on('exit', () => fs.rmSync('part.csv', { force: true }))
fs.writeFile('part.csv', 'x', () => console.log('written'))
`;
  const held = await runPad({ file: join(dir, 'pad.cjs'), text, cwd: dir, careful: true });
  expect([held.stop, heldIn(held)]).toEqual([undefined, ['write part.csv']]);
  const open = ['write part.csv', 'remove part.csv'];
  const through = await runPad({ file: join(dir, 'pad.cjs'), text, cwd: dir, careful: true, open });
  expect(through.console.map((entry) => entry.text)).toEqual(['written']);
});

test('a file of a project that was merely opened asks the first time; the answer is remembered', async () => {
  const dir = folder({ ...FILES, 'pad.cjs': "require('fs').writeFileSync('new.csv', 'x')\nlet level = 4\n" });
  const state = folder();
  const open = async (): Promise<{ window: Window; close: () => Promise<void> }> => {
    const server = await startServer({ root: dir, state, types: false });
    return { window: new Window(server), close: () => server.close() };
  };
  const first = await open();
  expect(await first.window.until('runs')).toMatchObject({ careful: 'asks', when: 'command' });
  first.window.send({ type: 'execute' });
  const { gates } = await first.window.until('record', (record) => record.gates.length > 0);
  expect(gates[0]).toMatchObject({ name: 'write new.csv', held: true, state: 'closed' });
  expect(existsSync(join(dir, 'new.csv'))).toBe(false);
  first.window.send({ type: 'careful', on: false });
  await first.window.until('runs', (runs) => runs.careful === false);
  await eventually(() => existsSync(join(dir, 'new.csv')));
  await first.close();
  const second = await open();
  expect(await second.window.until('runs')).toMatchObject({ careful: false });
  second.window.send({ type: 'careful', on: true });
  expect(await second.window.until('runs', (runs) => runs.careful === true)).toMatchObject({ careful: true });
  await second.close();
});
