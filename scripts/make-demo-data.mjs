// Makes the demo data of the Wenlow Canal. Seeded: the same on every machine.
import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

let seed = 31018;
/** Park and Miller's generator: uniform in (0, 1). */
const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
const pick = (list) => list[Math.floor(random() * list.length)];
const between = (low, high, digits = 1) => Number((low + random() * (high - low)).toFixed(digits));

const KINDS = ['slate', 'timber', 'grain', 'lime'];
const boats = ['Heron', 'Otter', 'Kestrel', 'Plover', 'Dunlin', 'Teal'].map((name) => ({
  name,
  length: between(9, 23),
  draft: between(0.7, 1.9),
  cargo: Array.from({ length: 1 + Math.floor(random() * 2) }, () => ({ kind: pick(KINDS), tonnes: Math.round(between(2, 24)) })),
}));

const file = fileURLToPath(new URL('../examples/tolls/boats.json', import.meta.url));
writeFileSync(file, `${JSON.stringify(boats, null, 2)}\n`);
