import { outlineText, Stage } from '../../test/stage.js';
import { planText } from '#dist/patch/notes.js';
import type { Plan } from '#dist/patch/plan.js';
import { likeness, shapeOf } from '#dist/patch/shape.js';
import fc from 'fast-check';

async function stage(text: string, file = 'main.js'): Promise<Stage> {
  const made = new Stage({ [file]: text }, `/canal/${file}`);
  await made.start();
  return made;
}

function notes(plan: Plan): [string, string, string?][] {
  return plan.notes.map(({ kind, name, reason }) => (reason === undefined ? [kind, name] : [kind, name, reason]));
}

describe('a plan', () => {
  test('says in data what becomes of each thing, where, and why', async () => {
    const live = await stage(
      'const RATE = 1;\nlet level = 4;\nexport function get() { level += 1; return [RATE, level]; }\n',
    );
    const [plan] = live.plan({
      'main.js':
        '// log\nconst RATE = 2;\nlet level = 9;\nexport function get() { level += 1; return ' +
        '[RATE, level, ramp()]; }\nfunction ramp() {}\nget();\n',
    });
    expect(plan!.format).toBe('usher-anvil/plan@1');
    expect(plan!.notes).toEqual([
      { kind: 'assigned', name: 'RATE', line: 1 },
      {
        kind: 'kept',
        name: 'level',
        line: 2,
        reason: 'it holds state: the live value stays; reset it to take the new one',
      },
      { kind: 'added', name: 'ramp', line: 4 },
      { kind: 'patched', name: 'get', line: 3 },
      {
        kind: 'waits',
        name: 'line 6: get();',
        line: 5,
        reason: 'a statement is not run by itself in a program that runs',
      },
    ]);
    expect(planText(plan!)).toBe('get patched · ramp added · RATE assigned · level kept · 1 statement waits');
    expect(plan!.waiting).toMatchObject([{ line: 5, text: 'get();' }]);
    expect([...plan!.resets.keys()]).toEqual(['level']);
  });

  test('names a local that a live scope never had, and what to do', async () => {
    const live = await stage('export function make(n) {\n  return () => n;\n}\n');
    const [plan] = live.plan({
      'main.js': 'export function make(n) {\n  const twice = n * 2;\n  return () => twice;\n}\n',
    });
    expect(notes(plan!)).toEqual([
      [
        'kept',
        'make.() (line 3)',
        'made before, they finish with the body they have: it needs twice, which is not in the scope ' +
          'it was made in. What make makes from now on has the new one',
      ],
      ['patched', 'make'],
    ]);
  });

  test.each([
    [
      'namespaces',
      'namespace Locks { export const rise = 1; }\nexport const f = () => Locks.rise;\n',
      'rise = 1',
      'rise = 2',
      /namespace/,
    ],
    [
      'decorators',
      'const a = (v: unknown) => undefined;\nconst b = (v: unknown) => undefined;\n' +
        '@a class Lock {}\nexport const f = () => Lock;\n',
      '@a class',
      '@b class',
      /decorators/,
    ],
    [
      'a first parent',
      'class Gate {}\nexport class Lock {}\nexport const f = () => Gate;\n',
      'class Lock {',
      'class Lock extends Gate {',
      /cannot be given a parent/,
    ],
    ['a computed field', 'const K = "a";\nexport class Lock { [K] = 1 }\n', '[K] = 1', '[K] = 2', /computed name/],
    [
      'a whole module re-exported',
      'export const a = 1;\n',
      'export const a = 1;\n',
      "export const a = 1;\nexport * from 'node:path';\n",
      /name them/,
    ],
    [
      'a super call under a name that the live constructor has',
      'class Gate { constructor(n: number) {} }\nconst level = 1;\nexport class Lock extends Gate { ' +
        'constructor(rise: number) { const level = rise; super(level); } }\n',
      'constructor(rise: number) { const level = rise; super(level); }',
      'constructor(n: number) { super(level + n); }',
      /level means a local/,
    ],
    [
      'a private getter that becomes a method',
      'export class Tank { get #v() { return 1 } f() { return this.#v } }\n',
      'get #v() { return 1 }',
      '#v() { return 1 }',
      /private/,
    ],
  ])('says why it cannot change %s', async (_name, before, from, into, reason) => {
    const live = await stage(before, 'main.ts');
    const [plan] = live.plan({ 'main.ts': before.replace(from, into) });
    const cannot = plan!.notes.filter((note) => note.kind === 'cannot');
    expect(cannot).toHaveLength(1);
    expect(cannot[0]!.reason).toMatch(reason);
    expect(cannot[0]!.reason).toMatch(/restart|reload|name them/);
  });

  test('is taken back whole, step by step', async () => {
    const first =
      'const A = { n: 1 };\nclass Lock { rise = 1; up() { return this.rise; } }\n' +
      'export const lock = new Lock();\nexport const list = [1];\nexport function get() { return A.n; }\n';
    const live = await stage(first);
    const get = live.m.get as () => unknown;
    const all = (): unknown =>
      JSON.parse(
        JSON.stringify(live.evaluate('[m.get(), m.lock.up(), m.lock.fall, m.lock.down?.(), m.list, m.extra]')),
      );
    const start = all();
    await live.save({
      'main.js': first
        .replace('n: 1', 'n: 2, more: 3')
        .replace('rise = 1;', 'rise = 1; fall = 5; down() { return -1; }')
        .replace('return this.rise', 'return this.rise + this.fall')
        .replace('[1]', '[1, 2]')
        .replace('return A.n', 'return helper()')
        .concat('function helper() { return [A.n, A.more]; }\nexport const extra = 1;\n'),
    });
    const changed = all();
    expect(changed).toEqual([[2, 3], 6, 5, -1, [1, 2], 1]);
    expect(get()).toEqual([2, 3]);
    expect(live.undo()).toBe(true);
    expect(all()).toEqual(start);
    expect(live.undo()).toBe(false);
  });

  test('that fails half-way leaves everything as it was', async () => {
    const before =
      'const A = { n: 1 };\nclass Lock { rise = 1; }\nexport const lock = new Lock();\n' +
      'export function get() { return A.n; }\n';
    const live = await stage(before);
    const said = await live.save({
      'main.js': before
        .replace('n: 1', 'n: 2')
        .replace('rise = 1;', 'rise = 1; fall = missing();')
        .replace('A.n', 'A.n * 10'),
    });
    expect(said).toBe('failed: missing is not defined');
    expect(live.evaluate('[m.get(), m.lock.fall === undefined, "fall" in m.lock]')).toEqual([1, true, false]);
    expect(await live.save({ 'main.js': before.replace('A.n', 'A.n * 10') })).toBe('get patched');
    expect(live.evaluate('m.get()')).toBe(10);
  });

  test('gives a function that was taken out and came back its identity and state', async () => {
    const text =
      'let n = 0;\nexport const f = () => (typeof up === "function" ? up() : -1);\n' +
      'function up() { return ++n; }\nexport const held = [up];\n';
    const live = await stage(text);
    live.evaluate('m.f()');
    const without = text.replace('function up() { return ++n; }\n', '');
    await live.save({ 'main.js': without });
    expect(await live.save({ 'main.js': text.replace('++n', '(n += 10)') })).not.toMatch(/failed/);
    expect(live.evaluate('[m.f(), m.held[0]()]')).toEqual([11, 21]);
  });

  test('of one function patched 300 times keeps few versions', async () => {
    const text = (n: number): string =>
      `export function make(a) { let n = ${n}; const k${n % 40} = a; return () => n + k${n % 40}; }\n`;
    const live = await stage(text(0));
    for (let n = 1; n <= 300; n++) await live.save({ 'main.js': text(n) });
    expect(live.evaluate('m.make(1)()')).toBe(301);
    expect(live.generations('main.js')).toBeLessThanOrEqual(26);
  });

  test('stops patched code that does not end, and takes the patch back', async () => {
    const live = await stage(
      'export function wait(n) { return n; }\nexport function spin(go) { while (go()) { /* on */ } return "done"; }\n',
    );
    live.patience(50);
    await live.save({
      'main.js':
        'export function wait(n) { while (true) { n++; } }\n' +
        'export function spin(go) { while (go()) { /* on */ } return "done"; }\n',
    });
    expect(() => live.evaluate('m.wait(1)')).toThrow(
      /ran for more than 0.05 s without an end, and was stopped; the last change is undone/,
    );
    expect(live.evaluate('m.wait(1)')).toBe(1);
    // A loop of old code that goes on because of a new function.
    await live.save({
      'main.js':
        'export function wait(n) { return true; }\n' +
        'export function spin(go) { while (go()) { /* on */ } return "done"; }\n',
    });
    expect(() => live.evaluate('m.spin(() => m.wait(1))')).toThrow(/without an end/);
    expect(live.evaluate('m.spin(() => m.wait(0))')).toBe('done');
  });
});

describe('comparing', () => {
  const shape = (text: string): string => shapeOf(outlineText('/canal/a.ts', text).parsed.program!, () => undefined);

  test('sees what runs, and nothing else', () => {
    expect(shape('const a: number = (1 + 2) as number; // x')).toBe(shape('const a=1+2'));
    expect(shape("const a = 'b'")).not.toBe(shape("const a = 'c'"));
    expect(shape('a.b')).not.toBe(shape('a[b]'));
    expect(shape('a?.b')).not.toBe(shape('a.b'));
    expect(shape('let a')).not.toBe(shape('const a = undefined'));
    expect(shape('async () => 1')).not.toBe(shape('() => 1'));
    expect(shape('`a`')).not.toBe(shape('`b`'));
    expect(shape('/a/g')).not.toBe(shape('/a/i'));
    expect(shape('x++')).not.toBe(shape('++x'));
  });

  test('likeness is symmetric, and 1 for the same words alone', () => {
    fc.assert(
      fc.property(fc.string(), fc.string(), (a, b) => {
        expect(likeness(a, b)).toBeCloseTo(likeness(b, a), 10);
        expect(likeness(a, a)).toBe(1);
        expect(likeness(a, b)).toBeLessThanOrEqual(1);
      }),
      { numRuns: 200 },
    );
  });
});

// ---- random programs, random edits ------------------------------------------------

interface Fn {
  name: string;
  form: 'function' | 'arrow' | 'block' | 'method' | 'class' | 'static' | 'closure' | 'default';
  body: string;
}

interface Prog {
  constants: { name: string; value: string }[];
  functions: Fn[];
}

const NAMES = ['fill', 'drain', 'ramp', 'gauge', 'level', 'sluice', 'weir'];
const CONSTANTS = ['RATE', 'RISE', 'STEP', 'LIMIT'];

function textOf({ constants, functions }: Prog): string {
  const lines = constants.map(({ name, value }) => `const ${name} = ${value};`);
  const object: string[] = [];
  const members: string[] = [];
  for (const { name, form, body } of functions) {
    if (form === 'function') lines.push(`function ${name}(n) { return ${body}; }`);
    else if (form === 'arrow') lines.push(`const ${name} = (n) => ${body};`);
    else if (form === 'block') lines.push(`const ${name} = ({ n }, m = n) => { const k = ${body}; return k + m; };`);
    else if (form === 'default') lines.push(`const ${name} = function (n = 3) { return ${body}; };`);
    else if (form === 'closure') lines.push(`const ${name} = ((base) => (n) => base + (${body}))(2);`);
    else if (form === 'method') object.push(`${name}(n) { return ${body}; }`);
    else members.push(`${form === 'static' ? 'static ' : ''}${name}(n) { return ${body}; }`);
  }
  lines.push(`const keeper = { ${object.join(', ')} };`, `class Lock { ${members.join(' ')} }`);
  const calls = functions.map(({ name, form }) => {
    const call =
      form === 'method'
        ? `keeper.${name}`
        : form === 'class'
          ? `new Lock().${name}`
          : form === 'static'
            ? `Lock.${name}`
            : name;
    return `${name}: ${call}(${form === 'block' ? '{ n: 5 }' : '5'})`;
  });
  return (
    `${lines.join('\n')}\nexport function all() { return { ${calls.join(', ')} }; }\n` +
    `export const values = () => [${constants.map((one) => one.name).join(', ')}];\n`
  );
}

const leaf = fc.oneof(fc.integer({ min: 0, max: 9 }).map(String), fc.constant('n'));

/** An expression over constants and functions that stand before it in the program. */
function bodyOf(constants: readonly string[], functions: readonly Fn[]): fc.Arbitrary<string> {
  const plain = functions.filter((fn) => !['method', 'class', 'static', 'block'].includes(fn.form));
  const part = fc.oneof(
    leaf,
    ...(constants.length > 0 ? [fc.constantFrom(...constants)] : []),
    ...(plain.length > 0 ? [fc.constantFrom(...plain).map((fn) => `${fn.name}(1)`)] : []),
  );
  return fc.tuple(part, fc.constantFrom('+', '-', '*'), part).map(([a, op, b]) => `${a} ${op} ${b}`);
}

const program: fc.Arbitrary<Prog> = fc
  .tuple(
    fc.integer({ min: 1, max: 3 }),
    fc.shuffledSubarray(NAMES, { minLength: 2, maxLength: 5 }),
    fc.infiniteStream(fc.nat()),
  )
  .chain(([count, names, _seeds]) => {
    const constants = CONSTANTS.slice(0, count);
    let built: fc.Arbitrary<Fn[]> = fc.constant([]);
    for (const name of names)
      built = built.chain((functions) =>
        fc
          .tuple(
            fc.constantFrom<Fn['form']>(
              'function',
              'arrow',
              'block',
              'method',
              'class',
              'static',
              'closure',
              'default',
            ),
            bodyOf(constants, functions),
          )
          .map(([form, body]) => [...functions, { name, form, body }]),
      );
    const values = fc.tuple(
      ...constants.map((_, index) =>
        index === 0
          ? fc.integer({ min: 1, max: 9 }).map(String)
          : bodyOf(constants.slice(0, index), []).map((text) => text.replaceAll('n', '1')),
      ),
    );
    return fc.tuple(values, built).map(([made, functions]) => ({
      constants: constants.map((name, index) => ({ name, value: made[index]! })),
      functions,
    }));
  });

test('the constructor of a class that came while the program ran is patched too', async () => {
  const live = await stage('export const make = () => undefined;\n');
  await live.save({
    'main.js': 'export const make = () => new Lock().rise;\nclass Lock { constructor() { this.rise = 1; } }\n',
  });
  expect(live.evaluate('m.make()')).toBe(1);
  expect(
    await live.save({
      'main.js': 'export const make = () => new Lock().rise;\nclass Lock { constructor() { this.rise = 2; } }\n',
    }),
  ).toBe('Lock.constructor patched');
  expect(live.evaluate('m.make()')).toBe(2);
});

test(
  'a function that came back and then goes on under another name is ' + 'not taken for what comes under its first name',
  async () => {
    const live = await stage('function fill(n) { return n + 1; }\nexport const all = () => [fill(1)];\n');
    await live.save({ 'main.js': 'export const all = () => [];\n' });
    await live.save({ 'main.js': 'function fill(n) { return n + 2; }\nexport const all = () => [fill(1)];\n' });
    await live.save({ 'main.js': 'function weir(n) { return n + 2; }\nexport const all = () => [weir(1)];\n' });
    await live.save({
      'main.js':
        'function fill(n) { return n * 50; }\nfunction weir(n) { return n + 3; }\n' +
        'export const all = () => [fill(1), weir(1)];\n',
    });
    expect(live.evaluate('m.all()')).toEqual([50, 4]);
  },
);

test('after random edits, a patched program and a fresh start of its text give the same', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(program, { minLength: 2, maxLength: 5 }), async (versions) => {
      const live = await stage(textOf(versions[0]!));
      for (const version of versions.slice(1)) {
        const text = textOf(version);
        const said = await live.save({ 'main.js': text });
        expect(said).not.toMatch(/^failed|could not be done/);
        const fresh = await stage(text);
        expect({ all: live.evaluate('m.all()'), values: live.evaluate('m.values()') }).toEqual({
          all: fresh.evaluate('m.all()'),
          values: fresh.evaluate('m.values()'),
        });
      }
    }),
    { numRuns: 120 },
  );
});
