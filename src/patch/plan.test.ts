import { parse } from '#dist/syntax/parse.js';
import { outlineOf, type Outline } from '#dist/syntax/outline.js';
import { compile } from '#dist/instrument/compile.js';
import { nodeTranslator } from '#dist/hosts/node/translate.js';
import { liveModule, planChanges, planText, type LiveModule, type Plan } from '#dist/patch/plan.js';
import { PatchTable } from '#dist/runtime/patches.js';
import vm from 'node:vm';

function outline(text: string): Outline {
  const parsed = parse(text, { file: '/canal/live.ts', packageType: 'module' });
  expect(parsed.problems).toEqual([]);
  return outlineOf(parsed);
}

/** A module that runs, as the registry runs it, with the engine's part left out. */
class Running {
  readonly exports: Record<string, () => unknown> = {};
  readonly late: Record<string, unknown>;
  private readonly table = new PatchTable();
  private module: LiveModule;

  constructor(text: string) {
    const first = outline(text);
    this.module = liveModule(first);
    const file = first.parsed.file;
    this.late = this.table.lateOf(file, {});
    const { code } = compile(first, { depth: 'off', form: 'linked', patchable: true, translator: nodeTranslator });
    const face = {
      exports: (getters: Record<string, () => unknown>) => Object.assign(this.exports, getters),
      hook: (evaluate: (text: string) => unknown) => this.table.hook(file, evaluate),
      classHook: (path: string, self: object, evaluate: (text: string) => unknown) => this.table.classHook(file, path, self, evaluate),
      patches: this.table.tableOf(file),
      late: this.late,
      constant: () => {
        throw new TypeError('Assignment to constant variable.');
      },
    };
    (vm.runInThisContext(code) as (...args: unknown[]) => unknown)(face, {});
  }

  get(name: string): unknown {
    return this.exports[name]!();
  }

  call(name: string, ...args: unknown[]): unknown {
    return (this.get(name) as (...args: unknown[]) => unknown)(...args);
  }

  plan(text: string): Plan {
    return planChanges(this.module, outline(text), nodeTranslator);
  }

  save(text: string): string {
    const plan = this.plan(text);
    const { failed } = this.table.apply(plan.steps);
    if (failed) return `failed: ${(failed.error as Error).message}`;
    this.module = plan.next;
    return planText(plan);
  }
}

describe('a save', () => {
  test('patches a body for whoever holds the function, and keeps all state', () => {
    const live = new Running('let ticks = 0;\nexport function tick() { ticks += 1; return ticks; }\n');
    const held = live.get('tick') as () => number;
    expect([held(), held()]).toEqual([1, 2]);
    expect(live.save('let ticks = 0;\nexport function tick() { ticks += 10; return ticks; }\n')).toBe('tick patched');
    expect(held()).toBe(12);
    expect(live.get('tick')).toBe(held);
    expect(live.save('let ticks = 0;\nexport function tick() { ticks -= 2; return ticks; }\n')).toBe('tick patched');
    expect(held()).toBe(10);
  });

  test('adds helpers and constants, and changes them again', () => {
    const live = new Running('export function fill(level: number): number { return level + 1; }\n');
    expect(
      live.save(
        'const STEP = 5;\nfunction ramp(n: number): number { return n * STEP; }\nexport function fill(level: number): number { return level + ramp(1); }\n',
      ),
    ).toBe('fill patched · STEP, ramp added');
    expect(live.call('fill', 1)).toBe(6);
    expect(
      live.save(
        'const STEP = 7;\nfunction ramp(n: number): number { return n * STEP + 1; }\nexport function fill(level: number): number { return level + ramp(1); }\n',
      ),
    ).toBe('ramp patched · STEP assigned');
    expect(live.call('fill', 1)).toBe(9);
  });

  test('assigns a changed constant, keeps a variable, and a write to a constant throws as before', () => {
    const live = new Running('const RATE = 1; let level = 4;\nexport function get() { return [RATE, level]; }\nexport function set() { RATE = 3; }\n');
    const plan = live.plan('const RATE = 2; let level = 9;\nexport function get() { return [RATE, level]; }\nexport function set() { RATE = 3; }\n');
    expect(plan.notes).toEqual([
      { kind: 'assigned', name: 'RATE' },
      { kind: 'kept', name: 'level', reason: 'a variable keeps its live value' },
    ]);
    expect(live.save('const RATE = 2; let level = 9;\nexport function get() { return [RATE, level]; }\nexport function set() { RATE = 3; }\n')).toBe(
      'RATE assigned · level kept',
    );
    expect(live.call('get')).toEqual([2, 4]);
    expect(() => live.call('set')).toThrow('Assignment to constant variable.');
  });

  test('patches methods, accessors, statics and private methods of live instances, with super', () => {
    const before = `class Gate { name() { return 'gate' } }
export class Lock extends Gate { #level = 1; static made = 0; static make() { return new Lock() } get level() { return this.#level } set level(v) { this.#level = v } #up() { this.#level += 1 } raise() { this.#up(); return this.#level } name() { return super.name() } }
`;
    const after = before
      .replace('return super.name() }', "return super.name() + '!' }")
      .replace('get level() { return this.#level }', 'get level() { return this.#level * 100 }')
      .replace('this.#level += 1', 'this.#level += 5')
      .replace('return new Lock()', 'Lock.made++; return new Lock()')
      .replace('raise() {', 'drop() { return --this.#level } raise() {');
    const live = new Running(before);
    const Lock = live.get('Lock') as { make(): { level: number; raise(): number; name(): string; drop(): number }; made: number };
    const lock = Lock.make();
    expect([lock.raise(), lock.name(), lock.level]).toEqual([2, 'gate', 2]);
    expect(live.save(after)).toBe('Lock.static make, Lock.get level, Lock.#up, Lock.name patched · Lock.drop added');
    expect([lock.raise(), lock.name(), lock.level, lock.drop()]).toEqual([7, 'gate!', 700, 6]);
    Lock.make();
    expect(Lock.made).toBe(1);
  });

  test('patches arrows, object members and callbacks that something already holds', () => {
    const before = `const held = []; const hold = (f) => held.push(f);
export const double = (n, { by = 2 } = {}, ...rest) => n * by + rest.length;
export const keeper = { rounds: 0, walk() { return ++this.rounds }, get mood() { return 'calm' }, greet: (who) => 'hello ' + who };
hold((n) => n + 1); hold(function (n) { return n - 1 });
export const all = () => held.map((f) => f(10));
`;
    const live = new Running(before);
    const { keeper } = { keeper: live.get('keeper') as { walk(): number; mood: string; greet(who: string): string } };
    expect([live.call('double', 3), live.call('all'), keeper.walk()]).toEqual([6, [11, 9], 1]);
    const after = before
      .replace('n * by + rest', 'n * by * 10 + rest')
      .replace('++this.rounds', '(this.rounds += 10)')
      .replace("'calm'", "'busy'")
      .replace("'hello '", "'ahoy '")
      .replace('n + 1', 'n + 100')
      .replace('n - 1', 'n - 100');
    expect(live.save(after)).toContain('double, keeper.walk, keeper.mood, keeper.greet');
    expect([live.call('double', 3, { by: 3 }, 1), live.call('all'), keeper.walk(), keeper.mood, keeper.greet('Heron')]).toEqual([
      91,
      [110, -90],
      11,
      'busy',
      'ahoy Heron',
    ]);
  });

  test('patches generators and async functions for their next call', async () => {
    const before =
      'export function* steps() { yield 1; yield 2 }\nexport async function wait() { await null; return 1 }\nexport async function* flow() { yield 1 }\n';
    const live = new Running(before);
    const running = live.call('steps') as Generator<number>;
    expect(running.next().value).toBe(1);
    expect(live.save(before.replace('yield 1; yield 2', 'yield 10; yield 20').replace('return 1', 'return 5').replace('{ yield 1 }', '{ yield 7 }'))).toBe(
      'steps, wait, flow patched',
    );
    expect(running.next().value).toBe(2);
    expect([...(live.call('steps') as Generator<number>)]).toEqual([10, 20]);
    expect(await live.call('wait')).toBe(5);
    const flow: number[] = [];
    for await (const n of live.call('flow') as AsyncGenerator<number>) flow.push(n);
    expect(flow).toEqual([7]);
  });

  test('says what it did not do, with the reason', () => {
    const before = 'export class Lock { rise = 1 }\nconsole.assert(true);\n{ const inner = 1; globalThis.inBlock = () => inner; }\n';
    const live = new Running(before);
    const plan = live.plan(
      "import fs from 'node:fs';\nexport class Lock { rise = 2; constructor() {} }\nconsole.assert(true, fs);\nfunction fresh() {}\n{ const inner = 1; globalThis.inBlock = () => inner + 1; }\n",
    );
    expect(plan.notes.map((note) => [note.kind, note.name])).toEqual(
      expect.arrayContaining([
        ['cannot', 'Lock'],
        ['waits', 'line 3: console.assert(true, fs);'],
        ['cannot', "import fs from 'node:fs'"],
        ['added', 'fresh'],
      ]),
    );
    expect(plan.notes.filter((note) => note.kind === 'cannot').every((note) => (note.reason ?? '').length > 10)).toBe(true);
    expect(plan.notes.some((note) => note.kind === 'cannot' && /block/.test(note.reason ?? ''))).toBe(true);
  });

  test('is applied whole or not at all', () => {
    const live = new Running('const A = 1;\nexport function get() { return A; }\n');
    expect(live.save('const A = 2;\nconst B = missing.level;\nexport function get() { return A + B; }\n')).toBe('failed: missing is not defined');
    expect(live.call('get')).toBe(1);
    expect(live.late).toEqual({});
    expect(live.save('const A = 2;\nconst B = 3;\nexport function get() { return A + B; }\n')).toBe('get patched · B added · A assigned');
    expect(live.call('get')).toBe(5);
  });

  test('of text that only moved does nothing', () => {
    const text = 'export function a() { return 1 }\nexport function b() { return 2 }\n';
    const live = new Running(text);
    expect(live.save('// moved\n\nexport function b() { return 2 }\n\nexport function a() { return 1 }\n')).toBe('nothing to do');
    expect(live.save('export function a() { return 10 }\nexport function b() { return 2 }\n')).toBe('a patched');
    expect([live.call('a'), live.call('b')]).toEqual([10, 2]);
  });
});
