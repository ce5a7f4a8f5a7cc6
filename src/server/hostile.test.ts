/** What an unfriendly page, window or disk can send: the server refuses it, and serves on. */
import { spawnSync } from 'node:child_process';
import { chmodSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { startServer, type WorkbenchServer } from '#dist/server/server.js';
import { Journal } from '#dist/server/workbench/journal.js';
import { eventually, folder } from '../../test/harness.js';
import { Window } from '../../test/window.js';

const running: WorkbenchServer[] = [];
afterEach(async () => {
  await Promise.all(running.splice(0).map((server) => server.close()));
});

async function serve(state = folder()): Promise<{ server: WorkbenchServer; dir: string }> {
  const dir = folder({ 'toll.ts': 'const rate = 4;\n' });
  const server = await startServer({ root: dir, pad: join(dir, 'toll.ts'), state });
  running.push(server);
  return { server, dir };
}

/** Still there, and still executing. */
async function serves(server: WorkbenchServer): Promise<void> {
  const window = new Window(server);
  await window.until('record', (message) => message.ended);
  window.socket.close();
}

/** Sends bytes as they are; gives what comes back. */
function raw(port: number, bytes: string | Buffer): Promise<string> {
  return new Promise((resolve) => {
    const socket = connect(port, '127.0.0.1', () => socket.write(bytes));
    let text = '';
    socket.on('data', (data) => (text += data.toString('latin1')));
    socket.on('error', () => resolve(text));
    socket.on('close', () => resolve(text));
    setTimeout(() => socket.destroy(), 600).unref();
  });
}

const upgrade = (path: string, server: WorkbenchServer, origin = `http://127.0.0.1:${server.port}`): string =>
  `GET ${path} HTTP/1.1\r\nHost: 127.0.0.1:${server.port}\r\nOrigin: ${origin}\r\nConnection: Upgrade\r\n` +
  'Upgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n';

test.each([
  '//',
  '///',
  '/\\',
  'http://[',
  '*',
  '/window',
  '/window?',
  '/window?token=%',
  '/window?token=a&token=b',
  '/%',
  '/window/../window?token=',
])('a socket asked for at %s is refused', async (path) => {
  const { server } = await serve();
  expect(await raw(server.port, upgrade(path, server))).toMatch(/^HTTP\/1\.1 40[013] /);
  expect(await raw(server.port, upgrade(path, server, 'https://other.example'))).toMatch(/^HTTP\/1\.1 40[03] /);
  await serves(server);
});

test('a socket that goes away in the middle of being asked for', async () => {
  const { server } = await serve();
  for (const part of [10, 60, 120]) {
    const bytes = upgrade(`/window?token=${server.token}`, server).slice(0, part);
    await new Promise<void>((resolve) => {
      const socket = connect(server.port, '127.0.0.1', () => socket.write(bytes, () => socket.resetAndDestroy()));
      socket.on('close', () => resolve());
      socket.on('error', () => undefined);
    });
  }
  await serves(server);
});

test.each<[string, Buffer]>([
  ['a frame of reserved bits', Buffer.from([0xf1, 0x85, 1, 2, 3, 4, 5, 6, 7, 8, 9])],
  ['a frame without a mask', Buffer.from([0x81, 0x02, 0x7b, 0x7d])],
  ['text that is no UTF-8', Buffer.from([0x81, 0x82, 0, 0, 0, 0, 0xff, 0xfe])],
  ['a frame that says it is larger than the limit', Buffer.from([0x81, 0xff, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0])],
  ['a control frame in pieces', Buffer.from([0x09, 0x80, 0, 0, 0, 0])],
  ['a close frame with a wrong code', Buffer.from([0x88, 0x82, 0, 0, 0, 0, 0x00, 0x01])],
])('%s ends its connection, and nothing else', async (_name, frame) => {
  const { server } = await serve();
  const { socket } = new Window(server);
  await new Promise((resolve) => socket.once('open', resolve));
  const closed = new Promise((resolve) => socket.once('close', resolve));
  (socket as unknown as { _socket: { write(bytes: Buffer): void } })._socket.write(frame);
  await closed;
  await serves(server);
});

test('messages that are none, and files that cannot be read', async () => {
  const { server, dir } = await serve();
  mkdirSync(join(dir, 'folder.ts'));
  writeFileSync(join(dir, 'binary.ts'), Buffer.alloc(400));
  expect(spawnSync('mkfifo', [join(dir, 'pipe.ts')]).status).toBe(0);
  const { socket, messages } = new Window(server);
  await eventually(() => messages.find((message) => message.type === 'record'));
  const junk = [
    'null',
    '[]',
    '{"type":null}',
    '{"type":"__proto__"}',
    '{"type":"edit"}',
    '{"type":"cursor","moment":{}}',
  ];
  for (const text of junk) socket.send(text);
  for (const file of [
    'none.ts',
    'folder.ts',
    'binary.ts',
    'pipe.ts',
    '\u0000.ts',
    '../toll.ts',
    'toll.ts/x',
    'n'.repeat(300),
  ])
    for (const message of [
      { type: 'show', file, run: true },
      { type: 'edit', file, epoch: 'x', version: 0, client: 'x', first: 1, changes: [[[0, 'x']]] },
      { type: 'whole', file },
      { type: 'save', file },
      { type: 'settle', file, take: 'disk' },
      { type: 'inspect', file, line: 0 },
      { type: 'hover', ask: 1, file, line: 0, character: 0 },
      { type: 'complete', ask: 2, file, text: 'x' },
      { type: 'waiting', file },
      { type: 'reset', file, name: 'x' },
    ])
      socket.send(JSON.stringify(message));
  await eventually(() => messages.filter((message) => message.type === 'problem').length > 20);
  expect(readFileSync(join(dir, 'toll.ts'), 'utf8')).toBe('const rate = 4;\n');
  expect(messages.some((message) => message.type === 'problem' && message.code === 'E_INTERNAL')).toBe(false);
  await serves(server);
});

test('unsaved text that cannot be kept is said once, and the pad runs on', async () => {
  const blocked = folder({ state: 'a file where the folder should be' });
  const { server, dir } = await serve(join(blocked, 'state'));
  const window = new Window(server);
  await window.until('record', (message) => message.ended);
  for (const rate of ['1', '2', '3']) window.type(rate, 13, 14);
  await window.shows('3');
  expect(window.messages.filter((message) => message.type === 'problem').map((one) => one.code)).toEqual(['E_KEEP']);
  expect(await window.until('accepted')).toMatchObject({ kept: false });
  rmSync(join(blocked, 'state'));
  window.type('4.5', 13, 14);
  await window.until('accepted', (message) => message.kept);
  expect(new Journal(join(blocked, 'state', 'unsaved')).recall(join(dir, 'toll.ts'))?.text).toBe('const rate = 4.5;\n');
  window.socket.close();
});

test('a save over what another program wrote is refused until one of the texts is chosen', async () => {
  const { server, dir } = await serve();
  const file = join(dir, 'toll.ts');
  chmodSync(file, 0o640);
  const window = new Window(server);
  await window.until('record', (message) => message.ended);
  window.type('5', 13, 14);
  writeFileSync(file, 'const rate = 6;\r\n');
  window.send({ type: 'save', file: 'toll.ts' });
  await window.until('problem', (message) => message.code === 'E_CONFLICT');
  expect(readFileSync(file, 'utf8')).toBe('const rate = 6;\r\n');
  window.send({ type: 'settle', file: 'toll.ts', take: 'mine' });
  window.send({ type: 'save', file: 'toll.ts' });
  // With the line ends that the file has now.
  await eventually(() => readFileSync(file, 'utf8') === 'const rate = 5;\r\n');
  window.socket.close();
});

/** One of each message, as a page sends it. */
const MESSAGES: Record<string, unknown>[] = [
  { type: 'hello', format: 'usher-anvil/window@2', show: 'toll.ts' },
  { type: 'show', file: 'toll.ts', run: false },
  { type: 'edit', file: 'toll.ts', epoch: 'x', version: 0, client: 'x', first: 1, changes: [[16, [0, 'x']]] },
  { type: 'save', file: 'toll.ts' },
  { type: 'whole', file: 'toll.ts' },
  { type: 'settle', file: 'toll.ts', take: 'mine' },
  { type: 'execute' },
  { type: 'when', when: 'edit' },
  { type: 'drop' },
  { type: 'stop' },
  { type: 'alone', path: ['x'] },
  { type: 'inspect', file: 'toll.ts', line: 0 },
  { type: 'cursor', moment: 1 },
  { type: 'step', file: 'toll.ts', line: 0, character: 0, by: 1 },
  { type: 'hover', ask: 1, file: 'toll.ts', line: 0, character: 0 },
  { type: 'sees', file: 'toll.ts', from: 0, to: 40 },
  { type: 'follow', shape: 'x' },
  { type: 'look', ask: 1, request: { do: 'open', moment: 1, part: 0 } },
  { type: 'turn', name: 'x', value: 1 },
  { type: 'dials', do: 'write' },
  { type: 'act', action: { do: 'open-gate', id: 1 } },
  { type: 'act', action: { do: 'let-through', name: 'x' } },
  { type: 'data', name: 'x', text: 'x' },
  { type: 'sizes' },
  { type: 'types', on: false },
  { type: 'enter', ask: 1, file: 'toll.ts', text: '1', line: 0 },
  { type: 'complete', ask: 1, file: 'toll.ts', text: 'x' },
  { type: 'shut', file: 'toll.ts' },
  { type: 'undo' },
  { type: 'again', file: 'toll.ts' },
  { type: 'waiting', file: 'toll.ts', line: 0 },
  { type: 'reset', file: 'toll.ts', name: 'x' },
  { type: 'export', format: 'json' },
];
const WRONG: unknown[] = [
  ...[null, true, -1, 1e308, 0.5, '', 'x'.repeat(5_000), '../../etc/passwd', '\u0000', '__proto__', '\ud800'],
  ...[[], {}, [null], { toString: 1 }, { length: 1e9 }, [[[[]]]], { __proto__: null, constructor: 'x' }],
];

test('messages of every kind with one part wrong, missing or too much, at random', async () => {
  const { server, dir } = await serve();
  const window = new Window(server);
  await window.until('record', (message) => message.ended);
  const seed = Number(process.env.ANVIL_SEED ?? Math.floor(Date.now() / 1_000));
  let state = seed;
  const random = (most: number): number => (state = (state * 1_103_515_245 + 12_345) % 2 ** 31) % most;
  let sent = 0;
  for (const message of MESSAGES)
    for (const part of [...Object.keys(message), 'unknown'])
      for (let i = 0; i < 3; i++) {
        const wrong: Record<string, unknown> = { ...message, [part]: WRONG[random(WRONG.length)] };
        if (random(6) === 0) delete wrong[part];
        window.send(wrong);
        sent++;
      }
  expect(sent).toBeGreaterThan(250);
  // Edits that fit no text, in the text that is here.
  const { epoch, version } = window.messages.find((message) => message.type === 'text')!;
  for (const changes of [[[9]], [[[17, '']]], [[15, [1]], [99]], [[16, [0, 'x', 'y', 'z']]], [[0, [16]], [16]]])
    window.send({ type: 'edit', file: 'toll.ts', epoch, version, client: 'other', first: 1, changes });
  const later = new Window(server);
  const { text } = await later.until('text');
  await eventually(() => later.messages.find((message) => message.type === 'record' && message.ended));
  expect([seed, window.messages.filter((one) => one.type === 'problem' && one.code === 'E_INTERNAL')]).toEqual([
    seed,
    [],
  ]);
  expect(readFileSync(join(dir, 'toll.ts'), 'utf8')).toMatch(/^(const rate = 4;\n)|x/);
  expect(text).toEqual(expect.any(String));
  await serves(server);
});
