/** Pads with what is hard to lay out: long lines, wide and right-to-left characters, tabs, many digits, errors. */
export const PADS: Record<string, string> = {
  'long.ts': `const rates = { slate: 50, timber: 40, lime: 80 }
const surcharge = 0.1 + 0.2
const query = \`update charges set pence = round(pence * \${1 + surcharge}) where lock = 'Dun' and barge in (select name from barges where draft > 1.2 and length < 18)\`
const touched = Object.entries(rates).map(([cargo, pence]) => ({ cargo, pence, after: Math.round(pence * (1 + surcharge)), note: 'changed by the council' }))
const total = touched.reduce((sum, one) => sum + one.after, 0), mean = total / touched.length, most = Math.max(...touched.map((one) => one.after))
const deep = { lock: { name: 'Dun', gates: [{ side: 'upper', open: false, level: 4.217381 }, { side: 'lower', open: true, level: 1.0500001 }] } }
for (const { cargo, pence } of touched) console.log(\`\${cargo.padEnd(10)} \${String(pence).padStart(6)} pence a tonne, and \${Math.round(pence * 1.5)} at night, from the first of the month on\`)
total > 200 ? 'more than two hundred' : 'less'
`,
  'wide.mts': `const 閘 = ['石板', '木材', '石灰']
const رسوم = { 'الهويس': 'دن', 'عمق': 1.25 }
const emoji = ['🚢', '⚓️', '👨‍👩‍👧'].map((one) => [...one].length)
\tconst tabbed =\t閘.map((one) =>\tone.length)\t// tabs and wide characters: 水門の深さ 水門の深さ 水門の深さ 水門の深さ
const שלום = 'שלום עולם'.split(' ')
\`\${閘.join('、')}、\${'深さ'.repeat(30)}\`.length
`,
  'nosemi.js': `const log = Array.from({ length: 40 }, (_, i) => ({ minute: i, level: Math.sin(i / 6) * 2.345678912 }))
let level = 0
for (const one of log) level += one.level / log.length + (one.minute % 7 === 0 ? 0.0123456789 : 0) * Math.sqrt(one.minute + 1)
const high = log.filter((one) => one.level > 2).map((one) => one.minute)
const text = JSON.stringify(high) + ' are the minutes at which the level of the upper chamber was above two metres on that day'
level.toFixed(3)
`,
  'fails.ts': `type Barge = { name: string; draft: number }
const barges: Barge[] = [{ name: 'Heron', draft: 0.7 }, { name: 'Otter', draft: 2.4 }, { name: 'Teal', draft: 1.1 }]
const limits = new Map([['Dun', 2.1], ['Ashby', 1.5]])
const fits = barges.map((barge) => [...limits].filter(([, limit]) => barge.draft <= limit).map(([lock]) => lock).join(' and ') || 'nowhere at all')
for (const barge of barges) if (barge.draft > (limits.get('Dun') ?? 0)) throw new RangeError(\`draft \${barge.draft} of \${barge.name} is over the limit of Dun by \${(barge.draft - 2.1).toFixed(1)}\`)
`,
  'class.mjs': `import assert from 'node:assert/strict'
import test from 'node:test'
export class Gauge { #levels = []; add(level) { this.#levels.push(level); return this } get mean() { return this.#levels.reduce((a, b) => a + b, 0) / this.#levels.length } }
const gauge = new Gauge().add(1.5).add(2.5).add(7 / 3)
gauge.mean
test('the mean of what was added is what one would reckon with a pencil on the back of a toll ticket of the canal', () => { assert.equal(new Gauge().add(1).add(3).mean, 2) })
const awaited = await Promise.all([1, 2, 3].map(async (minute) => { await null; return { minute, level: gauge.mean / minute } }))
`,
  'short.cjs': `const a = 1
const b = a + 1
b * 2
const s = 'Wenlow'
s.toUpperCase()
module.exports = [a, b, s]
`,
};
