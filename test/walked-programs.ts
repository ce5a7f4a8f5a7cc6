/** Programs to walk through, by what they are about. */
export const walked: Record<string, string> = {
  'loops of all kinds': `let total = 0
for (let i = 0; i < 3; i++) {
  total += i
}
let left = 3
while (left > 0) {
  left--
}
do {
  total++
} while (total < 8)
for (const boat of ['Heron', 'Otter']) {
  total += boat.length
}
for (const key in { rise: 4, fall: 2 }) {
  total += key.length
}
console.log(total, left)
`,
  'loops with continue, break and labels': `let seen = ''
outer: for (let i = 0; i < 4; i++) {
  for (let j = 0; j < 4; j++) {
    if (j === 2) continue outer
    if (i === 2) break outer
    seen += i + ',' + j + ' '
  }
}
let n = 0
for (;;) {
  n += 1
  if (n > 2) break
}
console.log(seen, n)
`,
  recursion: `function factorial(n) {
  if (n < 2) return 1
  const rest = factorial(n - 1)
  return n * rest
}
function fib(n) {
  const small = n < 2
  if (small) {
    return n
  }
  const one = fib(n - 1)
  const two = fib(n - 2)
  return one + two
}
const f = factorial(5)
const g = fib(5)
console.log(f, g)
`,
  'closures with counters': `function counter(from) {
  let count = from
  return function () {
    count++
    const half = count / 2
    return half
  }
}
const first = counter(1)
const second = counter(10)
first()
second()
const a = first()
const b = second()
console.log(a, b)
`,
  'exceptions through finally': `let log = ''
function risky(n) {
  let state = 'begun'
  try {
    log += 'try '
    if (n > 1) throw new Error('weir ' + n)
    state = 'fine'
    return state
  } catch (error) {
    log += error.message + ' '
    state = 'caught'
    return state
  } finally {
    log += state + ' '
    state = 'over'
  }
}
const one = risky(1)
const two = risky(2)
let outer = ''
try {
  try {
    outer += 'in '
    throw new TypeError('deep')
  } finally {
    outer += 'finally '
  }
} catch ({ message }) {
  outer += message
}
console.log(log, one, two, outer)
`,
  generators: `function* passages(limit) {
  let boats = 0
  while (boats < limit) {
    boats++
    const given = yield boats
    boats += given ?? 0
  }
  return boats
}
const seen = []
for (const boat of passages(3)) {
  seen.push(boat)
}
const it = passages(9)
it.next()
it.next(2)
const last = it.next(5)
console.log(seen, last.value)
`,
  'async functions beside each other': `async function wait(name, turns) {
  let done = 0
  while (done < turns) {
    await null
    done++
  }
  const text = name + done
  return text
}
async function main() {
  const both = Promise.all([wait('a', 2), wait('b', 3)])
  const list = await both
  let all = ''
  for (const one of list) {
    all += one
  }
  console.log(all)
}
main()
`,
  'objects that change': `const lock = { name: 'Weir', level: 1, boats: 0 }
lock.level = 2
lock.boats++
lock['name'] = 'Upper ' + lock.name
const key = 'rise'
lock[key] = 4
lock.level += 3
delete lock.boats
const other = lock
other.level -= 1
const end = lock.level
console.log(end)
`,
  'arrays that change': `const levels = [3, 1, 2]
levels.push(5)
levels[0] = 9
const last = levels.pop()
levels.sort()
levels.reverse()
levels.unshift(7)
const cut = levels.splice(1, 1);
[levels[0], levels[1]] = [levels[1], levels[0]]
levels.length
levels.fill(0)
const size = levels.length
console.log(size, last, cut)
`,
  'sorting by hand': `function sorted(list) {
  const copy = [...list]
  for (let i = 0; i < copy.length; i++) {
    for (let j = 0; j + 1 < copy.length; j++) {
      if (copy[j] > copy[j + 1]) {
        const keep = copy[j]
        copy[j] = copy[j + 1]
        copy[j + 1] = keep
      }
    }
  }
  return copy
}
const result = sorted([4, 2, 3, 1])
console.log(result)
`,
  'classes with fields, getters and this': `class Lock {
  level = 0
  static made = 0
  constructor(name) {
    this.name = name
    Lock.made++
  }
  fill(by) {
    const before = this.level
    this.level += by
    return before
  }
  get half() {
    const full = this.level
    return full / 2
  }
  set to(value) {
    const rounded = Math.round(value)
    this.level = rounded
  }
}
class Gate extends Lock {
  constructor(name) {
    super(name)
    this.open = false
  }
  fill(by) {
    const had = super.fill(by * 2)
    this.open = had > 0
    return had
  }
}
const gate = new Gate('Lower')
gate.fill(3)
gate.fill(4)
const half = gate.half
gate.to = 7.6
const level = gate.level
console.log(half, level)
`,
  'destructuring with defaults': `function toll({ tonnes, kind = 'lime', ...rest }, [first, second = 2] = [1]) {
  let price = tonnes * first
  price += second
  const keys = Object.keys(rest)
  return price + keys.length
}
const price = toll({ tonnes: 4, flag: true, wide: false })
let a = 1
let b = 2;
[a, b] = [b, a]
let c
({ c, d: b } = { c: 5, d: 6 })
const { x: { y = 3 } = {} } = {}
console.log(price, a, b, c, y)
`,
  'callbacks of the platform': `const boats = [{ name: 'Heron', tonnes: 20 }, { name: 'Otter', tonnes: 8 }]
let heavy = 0
boats.forEach((boat, index) => {
  const more = boat.tonnes > 10
  if (more) heavy += index + 1
})
const names = boats.map(function (boat) {
  const upper = boat.name.toUpperCase()
  return upper
})
const total = boats.reduce((sum, boat) => {
  const next = sum + boat.tonnes
  return next
}, 0)
const order = boats.slice().sort((one, two) => {
  const by = one.tonnes - two.tonnes
  return by
})
console.log(heavy, names, total, order.length)
`,
  'shadowed names': `let level = 1
function inner(level) {
  level += 10
  {
    let level = 'block'
    level += '!'
    console.log(level)
  }
  for (let level = 0; level < 2; level++) {
    const twice = level * 2
    console.log(twice)
  }
  return level
}
const result = inner(5)
level += result
console.log(level)
`,
  'var, hoisting and late names': `function f(n) {
  if (n) {
    var found = n * 2
  }
  found = found || 7
  var found
  late = found + 1
  var late
  return late
}
var one = f(0)
var two = f(4)
for (var i = 0; i < 2; i++) {
  var seen = i
}
console.log(one, two, i, seen)
`,
  'switch and conditional expressions': `function kind(tonnes) {
  let text = ''
  switch (true) {
    case tonnes > 10:
      text = 'heavy'
      break
    case tonnes > 5:
      text = 'middle'
    default:
      text += '?'
  }
  const long = text.length > 3 ? text : text + '-short'
  const both = long && text
  return both
}
const a = kind(20)
const b = kind(7)
const c = kind(1)
console.log(a, b, c)
`,
  'maps and sets': `const counts = new Map()
for (const word of 'a b a c a'.split(' ')) {
  const had = counts.get(word) ?? 0
  counts.set(word, had + 1)
}
const seen = new Set([1])
seen.add(2)
const has = seen.has(2)
let best = ''
let most = 0
for (const [word, count] of counts) {
  if (count > most) {
    most = count
    best = word
  }
}
console.log(best, most, has)
`,
  'nested functions that write outwards': `function journey(stops) {
  let tolls = 0
  let path = ''
  function pass(stop) {
    const toll = stop.length
    tolls += toll
    path = path + stop[0]
    add(toll)
  }
  const add = (toll) => {
    tolls += toll > 4 ? 1 : 0
  }
  stops.forEach(pass)
  return path + tolls
}
const text = journey(['Weir', 'Upper', 'Basin'])
console.log(text)
`,
  'default parameters and rest': `function sum(first, second = first + 1, ...others) {
  let all = first + second
  for (const other of others) {
    all += other
  }
  return all
}
const a = sum(1)
const b = sum(1, 2, 3, 4)
const c = sum(...[5, 6])
console.log(a, b, c)
`,
  timers: `let order = ''
function later(name, ms) {
  const begun = name
  setTimeout(() => {
    order += begun
    const size = order.length
    if (size === 2) console.log(order)
  }, ms)
}
later('b', 1)
later('a', 1)
order += ''
`,
  'promises and then': `let log = ''
const start = Promise.resolve(2)
start
  .then((n) => {
    const twice = n * 2
    log += twice
    return twice
  })
  .then((n) => {
    log += ' ' + n
    throw new Error('shut')
  })
  .catch((error) => {
    const text = error.message
    log += ' ' + text
    console.log(log)
  })
`,
  'async generators': `async function* boats(n) {
  let i = 0
  while (i < n) {
    await null
    i++
    yield i
  }
}
async function main() {
  let all = 0
  for await (const boat of boats(3)) {
    all += boat
  }
  console.log(all)
}
main()
`,
  'modules with await': `import { basename } from 'node:path'
const name = basename('/locks/weir.txt')
let text = await Promise.resolve(name)
text += '!'
const parts = text.split('.')
const [first, second] = parts
console.log(first, second)
`,
  'numbers of all kinds': `let a = -0
let b = NaN
let c = 1e21
let d = 5n
d = d ** 3n
a = a + 0
b = b || 1
c /= 3
const e = [a, b, c]
const f = 1 / 3
console.log(a, b, c, d, e, f)
`,
  'logical assignments': `const options = { depth: 0, name: '' }
options.depth ||= 4
options.name ??= 'kept'
options.wide &&= 3
options.deep ??= 'new'
let x = null
x ??= 2
x &&= x + 1
x ||= 9
const end = options.depth + x
console.log(end, options.name)
`,
  'memo in an object': `const memo = {}
function ways(n) {
  if (memo[n] !== undefined) return memo[n]
  if (n <= 1) return 1
  const sum = ways(n - 1) + ways(n - 2)
  memo[n] = sum
  return sum
}
const w = ways(6)
console.log(w)
`,
  'a linked list': `let head = null
function add(value) {
  const node = { value, next: head }
  head = node
}
add(1)
add(2)
add(3)
let sum = 0
for (let at = head; at !== null; at = at.next) {
  sum += at.value
}
console.log(sum)
`,
  'matrix of rows': `const rows = []
for (let y = 0; y < 3; y++) {
  const row = []
  for (let x = 0; x < 3; x++) {
    row.push(x * y)
  }
  rows.push(row)
}
rows[1][1] = 'mid'
let sum = 0
for (const row of rows) for (const cell of row) sum += typeof cell === 'number' ? cell : 0
console.log(sum)
`,
  'string building and regular expressions': `const line = 'Heron 12; Otter 7'
const found = []
const pattern = /(\\w+) (\\d+)/g
let match
while ((match = pattern.exec(line)) !== null) {
  const [, name, tonnes] = match
  found.push(name + ':' + tonnes)
}
const text = \`\${found.length} \${found.join()}\`
console.log(text)
`,
  'arrows with expressions': `const double = (n) => n * 2
const compose = (f, g) => (x) => f(g(x))
const four = compose(double, double)
const a = four(3)
const pick = ({ a: { b } }) => b
const b = pick({ a: { b: 'deep' } })
const store = { n: 0 }
const set = (v) => (store.n = v)
set(5)
const c = store.n
console.log(a, b, c)
`,
  'immediately called and methods': `const canal = (function () {
  let locks = 3
  return {
    add(n) {
      locks += n
      return locks
    },
    get locks() {
      return locks
    }
  }
})()
canal.add(2)
const n = canal.add(1)
const m = canal.locks
console.log(n, m)
`,
};
