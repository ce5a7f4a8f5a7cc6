/** Runs that are longer than their budget of memory: the newest part is kept, and what is shown there is as it was. */
import { join } from 'node:path';
import { runPad } from 'usher-anvil';
import { valueText, walk, type Walk } from 'usher-anvil/record';
import { folder } from './harness.js';

const LONG = `let total = 0
let kept = 'from the begin'
const lock = { level: 0, name: 'Weir' }
const seen = []
function counter(from) {
  let count = from
  return (by) => {
    count += by
    return count
  }
}
const count = counter(100)
function pass(i) {
  const twice = i * 2
  total += twice
  lock.level = i
  if (i % 500 === 0) seen.push(i)
  return count(1)
}
async function later(name) {
  const mine = name + '!'
  for (let i = 0; i < 3; i++) {
    await null
    for (let j = 0; j < 2000; j++) pass(j)
  }
  return mine
}
const said = await later('heron')
if (total > 0) throw new Error(kept + said)
`;

function seen(run: Walk, index: number): Record<string, string> {
  const all = run.variables(index).map(({ name, value }) => [name, valueText(value)] as const);
  return Object.fromEntries(all.sort(([a], [b]) => (a < b ? -1 : 1)));
}

test('what is kept shows the same as a run that was kept whole, at every step', async () => {
  const file = join(folder({ 'long.mjs': LONG }), 'long.mjs');
  const whole = walk(await runPad({ file, depth: 'steps', stepsMb: 400 }))!;
  const some = walk(await runPad({ file, depth: 'steps', stepsMb: 1 }))!;
  expect(whole.folded.steps).toBe(0);
  expect(some.folded.steps).toBeGreaterThan(10_000);
  expect(some.folded.frames).toBeGreaterThan(1_000);
  expect(some.length + some.folded.steps).toBe(whole.length);
  const differing: unknown[] = [];
  // Where a frame stood that goes on is kept from before as well.
  for (let at = 20; at < some.length; at += 7) {
    const there = whole.length - (some.length - at);
    const [a, b] = [seen(some, at), seen(whole, there)];
    // No function refers to these: while their frame waits, or once it has ended, the engine does not tell them.
    for (const name of ['kept', 'from']) if (!(name in a)) delete b[name];
    if (JSON.stringify(a) !== JSON.stringify(b)) differing.push({ at, some: a, whole: b });
    const stacks = [some, whole].map((run, i) => run.stack(i === 0 ? at : there).map(({ name }) => name));
    expect(stacks[0]).toEqual(stacks[1]);
  }
  expect(differing.slice(0, 3)).toEqual([]);
  const end = some.length - 1;
  expect(seen(some, end)).toMatchObject({ kept: "'from the begin'", said: "'heron!'" });
  expect(some.setBy(end, 'kept')).toBeUndefined();
  expect(some.setBy(end, 'total')).toBe(whole.setBy(whole.length - 1, 'total')! - some.folded.steps);
});
