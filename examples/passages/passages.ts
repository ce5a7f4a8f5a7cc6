// The passage log, line by line to tonnes by lock. Click a stage to look into it; find the lines that are broken.
import { readFileSync } from 'node:fs';
import { plot, table } from 'usher-anvil/pad';

const log = readFileSync(new URL('./passages.log', import.meta.url), 'utf8');

interface Passage {
  at: Date;
  lock: string;
  way: string;
  boat: string;
  tonnes: number;
}

function parse(line: string): Passage {
  const [at = '', lock = '', way = '', boat = '', cargo = ''] = line.split(/\s{2,}/);
  let tonnes = 0;
  for (const load of cargo.split(' + ')) tonnes += Number(load.split(' ')[1]);
  return { at: new Date(`${at}Z`), lock, way, boat, tonnes };
}

const passages = log
  .split('\n')
  .map((line) => parse(line))
  .filter((passage) => passage.tonnes > 0);

const broken = log.split('\n').filter((line) => !(parse(line).tonnes > 0)); //~ it.length
parse(broken[0] ?? ''); //~

const byLock = new Map<string, number>();
for (const { lock, tonnes } of passages) byLock.set(lock, (byLock.get(lock) ?? 0) + tonnes);

table(
  [...byLock].map(([lock, tonnes]) => ({ lock, tonnes })),
  'Tonnes by lock',
);
const months = Array.from({ length: 12 }, (_, month) => passages.filter((passage) => passage.at.getUTCMonth() === month).length);
plot(months, 'Passages by month');

console.log('%d passages, %d broken lines', passages.length, broken.length);
