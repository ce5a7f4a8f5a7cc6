// Passages of heavy barges: a filter. Paste another log, or: usher-anvil run heavy.ts --input june.log --result
import { input, dial } from 'usher-anvil/pad';

const lines = input.lines; //~ from: passages.log
const least = dial('least tonnes', 20, { min: 0, max: 60, step: 5 });

const passages = lines.flatMap((line) => {
  const [at = '', lock = '', , barge = '', cargo = ''] = line.split(/\s{2,}/);
  const tonnes = cargo.split(' + ').reduce((sum, load) => sum + Number(load.split(' ')[1]), 0);
  return tonnes > 0 ? [{ at, lock, barge, tonnes }] : [];
}); //~ keep:
const broken = lines.length - passages.length;

const heavy = passages.filter(({ tonnes }) => tonnes >= least);
const counts = new Map<string, number>();
for (const { barge } of heavy) counts.set(barge, (counts.get(barge) ?? 0) + 1);

export default [...counts].map(([barge, trips]) => ({ barge, trips })).sort((a, b) => b.trips - a.trips);
