/** A live program that nobody looks at: it keeps nothing in memory that a plain one lets go, and recurses as deep. */
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { folder, root } from './harness.js';

const flags = { NODE_OPTIONS: '--expose-gc', NO_COLOR: '1' };

/** What a program prints by itself, and as a live program. */
function both(text: string, file = 'gate.mjs'): { plain: string; live: string } {
  const dir = folder({ [file]: text });
  const run = (args: string[]): string => {
    const { stdout, stderr } = spawnSync(process.execPath, args, {
      cwd: dir,
      encoding: 'utf8',
      env: { ...process.env, ...flags },
    });
    if (stderr !== '') throw new Error(stderr);
    return stdout;
  };
  return { plain: run([file]), live: run([join(root, 'dist/bin/main.js'), 'live', file]) };
}

/** Rests until nothing is collected any more, and then tells. */
const REST = `const rest = async () => { for (let i = 0; i < 6; i++) { gc(); await new Promise((done) => setTimeout(done, 20)); } };`;

test('a handler keeps what it uses, and not what stands beside that', () => {
  const { plain, live } = both(`${REST}
const kept = [];
function handler(i) { const buffer = new Uint8Array(200_000); const size = buffer.length + i; return () => size; }
const arrow = (i) => { const buffer = new Uint8Array(200_000); const size = buffer.length + i; return { size: () => size }; };
class Lock { level = 1; watch(i) { const buffer = new Uint8Array(200_000); const size = buffer.length; return () => this.level + size + i; } }
const lock = new Lock();
for (let i = 0; i < 60; i++) { kept.push(handler(i), arrow(i).size, lock.watch(i)); for (let k = 0; k < 2; k++) { const more = new Uint8Array(100_000); const n = more.length + k; kept.push(() => n); } }
await rest();
console.log(process.memoryUsage().arrayBuffers < 2_000_000 ? 'let go' : 'kept', kept.reduce((sum, one) => sum + one(), 0));
`);
  expect(plain).toMatch(/^let go /);
  expect(live).toBe(plain);
});

test('what nobody holds any more is finalized', () => {
  const { plain, live } = both(`${REST}
let gone = 0;
const registry = new FinalizationRegistry(() => gone++);
function passage(i) { const barge = { name: 'Heron', i }; registry.register(barge, i); const toll = barge.i * 2; return () => toll; }
const tolls = Array.from({ length: 50 }, (_, i) => passage(i));
await rest();
console.log(gone >= 49 ? 'finalized' : gone, tolls[7]());
`);
  expect(plain).toBe('finalized 14\n');
  expect(live).toBe(plain);
});

test('recursion goes nearly as deep', () => {
  const { plain, live } = both(`
function down(n) { return n === 0 ? 0 : 1 + down(n - 1); }
const walk = (node) => (node === null ? 0 : 1 + walk(node.next));
class Reach { constructor(next) { this.next = next; } length() { return this.next ? this.next.length() + 1 : 1; } }
const deepest = (run) => { let low = 100, high = 100_000; while (low < high - 20) { const middle = (low + high) >> 1; try { run(middle); low = middle; } catch { high = middle; } } return low; };
const list = (n) => { let head = null; for (let i = 0; i < n; i++) head = { next: head }; return head; };
const reaches = (n) => { let head = null; for (let i = 0; i < n; i++) head = new Reach(head); return head; };
console.log(JSON.stringify([deepest(down), deepest((n) => walk(list(n))), deepest((n) => reaches(n).length())]));
`);
  const depths = (text: string): number[] => JSON.parse(text) as number[];
  depths(live).forEach((depth, index) => expect(depth / depths(plain)[index]!).toBeGreaterThan(0.75));
});
