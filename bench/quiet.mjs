// What a live program that nobody looks at has beside a plain one: how deep it recurses, and what it keeps in memory; each
// also after all of its functions were looked at for a while.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, realpathSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createLive } from '../dist/hosts/node/index.js';

/** Milliseconds before the server begins, and in which it serves. */
const BEGIN_MS = 1_200;
const SERVED_MS = 6_000;
/** Looks in all: what a single one leaves is code that was compiled; what each one leaves would be a leak. */
const LOOKS = 6;

const cli = fileURLToPath(new URL('../dist/bin/main.js', import.meta.url));

const DEPTHS = `
const deepest = (run) => { let low = 100, high = 100_000; while (low < high - 20) { const middle = (low + high) >> 1; try { run(middle); low = middle; } catch { high = middle; } } return low; };
function down(n) { return n === 0 ? 0 : 1 + down(n - 1); }
class Reach { constructor(next) { this.next = next; } length() { return this.next ? this.next.length() + 1 : 1; } }
const reaches = (n) => { let head = null; for (let i = 0; i < n; i++) head = new Reach(head); return head; };
function parse(text, at) { const close = text[at] === '(' ? parse(text, at + 1) : at; return text[close] === ')' ? close + 1 : close; }
console.log(JSON.stringify({ 'a function': deepest(down), 'a method': deepest((n) => reaches(n).length()), 'a parser': deepest((n) => parse('('.repeat(n) + ')'.repeat(n), 0)) }));
`;

/** A server's kind of program: handlers that come and go, each beside much that it does not use. */
const MEMORY = `
const held = new Map();
function handler(i) { const buffer = new Uint8Array(2_000); const table = Array.from({ length: 50 }, (_, n) => ({ n, i })); const size = buffer.length + table.length; return () => size + i; }
const lock = (i) => { const log = new Array(200).fill(i); let level = log.length; return { rise() { level++; return level; } }; };
let turn = 0;
function serve() { for (let k = 0; k < 200; k++) { const key = turn % 2_000; held.set(key, { call: handler(turn), lock: lock(turn) }); turn++; held.get(key).call(); held.get(key).lock.rise(); } }
setTimeout(() => setInterval(serve, 2), 2_000);
process.on('SIGUSR2', () => { const tell = () => { gc(); gc(); gc(); const { heapUsed, arrayBuffers } = process.memoryUsage(); console.log('kept ' + (heapUsed + arrayBuffers)); }; gc(); setTimeout(tell, 50); });
`;

const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/** Megabytes of heap and buffers after so long and after a collection; the least of four, which come at other moments. */
async function keptAfter(ms, output, pid) {
  await wait(ms);
  let least = Infinity;
  for (let i = 0; i < 4; i++) {
    const from = output().length;
    process.kill(pid, 'SIGUSR2');
    let found;
    while (!(found = /kept (\d+)\n/.exec(output().slice(from)))) await wait(10);
    least = Math.min(least, Number(found[1]) / 1e6);
    await wait(150);
  }
  return least;
}

/** @returns the rows of both tables */
export async function quietBench() {
  const dir = realpathSync(mkdtempSync(join(tmpdir(), 'quiet-')));
  const env = { ...process.env, NODE_OPTIONS: '--expose-gc' };
  try {
    writeFileSync(join(dir, 'depths.mjs'), DEPTHS);
    writeFileSync(join(dir, 'server.mjs'), MEMORY);
    const depthsOf = (args) => JSON.parse(spawnSync(process.execPath, args, { cwd: dir, encoding: 'utf8' }).stdout);
    const [plain, ours] = [depthsOf(['depths.mjs']), depthsOf([cli, 'live', 'depths.mjs'])];
    const depths = Object.keys(plain).map((name) => [
      name,
      plain[name],
      ours[name],
      (ours[name] / plain[name]).toFixed(2),
    ]);

    let text = '';
    const child = spawn(process.execPath, ['server.mjs'], { cwd: dir, env });
    child.stdout.on('data', (data) => (text += data));
    const alone = { begin: await keptAfter(BEGIN_MS, () => text, child.pid) };
    alone.served = await keptAfter(SERVED_MS, () => text, child.pid);
    child.kill();

    let printed = '';
    const file = join(dir, 'server.mjs');
    const live = createLive({ file, env, stdio: 'pipe', onOutput: (_stream, chunk) => (printed += chunk) });
    let ended = () => undefined;
    const end = new Promise((resolve) => (ended = resolve));
    live.session.start(() => ended());
    const now = (ms) => keptAfter(ms, () => printed, live.pid());
    const begin = await now(BEGIN_MS);
    const memory = [
      ['plain', alone.begin, alone.served],
      ['live', begin, await now(SERVED_MS)],
    ];
    await live.session.observe(file);
    memory.push(['live, looked at', begin, await now(SERVED_MS / 2)]);
    await live.session.unobserve(file);
    memory.push(['live, when nobody looks any more', begin, await now(SERVED_MS)]);
    for (let look = 1; look < LOOKS; look++) {
      await live.session.observe(file);
      await wait(SERVED_MS / 4);
      await live.session.unobserve(file);
    }
    memory.push([`live, after ${String(LOOKS)} looks`, begin, await now(SERVED_MS)]);
    live.session.stop();
    await end;
    const more = alone.served - alone.begin;
    const row = ([name, from, to]) => [name, from.toFixed(2), to.toFixed(2), ((to - from) / more).toFixed(2)];
    return { depths, memory: memory.map(row) };
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
}
