import { spawnSync } from 'node:child_process';
import { mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { runPad } from 'usher-anvil';
import { cli, folder } from './harness.js';

/** A project on the disk in which everything is reached in several ways. */
function project(): string {
  const dir = folder({
    'package.json': JSON.stringify({
      name: 'canal',
      imports: { '#gate': './gate.cjs', '#inner/*': './inner/*.mjs' },
      exports: { './gate': './gate.cjs' },
    }),
    'gate.cjs':
      "let n = 0; exports.lift = () => ++n; exports.where = module.id.split(/[\\\\/]/).pop(); exports.parent = module.parent ? module.parent.id : 'none';",
    'lib.mjs':
      'export let b = 1; export function inc() { b++ } export default class Z {} export const a = 4; export { b as "a b" };',
    'stars.mjs':
      "export * from './lib.mjs'; export * as all from './lib.mjs'; export * from './left.mjs'; export * from './right.mjs';",
    'left.mjs': 'export const both = 1; export const left = 2;',
    'right.mjs': 'export const both = 3; export const right = 4;',
    'ring-a.mjs':
      "import { b, late } from './ring-b.mjs'; export const a = 'a' + b; export function hoisted() { return 'h' } export default late;",
    'ring-b.mjs':
      "import * as ring from './ring-a.mjs'; export const b = ring.hoisted(); export let late; try { ring.a } catch (e) { late = e.message } export const keys = Reflect.ownKeys(ring).length;",
    'broken.cjs': 'syntax error here (',
    'broken.mjs': 'export const = 1;',
    'needs.mjs': "import { nothing } from './lib.mjs'; export const x = nothing;",
    'throws.cjs': "exports.tries = (globalThis.tries = (globalThis.tries || 0) + 1); throw new Error('at load')",
    'slow-a.mjs':
      "globalThis.log ??= []; log.push('a1'); await new Promise((r) => setTimeout(r, 20)); log.push('a2'); export const a = 1;",
    'slow-b.mjs': "globalThis.log ??= []; log.push('b1'); await null; log.push('b2'); export const b = 1;",
    'env.mjs': "process.env.CANAL_LEVEL = 'set before';",
    'data.json': '{"rise": 4}',
    'inner/deep.mjs': "export const deep = 'deep';",
    'folder/package.json': '{"main":"lib/start.cjs"}',
    'folder/lib/start.cjs': "exports.from = 'folder';",
    'index.js': 'exports.top = 1;',
    'sub/index.js': "exports.up = require('..').top; exports.here = require('./').here === undefined;",
    'node_modules/reads-env/index.js': 'exports.level = process.env.CANAL_LEVEL;',
    'node_modules/waits/package.json': '{"type":"module","exports":"./index.js"}',
    'node_modules/waits/index.js': "await null; export const waited = 'waited';",
    'node_modules/counts/package.json': '{"type":"module","exports":"./index.js"}',
    'node_modules/counts/index.js': 'export let n = 0; export const up = () => ++n;',
    'packages/other/package.json': '{"name":"other","type":"module","exports":"./src/index.js"}',
    'packages/other/src/index.js': "export const other = 'of the workspace'; export const again = () => other.length;",
  });
  mkdirSync(join(dir, 'node_modules'), { recursive: true });
  symlinkSync(join(dir, 'packages/other'), join(dir, 'node_modules/other'), 'dir');
  return dir;
}

const PROGRAMS: Record<string, string> = {
  'a script and what it has.js': `
console.log(require.main === module, module.id, module.children.length, module.parent, module.path === __dirname, module.paths[0] === __dirname + '/node_modules')
console.log(this === module.exports, arguments.length, typeof require, Object.keys(require.extensions).join(), require.resolve('./gate.cjs') === __dirname + '/gate.cjs')
console.log(require.resolve.paths('x')[0] === __dirname + '/node_modules', require.cache[__filename] === module, module.loaded, module.filename === __filename)
setTimeout(() => console.log(module.loaded), 1)
if (require.main === module) console.log('guarded main')`,
  'folders and their mains.js':
    "\nconsole.log(require('./folder'), require('./').top, require('./sub'), require('.') === require('./index'))",
  'the cache.js': `const c = require('./gate.cjs'); c.lift(); c.lift()
console.log(Object.keys(require.cache).map((f) => f.split('/').pop()).join(), c.where, c.parent)
delete require.cache[require.resolve('./gate.cjs')]
const d = require('./gate.cjs')
console.log(d.lift(), c.lift(), c === d, require('module').createRequire(__filename)('./gate.cjs') === d)
require.cache[require.resolve('./data.json')] = { exports: 'put there', loaded: true }
console.log(require('./data.json'))`,
  'what is not there.js': `for (const name of ['./broken.cjs', './nothing', 'no-such-package', './throws.cjs', './throws.cjs']) {
  try { console.log(require(name)) } catch (e) { console.log(e.name, e.code, e.message.split('\\n')[0].replace(__dirname, '')) }
}
try { require(5) } catch (e) { console.log(e.code, e.message) }
try { require('') } catch (e) { console.log(e.code) }
console.log(globalThis.tries)`,
  'modules from a script.js': `const lib = require('./lib.mjs')
console.log(lib.a, typeof lib.inc, lib.__esModule)
import('./lib.mjs').then((m) => { m.inc(); console.log(m.b, lib.b, m.default === lib.default) })
try { require('./slow-a.mjs') } catch (e) { console.log(e.code) }
try { require('./broken.mjs') } catch (e) { console.log(e.name) }`,
  'wrapped modules.js': `const Module = require('module'), before = Module.prototype.require
Module.prototype.require = function (id) { return id === 'asked' ? 'given ' + this.id : before.apply(this, arguments) }
console.log(require('asked'))
const load = Module._load
Module._load = function (request, ...rest) { return request === './other' ? 'loaded' : load.call(this, request, ...rest) }
console.log(require('./other'))
const js = Module._extensions['.cjs'] || Module._extensions['.js']
Module._extensions['.cjs'] = function (m, file) { const c = m._compile; m._compile = function (code, f) { return c.call(this, code + ';exports.hooked = true', f) }; return js(m, file) }
console.log(require('./gate.cjs').hooked)`,
  'namespaces.mjs': `import * as ns from './lib.mjs'
import * as stars from './stars.mjs'
import def from './lib.mjs'
console.log(Object.keys(ns), ns, Object.getOwnPropertyDescriptor(ns, 'b'), Object.isSealed(ns), Object.isFrozen(ns), Reflect.ownKeys(ns).length)
for (const f of [() => { ns.b = 5 }, () => { delete ns.b }, () => { ns.fresh = 1 }, () => { def = 1 }, () => Object.defineProperty(ns, 'b', { value: 9 })]) { try { f(); console.log('no error') } catch (e) { console.log(e.name, e.message) } }
ns.inc()
console.log(ns.b, { ...ns }.b, ns['a b'], 'b' in ns, ns.nothing, ns[Symbol.toStringTag], String(ns), typeof ns.default)
console.log(Object.keys(stars), stars.all === ns, stars.both, stars.left)
console.log((await import('./lib.mjs')) === ns, ns.default === def)`,
  'cycles.mjs':
    "import late, { a, hoisted } from './ring-a.mjs'; import { b, keys } from './ring-b.mjs';\nconsole.log(a, b, late, hoisted(), keys)",
  'modules that wait.mjs':
    "import { a } from './slow-a.mjs'; import { b } from './slow-b.mjs'; import { waited } from 'waits'; console.log(log.join(), a + b, waited)",
  'packages at their place.mjs':
    "import './env.mjs'; import { level } from 'reads-env'; import { n, up } from 'counts'; console.log(level, n, up(), n)",
  'names of the package.mjs': `import { lift } from '#gate'
import { deep } from '#inner/deep'
import { other, again } from 'other'
import * as self from 'canal/gate'
import { createRequire } from 'node:module'
console.log(lift(), deep, other, again(), self.lift(), createRequire(import.meta.url)('canal/gate').lift(), self.default.lift())
console.log(import.meta.url.split('/').pop(), import.meta.filename.split('/').pop(), Object.keys(import.meta), import.meta.resolve('./x').endsWith('/x'), import.meta.resolve('other').endsWith('packages/other/src/index.js'))`,
  'scripts in modules.mjs': `import def, { lift, where } from './gate.cjs'
import * as ns from './gate.cjs'
import data from './data.json' with { type: 'json' }
console.log(typeof def.lift, lift(), where, def.parent, Object.keys(ns).filter((k) => k !== 'module.exports').join(), data.rise, this)
console.log((await import('./gate.cjs')) === ns, typeof require, typeof module)`,
  'imports without semicolons.mjs': `import { basename } from "node:path"
const {base} = {base: basename("/x/said")}
console.log(base, 21)`,
  'what is optional.mjs': `for (const name of ['./broken.mjs', './broken.cjs', './nothing.mjs', 'no-such-package', './needs.mjs', './throws.cjs']) {
  try { console.log(await import(name)) } catch (e) { console.log(e.name, e.code, e.message.split('\\n')[0].replaceAll(import.meta.dirname, '')) }
}
try { await import('./broken.mjs') } catch (e) { console.log(e.name) }
try { await import('./nothing.mjs') } catch (e) { console.log(e.code) }
const { a } = await import('./lib.mjs');\nconsole.log(a)`,
  'assertions.js': `
const assert = require('assert')
const told = (f) => { try { f() } catch (e) { console.log(e.message) } }
told(() => {
  assert(1 === 2)
})
told(() => {
  let level = 1
  assert.ok(level > 4)
})
told(() => {
  if (true) {
    assert(!Array.isArray([]))
  }
  if (false)
    assert(0)
})
for (const rise of [1]) {
  told(() => {
    rise
    assert(rise === 3)
  })
}`,
  'events of the process.js': `process.on('exit', (c) => console.log('exit', c, process.exitCode))
let n = 0
process.on('beforeExit', (c) => { console.log('before', c); if (n++ < 2) setTimeout(() => console.log('more'), 1) })
process.exitCode = 3`,
  'errors that are handled.mjs': `process.on('exit', (c) => console.log('exit', c))
process.on('uncaughtException', (e, origin) => console.log('handled', e.message))
process.on('unhandledRejection', (e) => console.log('rejected', e.message))
Promise.reject(new Error('a'))
setTimeout(() => { throw new Error('b') }, 5)
throw new Error('c')`,
  'a top level that never ends.mjs': "process.on('exit', (c) => console.log('exit', c)); await new Promise(() => {})",
  'an end in the middle.mjs':
    "process.on('exit', (c) => console.log('exit', c)); setTimeout(() => process.exit(), 5); await new Promise(() => {})",
  'an end with a code.js':
    "process.on('exit', (c) => { console.log('exit', c); process.exitCode = 9 }); setTimeout(() => process.exit(7), 5)",
  'an error at the start.js':
    "process.on('exit', (c) => console.log('exit', c)); setTimeout(() => console.log('never in a live program'), 50).unref(); null.x",
  'a NUL in the text.js': '\nconsole.log("a\u0000b".length /* \u0000 */)',
};

const dir = project();
for (const [name, text] of Object.entries(PROGRAMS)) writeFileSync(join(dir, name), `${text}\n`);

describe.each(Object.keys(PROGRAMS))('%s', (name) => {
  const file = join(dir, name);
  const plain = spawnSync(process.execPath, ['--no-warnings', file], {
    cwd: dir,
    encoding: 'utf8',
    env: { ...process.env, NODE_OPTIONS: '', NO_COLOR: '1' },
  });

  test('prints and ends as a live program as it does by itself', () => {
    const live = cli(['live', file], { cwd: dir });
    expect(live.stdout).toBe(plain.stdout);
    expect(live.code).toBe(plain.status);
  });

  test('prints and ends as a pad as it does by itself', async () => {
    const record = await runPad({ file });
    const printed = record.console
      .filter(({ level }) => level !== 'error' && level !== 'stderr')
      .map((entry) => entry.text);
    const shape = (text: string): string =>
      text
        .replace(/\[Module: null prototype\]/g, 'Module')
        .replace(
          /\[(class|Function:) (\w+)\]/g,
          (_all, kind: string, of: string) => `${kind === 'class' ? 'class' : 'ƒ'} ${of}`,
        )
        .replace(/\s+/g, '')
        .replace(/'/g, '');
    expect(shape(printed.join('\n'))).toBe(shape(plain.stdout));
    expect(record.exitCode ?? record.stop?.code).toBe(plain.status);
  });
});
