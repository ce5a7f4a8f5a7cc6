/**
 * Programs that break naive probes, by what they are about. Each prints through
 * `out`; run plain and instrumented they must print the same.
 */
export const programs: Record<string, string> = {
  'arrow takes its name from the binding':
    'const fill = () => {}; let drain = function () {}; var Lock = class {}; out(fill.name, drain.name, Lock.name)',
  'names from assignments, defaults, fields and keys': `let fill; fill = () => 1; let a; a ??= () => 2; const { b = () => 3 } = {}; const [c = class {}] = []; function f(d = () => 4) { return d.name }
    class Lock { open = () => 1; static shut = function () {}; #p = () => 2; p() { return this.#p.name } } const o = { e: () => 5, ['x' + 1]: () => 6 };
    out(fill.name, a.name, b.name, c.name, f(), new Lock().open.name, Lock.shut.name, new Lock().p(), o.e.name, o.x1.name)`,
  'parenthesised and conditional functions have the name the language gives':
    'const f = (() => {}); const g = true ? () => {} : 0; const h = (0, () => {}); out(f.name, g.name, h.name)',
  'functions that are returned, thrown or tested stay without a name':
    "function f() { return function () {} } function g() { return () => 1 } function h() { return class {} } const k = () => () => 2; const o = { m() { return (function () {}) } }; function* y() { yield () => 3 } out(f().name === '', g().name === '', h().name === '', k().name === '', o.m().name === '', y().next().value.name === ''); try { throw function () {} } catch (e) { out(e.name === '') } switch (function () {}) { default: out('s') }",
  'a method call keeps its this':
    'const lock = { rise: 4.2, get() { return this.rise } }; out(lock.get(), (lock.get)(), (0, lock.get) === lock.get); const { get } = lock; try { out((function () { "use strict"; return get() })()) } catch (e) { out(e.name) }',
  'optional chains short-circuit as a whole':
    'let n = 0; const a = undefined; out(a?.b.c(n++), a?.[n++], a?.(n++), n); const b = { c: () => ({ d: 4 }) }; out(b?.c().d, b.x?.y.z)',
  'delete, typeof and void': 'const o = { a: 1 }; out(delete o.a, "a" in o, typeof missing, void 0, delete o?.b)',
  'increments of names, members and in places':
    'let x = 1; x++; ++x; x--; const o = { n: 5 }; o.n++; --o.n; const r = [x++, ++x, o.n++]; out(x, o.n, r); let s = "3"; s++; out(s, typeof s); let b = 5n; b++; out(b)',
  'increment without semicolons around': 'let x = 1\nlet y = x\n++x\nx\n++y\nout(x, y)',
  'super in methods, statics and object literals':
    'class A { m() { return "A" } static s() { return "s" } get g() { return 1 } } class B extends A { m() { return super.m() + "B" } static s() { return super.s() + "t" } get g() { return super.g + 1 } constructor() { super(); this.made = super.m() } } const o = { __proto__: { m() { return "p" } }, m() { return super.m() + "o" } }; out(new B().m(), B.s(), new B().g, new B().made, o.m())',
  'new.target':
    'function F() { return new.target === F } class A { constructor() { this.t = new.target.name } } class B extends A {} out(typeof new F(), F.call({}), new B().t)',
  'tagged templates see one strings object per site':
    'const seen = []; const tag = (s, ...v) => { seen.push(s); return s.raw.join("|") + v.join() }; for (let i = 0; i < 2; i++) out(tag`a${i}\\nb${i + 1}`); out(seen[0] === seen[1], Object.isFrozen(seen[0])); const o = { t(s) { return this === o && s[0] } }; out(o.t`x`)',
  'arguments is live in sloppy functions and in arrows':
    'function f(a) { a = 9; const g = () => arguments.length; return [arguments[0], g()] } out(f(1, 2)); function h(a) { arguments[0] = 5; return a } out(h(1))',
  'direct eval sees the scope':
    'const rise = 4; function f(x) { const y = 2; return eval("x + y + rise") } out(f(3)); var v = 1; eval("var w = v + 1"); out(w); out((0, eval)("typeof f"))',
  'labels, break and continue':
    'outer: for (let i = 0; i < 4; i++) { for (let j = 0; j < 4; j++) { if (j === 2) continue outer; if (i === 2) break outer; out(i, j) } } block: { out("in"); if (true) break block; out("never") } a: b: for (const x of [1, 2]) { if (x === 1) continue a; out(x); break b }',
  'label before an expression or an if': 'let n = 0; x: n += 2; y: if (n) { n++; break y; } z: { n++ } out(n)',
  'directives stay first':
    'function f() { "use strict"; return this === undefined } function g() { return this === undefined } out(f(), g()); const h = function () { "use strict"\nreturn this }; out(h())',
  'a script that is strict as a whole':
    '"use strict"; try { undeclaredOfAll = 1 } catch (e) { out(e.name) } out((function () { return this })())',
  'sloppy scripts stay sloppy':
    'out((function () { return typeof this })()); implicitOne = 3; out(implicitOne, delete globalThis.implicitOne); out(010)',
  'lines that end without a semicolon':
    'let a = 1\nlet b = 2\n;[a, b] = [b, a]\nout(a, b)\nconst f = function () { return 3 }\n;(function () { out(f()) })()\nlet i = 0\nwhile (i < 2) i++\nout(i)\ndo i--\nwhile (i > 0)\nout(i)\nif (i) out("y")\nelse out("n")\nvar c = a\n`x`.length\nout(typeof c)'.replace(
      'var c = a\n`x`.length\nout(typeof c)',
      '',
    ),
  'a template on the next line is a tag': 'const f = (s) => s.length\nconst r = f\n`x`\nout(r)',
  'regular expressions and comments beside insertions':
    'const a = /=>/.test("=>") /* c */ ; // end\nconst b = 4 /2/ 1; /* x */ out(a, b) /* y */ ; if (/a/.test("a")) /* z */ out(1) // t\n/* last */',
  'arrow bodies: expression, object, sequence, conditional':
    'const a = () => ({ x: 1 }), b = () => (1, 2), c = (n) => n ? "y" : "n", d = () => [].concat(1), e = async () => ({}), f = (x) => (y) => x + y; out(a(), b(), c(1), c(0), d(), f(1)(2)); e().then((v) => out(v))',
  'dead zones are dead':
    'try { early; } catch (e) { out(e.message) } let early = 1; try { const x = x + 1 } catch (e) { out(e.message) } try { (() => late)() } catch (e) { out(e.message) } const late = 2; { try { out(typeof inner) } catch (e) { out(e.name) } let inner }',
  'each loop visit has its own binding':
    'const fs = []; for (let i = 0; i < 3; i++) fs.push(() => i); out(fs.map((f) => f())); const gs = []; for (const k in { a: 1, b: 2 }) gs.push(() => k); out(gs.map((g) => g())); for (let i = 0, f = () => i; i < 1; i++) out(f())',
  'closures in loop heads': 'const fs = []; for (let i = 0; fs.push(() => i), i < 2; i++); out(fs.map((f) => f()))',
  'var in loops and blocks':
    'for (var i = 0; i < 3; i++) { var k = i } out(i, k); if (false) { var never = 1 } out(never); out(typeof hoisted); function hoisted() {} { function inBlock() { return 1 } } out(inBlock())',
  'generators: yield, return, throw, delegate':
    'function* g() { try { const x = yield 1; out("got", x); yield* [2, 3]; return 4 } finally { out("cleanup") } } const it = g(); out(it.next()); out(it.next("v")); out(it.return(9)); out([...g()]); const t = g(); t.next(); try { t.throw(new Error("no")) } catch (e) { out(e.message) }',
  'yield in odd places':
    'function* g() { const a = [yield 1, yield 2]; const o = { [yield 3]: yield 4 }; if (yield 5) out("t"); return `${yield 6}` + (yield 7 ? "a" : "b") } const it = g(); for (let r = it.next(); !r.done; r = it.next(r.value)) out(r.value); out(g().next().value)',
  'the order of promise jobs is the same': `const log = []; async function a() { log.push('a1'); await null; log.push('a2'); const v = await b(); log.push('a3' + v); return 'ar' } async function b() { log.push('b1'); await 0; log.push('b2'); return 'x' }
    a().then((v) => log.push(v)); Promise.resolve().then(() => log.push('p1')).then(() => log.push('p2')).then(() => log.push('p3')).then(() => log.push('p4')).then(() => log.push('p5')); queueMicrotask(() => log.push('q')); (async () => { for await (const x of [1, Promise.resolve(2)]) log.push('f' + x) })();
    (async () => { const g = (async function* () { yield 1; yield 2 })(); for await (const x of g) log.push('g' + x) })(); (async () => await Promise.all([a(), b()]))().then(() => out(log.join(' ')))`,
  'async errors reach their catch':
    'async function f() { throw new RangeError("draft") } (async () => { try { await f() } catch (e) { out(e.name, e.message) } finally { out("f") } })(); f().catch((e) => out("c", e.message)); Promise.reject(undefined).catch((e) => out("u", e))',
  'thenables are called as often':
    'let n = 0; const t = { get then() { n++; return (r) => r(5) } }; (async () => { out(await t, n) })()',
  'class fields, private names, static blocks, accessors': `class Lock { #level = 1; static count = 0; rise = this.#level + 1; ['dy' + 'n'] = 3; static { Lock.count += 2; const t = 5; this.t = t } get level() { return this.#level } set level(v) { this.#level = v } #up() { return ++this.#level } up() { return this.#up() } static is(o) { return #level in o } }
    const l = new Lock(); l.level = 4; out(l.level, l.up(), l.rise, l.dyn, Lock.count, Lock.t, Lock.is(l), Lock.is({})); l.level++; out(l.level)`,
  'computed keys are evaluated once and in order':
    'const log = []; const k = (x) => { log.push(x); return x }; const o = { [k("a")]: k(1), [k("b")]: k(2), [k("c")]() {}, get [k("d")]() { return 1 } }; class C { [k("e")] = k(3); static [k("f")] = k(4); [k("g")]() {} } new C(); out(log, Object.keys(o))',
  'destructuring with defaults, in order':
    'const log = []; const d = (x) => { log.push(x); return x }; const { a = d(1), b: { c = d(2), ...r } = { e: 5 }, [d("k")]: f = d(3) } = {}; let [g = d(4), , h = d(5), ...i] = [undefined, 1, 2, 3]; ({ a: g, ...h } = { a: 7, z: 8 }); [g, h.y] = [1, 2]; out(log, a, c, r, f, g, h, i); (({ x = d(6) }, [y] = [d(7)]) => out(x, y))({})',
  'assignment forms':
    'let a = 1, o = { n: null, z: 0 }; a += 2; a **= 2; o.n ??= 5; o.z ||= 6; o.n &&= 7; a = o.k = 3; const i = { get p() { out("get"); return 1 }, set p(v) { out("set", v) } }; i.p += 1; i.p ||= 5; out(a, o); let x, y; x = y = 4; out(x, y); [x, y] = [y, 9]; out(x, y)',
  'logical parts run only when needed':
    'let n = 0; const t = () => (n++, true); false && t(); true || t(); null ?? t(); 1 ?? t(); out(n, 0 || "a", "" && t(), false || null || "z", (null ?? undefined) || 4)',
  'functions show their own text':
    'function fill(level, by = 0.5) { /* c */ return level + by } out(fill.length, ((a, b = 1, ...c) => 0).length, (class { constructor(x) {} }).length)',
  'values that are not Errors are thrown':
    'for (const v of [1, "s", null, undefined, { a: 1 }, Symbol("q")]) { try { throw v } catch (e) { out(e) } } try { throw undefined } catch { out("bare") }',
  'an error with a getter for message':
    'let ran = 0; class E extends Error { get message() { ran++; return "m" } } try { throw new E() } catch (e) { out(ran); out(e.message, ran) }',
  'finally wins':
    'function f() { try { return 1 } finally { return 2 } } function g() { for (const x of [1, 2]) { try { continue } finally { out("f", x) } } return 3 } function h() { try { throw 1 } catch (e) { return e } finally { out("h") } } out(f(), g(), h()); l: try { break l } finally { out("b") }',
  'switch: fall through, default in the middle, scope':
    'for (const x of [1, 2, 3, 4]) { switch (x) { case 1: out("one"); default: out("def"); break; case 2: { let y = x; out("two", y) } case 3: out("three") } } switch (1) { case 0: let z; case 1: try { z } catch (e) { out(e.name) } }',
  'getters and proxies are not touched by being shown':
    'let n = 0; const o = { get x() { n++; return 1 } }; const same = o; const p = new Proxy({}, { get() { n++ }, has() { n++; return false }, ownKeys() { n++; return [] }, getPrototypeOf() { n++; return null }, getOwnPropertyDescriptor() { n++ } }); const q = p; const list = [o, p]; class T { get [Symbol.toStringTag]() { n++; return "T" } toJSON() { n++ } toString() { n++; return "" } [Symbol.toPrimitive]() { n++; return 0 } } const t = new T(); out(n)',
  'replaced built-ins':
    'const saved = [Array.prototype.push, Map.prototype.get, Object.keys, Reflect.apply, Float64Array.prototype.slice]; Array.prototype.push = () => { throw new Error("push") }; Map.prototype.get = () => "g"; Object.keys = () => ["k"]; const m = new Map([[1, 2]]); let r = []; for (let i = 0; i < 100; i++) { const o = { i, m }; r[i] = o.i } const keys = Object.keys({}); Array.prototype.push = saved[0]; Map.prototype.get = saved[1]; Object.keys = saved[2]; out(r.length, keys)',
  'hoisted functions are there from the start': 'out(f()); function f() { return g() } function g() { return 1 }',
  'numbers at their edges':
    'const z = -0; const n = NaN; const b = 2n ** 70n; const arr = [, 1, , 2]; out(Object.is(z, -0), n, b, 0 in arr, arr.length); let big = 0; for (let i = 0; i < 300; i++) big += i * 1e300; out(big)',
  'a loop whose head declares what its body changes':
    'for (let i = 0, n = 10; i < n; i++, n--) { i += 1; if (i > 4) break; out(i, n) } for (const [k, { v }] of Object.entries({ a: { v: 1 } })) out(k, v); let key; for (key in { q: 1 }) out(key); const o = {}; for (o.x of [1, 2]) out(o.x); for ([o.y] of [[3]]) out(o.y)',
  'while with assignment in its test':
    'const re = /\\d/g; let m; while ((m = re.exec("a1b2")) !== null) out(m[0]); let n = 3; while (n--) out(n); do out(n++); while (n < 1)',
  'with statements': 'const o = { rise: 4 }; with (o) { out(rise); rise = 5 } out(o.rise)',
  'comma and void as statements':
    'let a = 0; a++, a++; void a; (a, out(a)); a > 1 ? out("y") : out("n"); a && out("and"); a || out("or"); !function () { out("iife") }(); new (class { constructor() { out("new") } })',
  'async arrows and methods':
    'const o = { async m() { return await 1 }, async *g() { yield* [1, 2] }, async ["c"]() { return 3 } }; (async () => { out(await o.m(), await o.c()); for await (const x of o.g()) out(x); const f = async (x) => x * 2; out(await f(4)) })()',
  'recursion and many visits':
    'const fib = (n) => n < 2 ? n : fib(n - 1) + fib(n - 2); out(fib(16)); let s = 0; for (let i = 0; i < 5000; i++) { const k = i % 7; s += k } out(s); function depth(n) { return n === 0 ? 0 : 1 + depth(n - 1) } out(depth(800))',
  'getters defined by the program on arrays':
    'Object.defineProperty(Array.prototype, "3", { set() { throw new Error("setter ran") }, configurable: true }); try { const a = [1, 2]; let t = 0; for (let i = 0; i < 50; i++) { const v = { i }; t += v.i } out(t, a.length) } finally { delete Array.prototype[3] }',
  'names like those of the instrumentation': 'const $ua = 1, $uac = 2, $ua_ = 3; out($ua + $uac + $ua_)',
  'unicode names and strings':
    'const größe = 4, 変 = "閘", e = "🛶"; const \\u0061b = 5; out(größe, 変, e, e.length, ab, `${e}${変}`)',
  'html-like comments and line separators':
    'const s = "\u2028"; out(s.length) // x\n<!-- old\nout(2)\n--> older\nout(3)',
  'empty statements and blocks': ';;; if (1); else; for (;;) { break } {} while (false); if (0) {} else {} out("end")',
};
