// The nine programs whose cost under instrumentation is measured: four of real code, five of the demo's kind.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';

const require = createRequire(import.meta.url);
const acornFile = join(dirname(require.resolve('acorn')), 'acorn.js');
const decimalFile = join(dirname(require.resolve('decimal.js')), 'decimal.js');
const beautifyFile = join(dirname(require.resolve('js-beautify')), 'lib/beautify.js');
const csvFile = join(dirname(require.resolve('csv-parse')), 'sync.cjs');
const acornText = readFileSync(acornFile, 'utf8');
const decimalText = readFileSync(decimalFile, 'utf8');

const tolls = `
const rates = { slate: 65, timber: 50, lime: 40 };
const boats = Array.from({ length: 200 }, (_, i) => ({ name: 'boat ' + i, length: 9 + (i % 14), draft: 0.7 + (i % 10) / 8, cargo: [{ kind: 'slate', tonnes: i % 20 }, { kind: ['timber', 'lime', 'grain'][i % 3], tonnes: i % 9 }] }));
function classToll(barge) { if (barge.length > 20 || barge.draft > 1.6) return 900; return barge.length > 14 ? 600 : 350; }
function cargoToll(barge) { let sum = 0; for (const { kind, tonnes } of barge.cargo) { const rate = rates[kind] ?? 80; sum += tonnes * rate; } return sum; }
function tollFor(barge, hour, passages = 1) { const byNight = hour >= 22 || hour < 5; const full = (classToll(barge) + cargoToll(barge)) * (byNight ? 1.5 : 1); return Math.round(full * (passages > 5 ? 0.9 : 1)); }
module.exports = () => { let total = 0; for (let day = 0; day < 20; day++) for (const barge of boats) total += tollFor(barge, day % 24, day % 9); return total; };
`;

const soundings = `
function noise(x, y) { const n = Math.sin(x * 12.9898 + y * 78.233) * 43758.5453; return n - Math.floor(n); }
function depth(x, y) { let sum = 0, scale = 1, weight = 0.5; for (let octave = 0; octave < 4; octave++) { const fx = Math.floor(x * scale), fy = Math.floor(y * scale); sum += noise(fx, fy) * weight; scale *= 2; weight /= 2; } return sum; }
module.exports = () => { let deepest = 0; for (let y = 0; y < 90; y++) { for (let x = 0; x < 120; x++) { const here = depth(x / 20, y / 20); if (here > deepest) deepest = here; } } return deepest; };
`;

const ledger = ['boat,cargo,tonnes,note']
  .concat(Array.from({ length: 400 }, (_, i) => `"boat ${i}",slate,${i % 30},"lock ${i % 14}, ""upper"" gate"`))
  .join('\n');

const handlers = `
function chamber(number) { let level = 0; const heard = []; const on = (handler) => { heard.push(handler); return () => heard.length; };
  const fill = (by) => { level += by; for (const handler of heard) handler(level, number); return level; }; return { on, fill, get level() { return level; } }; }
module.exports = () => { let sum = 0; for (let n = 0; n < 40; n++) { const one = chamber(n); one.on((level) => { sum += level; }); one.on((level, number) => { if (level > 3) sum -= number; }); for (let i = 0; i < 30; i++) one.fill(i % 3); sum += one.level; } return sum; };
`;

const reaches = `
const tree = (depth) => (depth === 0 ? { metres: 7 } : { metres: depth, left: tree(depth - 1), right: tree(depth - 1) });
const canal = tree(13);
function metres(reach) { return reach === undefined ? 0 : reach.metres + metres(reach.left) + metres(reach.right); }
module.exports = () => metres(canal);
`;

const integers = `
function sum(turns) { let sum = 0; for (let i = 0; i < turns; i++) { sum = (sum + i * 3) | 0; } return sum; }
module.exports = () => sum(1_000_000);
`;

export const programs = [
  {
    name: 'parser (acorn, parsing itself)',
    file: acornFile,
    text: acornText,
    use: (acorn) => () => acorn.parse(acornText, { ecmaVersion: 2022 }).end,
  },
  {
    name: 'formatter (js-beautify)',
    file: beautifyFile,
    text: readFileSync(beautifyFile, 'utf8'),
    use: (beautify) => () => beautify.js_beautify(decimalText).length,
  },
  {
    name: 'numbers (decimal.js)',
    file: decimalFile,
    text: decimalText,
    use: (Decimal) => () => {
      let sum = new Decimal(0);
      for (let i = 1; i < 60; i++) sum = sum.plus(new Decimal(i).sqrt().times(new Decimal(i).ln()));
      return sum.toString();
    },
  },
  { name: 'toll rules', file: 'tolls.cjs', text: tolls, use: (run) => run },
  { name: 'soundings', file: 'soundings.cjs', text: soundings, use: (run) => run },
  {
    name: 'table reader (csv-parse)',
    file: csvFile,
    text: readFileSync(csvFile, 'utf8'),
    use: (csv) => () => csv.parse(ledger, { columns: true }).length,
  },
  { name: 'handlers (closures)', file: 'handlers.cjs', text: handlers, use: (run) => run },
  { name: 'reaches (recursion)', file: 'reaches.cjs', text: reaches, use: (run) => run },
  { name: 'integer loop', file: 'integers.cjs', text: integers, use: (run) => run },
];

/** What some of them read. */
export const texts = { acornText, decimalText, ledger };
