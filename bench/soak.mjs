// Soaks: many edits of one pad in a real server, and a live program that prints for long. Tells memory, handles and files.
import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import WebSocket from 'ws';

const CLI = fileURLToPath(new URL('../dist/bin/main.js', import.meta.url));
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

function measure(pid, folder) {
  const status = readFileSync(`/proc/${pid}/status`, 'utf8');
  const count = (path) => {
    try {
      return readdirSync(path, { recursive: true }).length;
    } catch {
      return 0;
    }
  };
  const children = readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim().split(/\s+/).filter(Boolean);
  return {
    mb: Math.round(Number(/VmRSS:\s*(\d+)/.exec(status)[1]) / 1024),
    handles: count(`/proc/${pid}/fd`),
    processes: children.length,
    files: count(folder),
  };
}

/** Edits a pad so many times through the protocol; five measurements on the way. */
export async function soakEdits(edits = 20_000) {
  const dir = mkdtempSync(join(tmpdir(), 'anvil-soak-'));
  writeFileSync(join(dir, 'pad.js'), 'let level = 0\nconst all = [level, level * 2]\nconsole.log(all)\n');
  const server = spawn(process.execPath, [CLI, 'open', 'pad.js'], {
    cwd: dir,
    env: { ...process.env, XDG_STATE_HOME: join(dir, 'state'), NODE_OPTIONS: '' },
  });
  const url = new URL(
    /http:\S+/.exec(await new Promise((resolve) => server.stdout.once('data', (data) => resolve(String(data)))))[0],
  );
  const socket = new WebSocket(`ws://${url.host}/window?token=${url.searchParams.get('token')}`, {
    origin: url.origin,
  });
  let epoch;
  let version = 0;
  let next;
  let records = 0;
  socket.on('message', (data) => {
    const message = JSON.parse(String(data));
    if (message.type === 'text') ({ epoch, version } = message);
    if (message.type === 'record') records++;
    if (message.type === 'accepted' && message.updates.some((one) => one.client === 'soak')) next?.();
  });
  await new Promise((resolve) => socket.once('open', resolve));
  socket.send(JSON.stringify({ type: 'hello', format: 'usher-anvil/window@2' }));
  while (epoch === undefined) await wait(20);
  const measured = [];
  let digits = 1;
  let length = readFileSync(join(dir, 'pad.js'), 'utf8').length;
  for (let i = 1; i <= edits; i++) {
    const text = String(i % 9_973);
    const change = [12, [digits, text], length - 12 - digits];
    length += text.length - digits;
    digits = text.length;
    const taken = new Promise((resolve) => (next = resolve));
    socket.send(
      JSON.stringify({
        type: 'edit',
        file: 'pad.js',
        epoch,
        version: version++,
        client: 'soak',
        first: i,
        changes: [change],
      }),
    );
    await taken;
    if (i % 50 === 0) await wait(5);
    if (i % Math.floor(edits / 5) === 0) measured.push({ edits: i, ...measure(server.pid, dir) });
  }
  socket.close();
  server.kill('SIGTERM');
  return { measured, records };
}

/** A live program that prints what another prints in ten hours, at a line each 20 ms, as fast as it can. */
export async function soakOutput(lines = 1_800_000) {
  const dir = mkdtempSync(join(tmpdir(), 'anvil-soak-'));
  writeFileSync(
    join(dir, 'chamber.mjs'),
    `let n = 0
     const step = () => { for (let i = 0; i < 200 && n < ${lines}; i++) console.log('level', n++ % 97, { n }); if (n < ${lines}) setImmediate(step); else console.error('done') }
     step()
     setInterval(() => 0, 1000)`,
  );
  const live = spawn(process.execPath, [CLI, 'live', 'chamber.mjs'], {
    cwd: dir,
    env: {
      ...process.env,
      USHER_ANVIL_TARGETS: join(dir, 'targets'),
      XDG_STATE_HOME: join(dir, 'state'),
      NODE_OPTIONS: '',
    },
  });
  let printed = 0;
  live.stdout.on('data', (data) => (printed += data.length));
  let done = false;
  live.stderr.on('data', (data) => (done ||= String(data).includes('done')));
  const measured = [];
  let seen = 0;
  while (!done) {
    await wait(500);
    if (printed - seen > lines * 4.5 || done) {
      seen = printed;
      measured.push({ mbPrinted: Math.round(printed / 1e6), ...measure(live.pid, dir) });
    }
  }
  live.kill('SIGTERM');
  return { measured };
}
