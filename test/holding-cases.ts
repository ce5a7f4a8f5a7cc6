/** Situations in which a call fails and is held: kinds of functions, and who calls them. */

/** By name: how a function is written that fails in `part(n)`, and tells what it gives with `out(n, …)`. */
export const KINDS: Readonly<Record<string, (n: number) => { code: string; call: string }>> = {
  'a function': (n) => ({ code: `function f${n}() {\n  out(${n}, part(${n}))\n}`, call: `f${n}` }),
  'an arrow function': (n) => ({ code: `const f${n} = () => {\n  out(${n}, part(${n}))\n}`, call: `f${n}` }),
  'an arrow function that is an expression': (n) => ({
    code: `const f${n} = () => out(${n}, part(${n}))`,
    call: `f${n}`,
  }),
  'an async function': (n) => ({ code: `async function f${n}() {\n  out(${n}, part(${n}))\n}`, call: `f${n}` }),
  'an async function, behind an await': (n) => ({
    code: `async function f${n}() {\n  await tick()\n  out(${n}, part(${n}))\n}`,
    call: `f${n}`,
  }),
  'an async arrow function': (n) => ({
    code: `const f${n} = async () => {\n  const got = await part(${n})\n  out(${n}, got)\n}`,
    call: `f${n}`,
  }),
  'a method of a class, with a private field': (n) => ({
    code: `class Lock${n} {\n  #by = 0\n  fill() {\n    this.#by = part(${n})\n    out(${n}, this.#by)\n  }\n}\nconst lock${n} = new Lock${n}()`,
    call: `() => lock${n}.fill()`,
  }),
  'an async method of an object': (n) => ({
    code: `const lock${n} = {\n  by: 0,\n  async fill() {\n    await tick()\n    this.by = part(${n})\n    out(${n}, this.by)\n  },\n}`,
    call: `() => lock${n}.fill()`,
  }),
  'a static method': (n) => ({
    code: `class Lock${n} {\n  static fill() {\n    out(${n}, part(${n}))\n  }\n}`,
    call: `() => Lock${n}.fill()`,
  }),
  'a closure': (n) => ({
    code: `function keeper${n}(by) {\n  let calls = 0\n  return () => {\n    calls++\n    out(${n}, part(by))\n  }\n}`,
    call: `keeper${n}(${n})`,
  }),
  'a function in a loop, within a block': (n) => ({
    code: `function f${n}() {\n  for (const one of [${n}]) {\n    const doubled = part(one)\n    out(one, doubled)\n  }\n}`,
    call: `f${n}`,
  }),
  'a callback of an array': (n) => ({
    code: `function f${n}() {\n  const [got] = [${n}].map((one) => part(one))\n  out(${n}, got)\n}`,
    call: `f${n}`,
  }),
};

/** By name: how a function is called from outside. */
export const CALLERS: Readonly<Record<string, (call: string) => string>> = {
  'a timer': (call) => `setTimeout(${call}, 1)`,
  'an immediate': (call) => `setImmediate(${call})`,
  'a listener': (call) => `listen(${call})`,
  'a listener of an event target': (call) => `target.addEventListener('go', ${call}, { once: true })`,
  'a promise': (call) => `Promise.resolve().then(${call})`,
  'the next tick': (call) => `process.nextTick(${call})`,
  'a message': (call) => `messages.push(${call})`,
  'a package': (call) => `setTimeout(() => undefined, 1), later(${call})`,
};

/** A program with all of them; `part` is broken. */
export function catalogueProgram(): { text: string; names: string[] } {
  const names: string[] = [];
  const parts: string[] = [];
  const begins: string[] = [];
  for (const [kind, write] of Object.entries(KINDS))
    for (const [caller, by] of Object.entries(CALLERS)) {
      const { code, call } = write(names.length);
      parts.push(code);
      begins.push(`  ${by(call)}`);
      names.push(`${kind}, called by ${caller}`);
    }
  const text = `import { MessageChannel } from 'node:worker_threads'
import { later, listen } from 'ferry'

function part(n) {
  throw new Error('nobody opens gate ' + n)
}
function out(n, value) {
  console.log('case ' + n + ' ' + value)
}
const tick = () => new Promise((resolve) => setTimeout(resolve, 1))
const target = new EventTarget()
const messages = []
const { port1, port2 } = new MessageChannel()
port2.on('message', (index) => messages[index]())
${parts.join('\n')}
export function begin() {
${begins.join('\n')}
  messages.forEach((_, index) => port1.postMessage(index))
  setTimeout(() => target.dispatchEvent(new Event('go')), 5)
}
setInterval(() => undefined, 1_000)
console.log('ready')
`;
  return { text, names };
}

/** The package that calls. */
export const FERRY = {
  'node_modules/ferry/package.json': '{"name":"ferry","main":"index.js"}',
  'node_modules/ferry/index.js': `const { EventEmitter } = require('node:events');
exports.later = (fn) => setTimeout(() => void fn(), 1);
exports.listen = (fn) => {
  const emitter = new EventEmitter();
  emitter.once('go', fn);
  setTimeout(() => emitter.emit('go'), 1);
};
`,
};
