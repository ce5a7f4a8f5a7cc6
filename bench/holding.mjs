// What breakpoints and held calls cost: one program, one function called as often as it can be, without and with each.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createLive } from '../dist/hosts/node/index.js';

const PROGRAM = `let sum = 0
const queue = []
function charge(tonnes, rate) {
  const part = tonnes * rate
  sum += part
  return part
}
async function settle(tonnes) {
  return tonnes + 1
}
export function round(count) {
  const begin = performance.now()
  for (let i = 0; i < count; i++) charge(i & 31, 3)
  return performance.now() - begin
}
export async function asyncRound(count) {
  const begin = performance.now()
  for (let i = 0; i < count; i++) await settle(i)
  return performance.now() - begin
}
setInterval(() => undefined, 1_000)
console.log('ready')
`;

const median = (list) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)];

/** Nanoseconds of one call, by what stands in its way; medians of `rounds`. */
export async function holdingBench(dir, rounds = 15) {
  const file = join(dir, 'charge.mjs');
  writeFileSync(file, PROGRAM);
  let output = '';
  const live = createLive({ file, cwd: dir, stdio: 'pipe', onOutput: (_, text) => (output += text) });
  const { session } = live;
  session.start(() => undefined);
  while (!output.includes('ready')) await new Promise((resolve) => setTimeout(resolve, 20));
  const measure = async (code, count) => {
    const times = [];
    for (let i = 0; i < rounds; i++) {
      const entered = await session.evaluate(file, code);
      if (entered.is !== 'done') throw new Error(JSON.stringify(entered));
      times.push((Number(entered.result.value.text) * 1e6) / count);
    }
    return median(times);
  };
  const plain = () => measure('round(1_000_000)', 1_000_000);
  const waits = () => measure('await asyncRound(50_000)', 50_000);
  const line = PROGRAM.split('\n').findIndex((one) => one.includes('sum += part'));
  const rows = [];
  await plain();
  rows.push(['nothing', await plain(), await waits()]);
  const conditions = {
    'a condition that never holds': { condition: 'tonnes > 1_000' },
    'a condition that calls': { condition: 'String(tonnes).length > 9' },
    'a count that is never reached': { after: 1_000_000_000 },
  };
  for (const [name, asked] of Object.entries(conditions)) {
    const { id, state } = await session.pausing.set({ file, line, ...asked });
    if (state !== 'set') throw new Error(state);
    rows.push([name, await plain(), await waits()]);
    await session.pausing.remove(id);
  }
  await session.held.switchTo('on');
  rows.push(['calls that fail are held', await plain(), await waits()]);
  await session.held.switchTo('off');
  rows.push(['nothing again', await plain(), await waits()]);
  const takes = [];
  for (let i = 0; i < rounds; i++) {
    const stood = new Promise((resolve) => {
      const end = session.pausing.listen((event) => event.is === 'paused' && (end(), resolve(performance.now())));
    });
    const { id } = await session.pausing.set({ file, line });
    const begin = performance.now();
    void session.evaluate(file, 'setTimeout(round, 0, 1)');
    takes.push((await stood) - begin);
    await session.pausing.remove(id);
    await session.pausing.go({ how: 'on' });
  }
  session.stop();
  return { rows, standsMs: median(takes) };
}
