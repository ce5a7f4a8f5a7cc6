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
  cargo: Array.from({ length: 1 + Math.floor(random() * 2) }, () => ({
    kind: pick(KINDS),
    tonnes: Math.round(between(2, 24)),
  })),
}));

const file = fileURLToPath(new URL('../examples/tolls/boats.json', import.meta.url));
writeFileSync(file, `${JSON.stringify(boats, null, 2)}\n`);

// The passage log: one passage a line, a few broken lines, and the trailing empty one that catches everybody.
const LOCKS = ['Alder', 'Birch', 'Cress', 'Dun', 'Elm'];
const KEEPERS = ['A.M.', 'B.T.', 'K.R.', 'S.W.'];
const lines = [];
let minute = 0;
for (let i = 0; i < 4200; i++) {
  minute += 20 + Math.floor(random() * 208);
  const at = new Date(Date.UTC(2031, 0, 1) + minute * 60_000).toISOString().slice(0, 16);
  const boat = pick(boats);
  const loads = boat.cargo.map(({ kind, tonnes }) => `${kind} ${tonnes}`).join(' + ');
  lines.push(
    `${at}  ${pick(LOCKS).padEnd(5)}  ${random() < 0.5 ? 'up  ' : 'down'}  ${boat.name.padEnd(7)}  ${loads.padEnd(22)}  ${pick(KEEPERS)}`,
  );
}
lines[311] = lines[311].replace(/ {2}(up|down)/, '');
lines[1204] = '???';
lines[2077] = lines[2077].slice(0, 19);
lines[3500] = lines[3500].replace(/(slate|timber|grain|lime) \d+/, '$1 a lot');
writeFileSync(fileURLToPath(new URL('../examples/passages/passages.log', import.meta.url)), `${lines.join('\n')}\n`);
