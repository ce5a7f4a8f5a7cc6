/** Planted faults: from the failure to the line at fault in at most six keys, each a number of what a step comes from, or an arrow. */
import { join } from 'node:path';
import { runPad } from 'usher-anvil';
import { startOf, walk, type Walk } from 'usher-anvil/record';
import { folder } from './harness.js';

/** Programs whose line at fault ends in `// fault`. */
const FAULTS: Record<string, string> = {
  'a comparison that is off by one': `function rate(passages) {
  if (passages > 5) { // fault
    return 0.9
  }
  return 1
}
function toll(passages) {
  const part = rate(passages)
  return 100 * part
}
const price = toll(5)
if (price !== 90) throw new Error('wrong ' + price)
`,
  'a wrong operator in a sum': `function cargo(loads) {
  let sum = 0
  for (const load of loads) {
    sum -= load // fault
  }
  return sum
}
const total = cargo([1, 2])
if (total !== 3) throw new Error('wrong')
`,
  'a constant that is wrong': `const rates = { lime: 40, slate: 56 } // fault
function toll(kind, tonnes) {
  const rate = rates[kind]
  return rate * tonnes
}
const price = toll('slate', 2)
if (price !== 130) throw new Error('wrong')
`,
  'a property that is written by another function': `const lock = { level: 0, gate: 'shut' }
function fill(one) {
  one.level = 4
}
function drain(one) {
  one.level = 1 // fault
}
fill(lock)
drain(lock)
fillGate()
function fillGate() {
  lock.gate = 'open'
}
if (lock.level !== 4) throw new Error('wrong')
`,
  'a default that is wrong': `function passage(boat, hour = 12) { // fault
  const night = hour > 20
  return night ? 150 : 100
}
const price = passage('Heron')
if (price !== 150) throw new Error('wrong')
`,
  'a callback that keeps too much': `const boats = [4, 12, 20]
const heavy = boats.filter((tonnes) => {
  return tonnes > 4 // fault
})
const count = heavy.length
if (count !== 1) throw new Error('wrong ' + count)
`,
  'a list that is sorted in place': `const order = [3, 1, 2]
function smallest(list) {
  list.sort() // fault
  return list[0]
}
const least = smallest(order)
const first = order[0]
if (first !== 3) throw new Error('wrong ' + least)
`,
  'a counter that is begun too late': `let seen = 0
function note(boat) {
  if (boat.name === '') return
  seen++
}
const list = [{ name: 'Heron' }, { name: '' }, { name: 'Teal' }] // fault
for (const boat of list) note(boat)
if (seen !== 3) throw new Error('wrong')
`,
  'an argument in the wrong place': `function toll(tonnes, rate) {
  const price = tonnes * 2 + rate
  return price
}
const price = toll(1, 10) // fault
if (price !== 21) throw new Error('wrong')
`,
  'a field that is initialised wrongly': `class Lock {
  level = 2 // fault
  rise(by) {
    this.level += by
  }
}
const lock = new Lock()
lock.rise(3)
const level = lock.level
if (level !== 3) throw new Error('wrong')
`,
  'a getter that forgets': `class Reach {
  constructor(metres) {
    this.metres = metres
  }
  get miles() {
    const miles = this.metres / 1000 // fault
    return miles
  }
}
const reach = new Reach(1609)
const miles = reach.miles
if (miles !== 1) throw new Error('wrong')
`,
  'an await that gives too early': `async function measure(level) {
  await null
  const depth = level + 1 // fault
  return depth
}
const depth = await measure(2)
const twice = depth * 2
if (twice !== 4) throw new Error('wrong')
`,
  'a generator that begins at one': `function* numbers(to) {
  let at = 1 // fault
  while (at < to) {
    yield at
    at++
  }
}
const all = [...numbers(3)]
const first = all[0]
if (first !== 0) throw new Error('wrong')
`,
  'an early return': `function price(boat) {
  if (boat.tonnes < 10) return 5 // fault
  return boat.tonnes
}
const heron = price({ tonnes: 4 })
if (heron !== 4) throw new Error('wrong')
`,
  'a switch that falls through': `function rate(kind) {
  let rate = 0
  switch (kind) {
    case 'lime':
      rate = 40 // fault
    case 'slate':
      rate = 65
  }
  return rate
}
const lime = rate('lime')
if (lime !== 40) throw new Error('wrong')
`,
  'a name that is shadowed': `let total = 0
function add(loads) {
  for (const load of loads) {
    let total = 0 // fault
    total += load
  }
}
add([1, 2])
const sum = total
if (sum !== 3) throw new Error('wrong')
`,
  'two results in the wrong order': `function split(text) {
  const [to, from] = text.split('-') // fault
  return { from, to }
}
const way = split('Weir-Upper')
const from = way.from
if (from !== 'Weir') throw new Error('wrong')
`,
  'a regular expression that takes too little': `function tonnes(line) {
  const match = /(\\d)/.exec(line) // fault
  const text = match[1]
  return Number(text)
}
const read = tonnes('Heron 12')
if (read !== 12) throw new Error('wrong')
`,
  'a memo that is never cleared': `const memo = new Map()
function toll(boat) {
  if (memo.has('key')) return memo.get('key') // fault
  const price = boat.length * 2
  memo.set('key', price)
  return price
}
const one = toll('ab')
const two = toll('abcd')
if (two !== 8) throw new Error('wrong')
`,
  'an object that is shared': `const empty = { loads: 0 }
function boat(name) {
  const made = empty // fault
  made.name = name
  return made
}
const heron = boat('Heron')
const teal = boat('Teal')
const name = heron.name
if (name !== 'Heron') throw new Error('wrong ' + teal.name)
`,
};

/** The fewest keys from a step to a line, by what a person has: numbers of sources, arrows, out. */
function keysTo(run: Walk, from: number, line: number): { keys: number; path: string[] } {
  let edge: { at: number; path: string[] }[] = [{ at: from, path: [] }];
  const met = new Set([from]);
  for (let keys = 0; keys <= 6; keys++) {
    const next: typeof edge = [];
    for (const { at, path } of edge) {
      if (run.step(at).range.start.line === line) return { keys, path };
      const ways: [string, number | undefined][] = [
        ['back into', run.move(at, 'into', -1)],
        ['back over', run.move(at, 'over', -1)],
        ['back out', run.move(at, 'out', -1)],
        ...run.sources(at).map(({ step }, number): [string, number | undefined] => [String(number + 1), step]),
      ];
      for (const [key, to] of ways) {
        if (to === undefined || met.has(to)) continue;
        met.add(to);
        next.push({ at: to, path: [...path, key] });
      }
    }
    edge = next;
  }
  return { keys: Infinity, path: [] };
}

test('twenty planted faults', async () => {
  const found: Record<string, number> = {};
  for (const [name, text] of Object.entries(FAULTS)) {
    const file = join(folder({ 'pad.mjs': text }), 'pad.mjs');
    const record = await runPad({ file, depth: 'steps' });
    expect([name, record.outcome]).toEqual([name, 'failed']);
    const run = walk(record)!;
    const line = text.split('\n').findIndex((one) => one.endsWith('// fault'));
    found[name] = keysTo(run, startOf(record, run)!, line).keys;
  }
  expect(Object.keys(found)).toHaveLength(20);
  expect(Object.fromEntries(Object.entries(found).filter(([, keys]) => keys > 6))).toEqual({});
});
