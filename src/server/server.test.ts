import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import WebSocket from 'ws';
import { startServer, type WorkbenchServer } from '#dist/server/server.js';
import { eventually, folder, wait } from '../../test/harness.js';
import { Window } from '../../test/window.js';

const running: WorkbenchServer[] = [];
afterEach(async () => {
  await Promise.all(running.splice(0).map((server) => server.close()));
});

async function serve(
  files: Record<string, string> = { 'toll.ts': 'const rate = 4;\n' },
  state = folder(),
): Promise<{ server: WorkbenchServer; dir: string; state: string }> {
  const dir = folder(files);
  const server = await startServer({ root: dir, pad: join(dir, Object.keys(files)[0]!), state });
  running.push(server);
  return { server, dir, state };
}

function get(
  server: WorkbenchServer,
  path: string,
  headers: Record<string, string> = {},
): Promise<{ status: number; body: string; headers: Record<string, unknown> }> {
  return new Promise((resolve, reject) => {
    const asked = request({ host: '127.0.0.1', port: server.port, path, headers }, (response) => {
      let body = '';
      response.on('data', (chunk: Buffer) => (body += chunk.toString()));
      response.on('end', () => resolve({ status: response.statusCode!, body, headers: response.headers }));
    });
    asked.on('error', reject);
    asked.end();
  });
}

describe('the door', () => {
  test('wants its token, its own host and its own origin', async () => {
    const { server } = await serve();
    const own = { host: `127.0.0.1:${server.port}` };
    expect((await get(server, `/?token=${server.token}`, own)).status).toBe(200);
    expect((await get(server, '/', own)).status).toBe(401);
    expect((await get(server, '/?token=wrong', own)).status).toBe(401);
    expect((await get(server, `/?token=${server.token}`, { host: 'canal.example' })).status).toBe(403);
    expect((await get(server, `/?token=${server.token}`, { ...own, origin: 'http://canal.example' })).status).toBe(403);
    expect((await get(server, '/assets/../server/server.js', own)).status).toBeGreaterThanOrEqual(403);
  });

  test('sends a policy that lets no foreign script in', async () => {
    const { server } = await serve();
    const { headers, body } = await get(server, `/?token=${server.token}`, { host: `127.0.0.1:${server.port}` });
    const policy = String(headers['content-security-policy']);
    expect(policy).toMatch(/default-src 'none'; script-src 'self';/);
    expect(policy).not.toMatch(/unsafe/);
    expect(policy).toContain("frame-ancestors 'self'");
    expect(body).not.toContain('__NONCE__');
    expect(headers['x-content-type-options']).toBe('nosniff');
  });

  test.each([
    ['no token', (port: number) => [`ws://127.0.0.1:${port}/window`, `http://127.0.0.1:${port}`], 401],
    [
      'a foreign origin',
      (port: number, token: string) => [`ws://127.0.0.1:${port}/window?token=${token}`, 'http://canal.example'],
      403,
    ],
    ['no origin', (port: number, token: string) => [`ws://127.0.0.1:${port}/window?token=${token}`, undefined], 403],
  ] as const)('a window with %s is refused', async (_name, address, status) => {
    const { server } = await serve();
    const [url, origin] = address(server.port, server.token);
    const socket = new WebSocket(url!, origin === undefined ? {} : { origin });
    const answer = await new Promise<number>((resolve) => {
      socket.on('unexpected-response', (_request, response) => resolve(response.statusCode!));
      socket.on('error', () => undefined);
    });
    expect(answer).toBe(status);
  });

  test('listens on the loopback address only', async () => {
    const { server } = await serve();
    expect(new URL(server.url).hostname).toBe('127.0.0.1');
    await expect(startServer({ root: folder(), port: server.port, state: folder() })).rejects.toMatchObject({
      code: 'E_PORT',
    });
  });

  test('messages it does not know change nothing, and files outside stay closed', async () => {
    const { server } = await serve();
    const window = new Window(server);
    await window.until('record');
    window.send({ type: 'format the disk' });
    expect(await window.until('problem')).toMatchObject({ code: 'E_MESSAGE' });
    window.send({ type: 'show', file: '../../../../../../etc/hostname', run: false });
    expect(await window.until('problem', (message) => message.code === 'E_NOT_FOUND')).toMatchObject({
      code: 'E_NOT_FOUND',
    });
  });
});

describe('a window', () => {
  test('gets the text and the record; an edit brings the next record, unsaved', async () => {
    const { server, dir } = await serve();
    const window = new Window(server);
    expect(await window.until('text')).toMatchObject({ file: 'toll.ts', text: 'const rate = 4;\n', unsaved: false });
    await window.until('record', (message) => message.ended);
    window.type('5', 13, 14);
    expect(await window.shows('5')).toMatchObject({ version: 1, outcome: 'ok' });
    expect(await window.until('state')).toMatchObject({ unsaved: true });
    expect(readFileSync(join(dir, 'toll.ts'), 'utf8')).toBe('const rate = 4;\n');
    window.send({ type: 'save', file: 'toll.ts' });
    await window.until('state', (message) => !message.unsaved);
    expect(readFileSync(join(dir, 'toll.ts'), 'utf8')).toBe('const rate = 5;\n');
  });

  test('of a long text the lines on its screen come first, others when they are scrolled to, and all in a pause', async () => {
    const text = Array.from({ length: 1_000 }, (_, i) => `const depth${i} = ${i} * 2;`).join('\n');
    const { server } = await serve({ 'toll.ts': `const rate = 4;\n${text}\n` });
    const window = new Window(server);
    const first = await window.until('record', (one) => one.ended);
    expect(first.lines).toHaveLength(1_001);
    expect(first.part).toBeUndefined();
    window.send({ type: 'sees', file: 'toll.ts', from: 100, to: 140 });
    window.type('5', 13, 14);
    const part = await window.until('record', (one) => one.ended && one.part !== undefined);
    expect(part.part).toEqual({ from: 40, to: 200 });
    expect(part.lines.map(({ line }) => line)).toEqual(Array.from({ length: 160 }, (_, i) => i + 40));
    window.send({ type: 'sees', file: 'toll.ts', from: 700, to: 740 });
    const next = await window.until('record', (one) => one.part?.from === 640);
    expect(next.lines[0]).toMatchObject({ line: 640, items: [{ text: '1278' }] });
    const whole = await window.until('record', (one) => one.part === undefined && one.lines[0]!.items[0]!.text === '5');
    expect(whole.lines).toHaveLength(1_001);
  });

  test('a second window sees the edits of the first', async () => {
    const { server } = await serve();
    const [first, second] = [new Window(server), new Window(server)];
    await Promise.all([first.until('record'), second.until('record')]);
    first.type('6', 13, 14);
    await eventually(() => second.text === 'const rate = 6;\n');
    expect(await second.until('state')).toMatchObject({ unsaved: true });
    expect((await second.shows('6')).version).toBe(1);
  });

  test('unsaved text comes back after the server died, and is private to its owner', async () => {
    const { server, dir, state } = await serve();
    const window = new Window(server);
    await window.until('record');
    window.type('const rate = 77; // not saved\n');
    const unsaved = join(state, 'unsaved');
    await eventually(() => existsSync(unsaved) && readdirSync(unsaved).length > 0);
    const again = await startServer({ root: dir, pad: join(dir, 'toll.ts'), state });
    running.push(again);
    const later = new Window(again);
    expect(await later.until('text')).toMatchObject({
      text: 'const rate = 77; // not saved\n',
      unsaved: true,
      restored: true,
    });
    expect((await later.until('record', (message) => message.ended)).lines[0]!.items[0]!.text).toBe('77');
    later.send({ type: 'settle', file: 'toll.ts', take: 'disk' });
    await later.until('state', (message) => !message.unsaved);
    expect(later.text).toBe('const rate = 4;\n');
    expect(readdirSync(unsaved)).toEqual([]);
  });

  test('a change on disk is taken over, or asked about when there are unsaved edits', async () => {
    const { server, dir } = await serve();
    const window = new Window(server);
    await window.until('record', (message) => message.ended);
    await wait(150);
    writeFileSync(join(dir, 'toll.ts'), 'const rate = 8;\n');
    await eventually(() => window.text === 'const rate = 8;\n');
    window.type('9', 13, 14);
    await window.until('state', (message) => message.unsaved);
    writeFileSync(join(dir, 'toll.ts'), 'const rate = 10;\n');
    expect(await window.until('state', (message) => message.conflict)).toMatchObject({ other: 'const rate = 10;\n' });
    window.send({ type: 'settle', file: 'toll.ts', take: 'mine' });
    await window.until('state', (message) => !message.conflict && message.unsaved);
    expect(readFileSync(join(dir, 'toll.ts'), 'utf8')).toBe('const rate = 10;\n');
  });

  test('shows a module as a part of the pad, and all visits of a line', async () => {
    const { server } = await serve({
      'toll.ts': "import { double } from './double';\nfor (let i = 0; i < 5; i++) double(i);\n",
      'double.ts': 'export const double = (n: number) => n * 2;\n',
    });
    const window = new Window(server);
    await window.until('record', (message) => message.ended);
    window.send({ type: 'show', file: 'double.ts', run: false });
    const record = await window.until('record', (message) => message.file === 'double.ts' && message.ended);
    expect(record.pad).toBe('toll.ts');
    window.send({ type: 'inspect', file: 'double.ts', line: 0 });
    const { histories } = await window.until('inspected');
    expect(histories[0]!.samples.map((sample) => [sample.visit, sample.text])).toEqual([
      [1, '0'],
      [2, '2'],
      [3, '4'],
      [4, '6'],
      [5, '8'],
    ]);
  });
});
