import fc from 'fast-check';
import { liveModule } from '#dist/patch/live-module.js';
import { planObservation } from '#dist/patch/observe.js';
import { match } from '#dist/patch/match.js';
import { isPure, stateOf } from '#dist/patch/state.js';
import { pointsOf } from '#dist/instrument/points.js';
import { bindingScope, scopesOf, usesWithin } from '#dist/syntax/scopes.js';
import { nodeTranslator } from '#dist/hosts/node/translate.js';
import { outlineText } from '../../test/stage.js';

const outline = (text: string, file = 'chamber.ts') => outlineText(`/canal/${file}`, text);

describe('what holds state, as far as a text tells', () => {
  const state = (text: string, name: string) => {
    const { program } = outline(text).parsed;
    const found = stateOf(program!, scopesOf(program!)).get(name);
    return [found?.assigned ?? false, [...(found?.members ?? [])].sort()];
  };

  test.each([
    ['a first value alone', 'let level = 0;', 'level', [false, []]],
    ['an assignment', 'let level = 0; level = 1;', 'level', [true, []]],
    ['a compound one in a function', 'let level = 0; function f() { level += 1; }', 'level', [true, []]],
    ['counted up', 'let level = 0; const f = () => level++;', 'level', [true, []]],
    ['a pattern', 'let level, sill; [level, { sill }] = [1, { sill: 2 }];', 'sill', [true, []]],
    ['the variable of a loop', 'let level; for (level of [1]) {}', 'level', [true, []]],
    ['a member', 'const gate = {}; gate.open = true;', 'gate', [false, ['open']]],
    ['a member further in', 'const gate = { at: {} }; gate.at.x = 1;', 'gate', [false, ['at']]],
    ['a computed member', 'const gate = {}; const k = "a"; gate[k] = 1;', 'gate', [false, ['*']]],
    ['a member named by a string', 'const gate = {}; gate["open"] = 1;', 'gate', [false, ['open']]],
    ['a deleted member', 'const gate = { open: 1 }; delete gate.open;', 'gate', [false, ['open']]],
    ['a list that is filled', 'const fleet = []; fleet.push(1);', 'fleet', [false, ['*']]],
    ['a list inside', 'const canal = { fleet: [] }; canal.fleet.push(1);', 'canal', [false, ['fleet']]],
    ['a map', 'const known = new Map(); known?.set(1, 2);', 'known', [false, ['*']]],
    ['a method that changes nothing', 'const fleet = [1]; fleet.map((n) => n);', 'fleet', [false, []]],
    ['behind a cast and parentheses', 'const gate = {}; ((gate as any)!).open = 1;', 'gate', [false, ['open']]],
  ])('%s', (_name, text, name, expected) => {
    expect(state(text, name)).toEqual(expected);
  });

  test.each([
    ['4.2', true],
    ['[1, { a: `x${n}` }]', true],
    ['() => send()', true],
    ['function () { send(); }', true],
    ['a ? b : -c.d[e]', true],
    ['send()', false],
    ['new Gate()', false],
    ['[await send()]', false],
    ['(n = 1)', false],
    ['{ a: n++ }', false],
    ['tag`x`', false],
    ['class { static x = send() }', false],
  ])('to evaluate %s again gives a value and does nothing: %s', (text, pure) => {
    const { program } = outline(`let n = 1; async function f(a, b, c, e) { const value = ${text}; }`).parsed;
    const body = program!.body[1].body.body[0] as { declarations: { init: never }[] };
    expect(isPure(body.declarations[0]!.init)).toBe(pure);
  });
});

describe('functions of two versions', () => {
  const pairs = (before: string, after: string): Record<string, string> => {
    const old = outline(before);
    const now = outline(after);
    const { functions } = match(old, now);
    return Object.fromEntries(
      now.functions.map((info, index) => [
        info.path,
        functions[index]! < 0 ? '' : old.functions[functions[index]!]!.path,
      ]),
    );
  };

  test('by name, wherever they stand', () => {
    expect(
      pairs(
        'function fill() { return 1; }\nfunction drain() { return 2; }',
        'function drain() { return 3; }\nfunction rise() {}\nfunction fill() { return 4; }',
      ),
    ).toEqual({
      drain: 'drain',
      rise: '',
      fill: 'fill',
    });
  });

  test('by likeness under another name, and never two with one', () => {
    const body = '{ const due = tonnes * rate + 7; if (due > 100) return 100; return due; }';
    const found = match(
      outline(`function toll(tonnes, rate) ${body}`),
      outline(`function dues(tonnes, rate) ${body}\nfunction other(tonnes, rate) ${body}`),
    );
    expect([...found.renamed.values()].filter((name) => name === 'toll')).toHaveLength(1);
    expect([...found.functions].filter((index) => index === 0)).toHaveLength(1);
  });

  test('members with their class, arrows without a name in their order', () => {
    const before =
      'class Gate { turn() { return 1; } get level() { return 2; } }\nconst list = [() => 1, () => 22, () => 333];';
    const after =
      'class Gate { get level() { return 3; } turn() { return 4; } }\n' +
      'const list = [() => 1, () => "new", () => 22, () => 334];';
    const found = pairs(before, after);
    expect([found['Gate/turn'], found['Gate/level']]).toEqual(['Gate/turn', 'Gate/level']);
    expect(Object.entries(found).filter(([path, old]) => path.includes('()') && old === '')).toHaveLength(1);
  });

  test('every function of an unchanged text goes on as itself, in any order of its declarations', () => {
    const parts = [
      'function fill(n) { return n + 1; }',
      'const rise = (n) => n * 2;',
      'class Gate { turn() { return () => 1; } }',
      'export function drain() { return [1].map((n) => n); }',
      'let tick = function again() {};',
    ];
    fc.assert(
      fc.property(fc.shuffledSubarray(parts, { minLength: parts.length }), (shuffled) => {
        const before = outline(parts.join('\n'));
        const after = outline(shuffled.join('\n'));
        const { functions } = match(before, after);
        after.functions.forEach((info, index) => expect(before.functions[functions[index]!]?.path).toBe(info.path));
      }),
      { numRuns: 40 },
    );
  });
});

describe('where a function can be changed, and through which hook', () => {
  const hooks = (text: string): Record<string, string> => {
    const made = outline(text);
    return Object.fromEntries(
      made.functions.map((info, index) => [info.path, pointsOf(made).functions[index]!.hook ?? 'none']),
    );
  };

  test.each([
    ['of the module', 'function fill() {}\nconst rise = () => 1;', { fill: 'module', rise: 'module' }],
    [
      'with a scope of its own around it',
      'function make() { let n = 0; return () => ++n; }',
      { make: 'module', 'make/()': 'scope' },
    ],
    ['in a block that bears names', 'for (const gate of [1]) { setTimeout(() => gate); }', { 'setTimeout()': 'scope' }],
    [
      'whose scope has nothing it could use',
      'function main() { setInterval(function tick() {}); }',
      { main: 'module', 'main/tick': 'module' },
    ],
    [
      'used up by the call it stands in',
      'const all = [1].map((n) => n).sort((a, b) => a - b);',
      { 'map()': 'none', 'sort()': 'none' },
    ],
    ['called where it stands', '(() => { let n = 1; })();', { '()': 'none' }],
    [
      'members of a class',
      'class Gate { #at = 0; turn() {} static open() {} get level() { return this.#at; } }',
      { 'Gate/turn': 'class', 'Gate/open': 'class', 'Gate/level': 'class' },
    ],
    ['arrows in fields', 'class Gate { turn = () => this; }', { 'Gate/turn': 'field' }],
    [
      'members of a class that a function makes',
      'function make(n) { return class Gate { turn() { return n; } }; }',
      { make: 'module', 'make/Gate/turn': 'inner' },
    ],
  ])('%s', (_name, text, expected) => {
    const found = hooks(text);
    for (const [path, hook] of Object.entries(expected))
      expect([
        path,
        Object.entries(found).find(([name]) => name === path || name.endsWith(`/${path.split('/').pop()!}`))?.[1],
      ]).toEqual([path, hook]);
  });
});

describe('what it takes to observe functions', () => {
  const TEXT = `const RATE = 2;
export function fill(by: number) {
  for (let i = 0; i < by; i++) level += RATE;
  return level;
}
let level = 0;
class Pound { constructor(readonly rise: number) { level = rise; } }
class Chamber extends Pound { constructor() { super(3); this.open(); } open() { return [1, 2].map((n) => n * RATE); } }
export const make = () => { let n = 0; return () => ++n; };
`;
  const made = outline(TEXT);
  const module = liveModule(made);
  const all = new Map(made.functions.map((_, index) => [index, 'values' as const]));
  const plan = planObservation(module, all, 5, nodeTranslator);

  test('each function with a patch point is a part of its own; what it uses up reports with it', () => {
    const parts = plan.parts.map(({ index }) => made.functions[index]!.path);
    expect(parts).toEqual(
      made.functions
        .filter((info, index) => info.kind === 'constructor' || pointsOf(made).functions[index]!.hook !== undefined)
        .map((info) => info.path),
    );
    expect(parts.some((path) => path.includes('map()'))).toBe(false);
    const open = plan.parts.find(({ index }) => made.functions[index]!.path === 'Chamber/open')!;
    expect(plan.sites.slice(open.from, open.to).filter((site) => site.kind === 'function')).toHaveLength(2);
    // No part reports for another, and together they are all.
    plan.parts.forEach((part, at) => expect(part.from).toBe(at === 0 ? 0 : plan.parts[at - 1]!.to));
    expect(plan.parts[plan.parts.length - 1]!.to).toBe(plan.sites.length);
  });

  test('places are slices of the text that runs, each within its function', () => {
    for (const { index, from, to } of plan.parts) {
      const info = made.functions[index]!;
      for (const site of plan.sites.slice(from, to)) {
        expect(site.start).toBeGreaterThanOrEqual(info.start);
        expect(site.end).toBeLessThanOrEqual(info.end);
        expect(plan.sites[site.id]).toBe(site);
      }
    }
  });

  test('parameters report their values, of a function that is opened alone', () => {
    const names = (depth: 'counts' | 'values') =>
      planObservation(
        module,
        new Map([[made.functions.findIndex((info) => info.name === 'fill'), depth]]),
        6,
        nodeTranslator,
      )
        .sites.filter((site) => site.kind === 'variable')
        .map((site) => site.name);
    expect(names('values')).toContain('by');
    expect(names('counts')).toEqual([]);
  });

  test('it is no change: state and slots are as they were, and code of the program has no guard', () => {
    expect(plan.steps.every((step) => step.kind === 'function')).toBe(true);
    expect(plan.next.outline).toBe(module.outline);
    expect(plan.next.changed).toBe(module.changed);
    expect(plan.next.nextSlot).toBe(module.nextSlot);
    const fill = plan.steps.find((step) => step.name === 'fill') as { code: string };
    expect(fill.code).toContain('.probes(5)');
    expect(fill.code).not.toContain('.due(');
    const changed = planObservation(
      { ...module, changed: new Set(module.functions.flat().map(({ slot }) => slot)) },
      all,
      7,
      nodeTranslator,
    );
    expect((changed.steps.find((step) => step.name === 'fill') as { code: string }).code).toContain('.due(');
  });
});

describe('what a name refers to', () => {
  test.each([
    ['a parameter hides the module', 'let n = 1; function f(n) { return n; }', 'parameters'],
    ['a local of a block', 'let n = 1; function f() { { const n = 2; use(n); } }', 'block'],
    ['var is of the function', 'function f() { { var n = 2; } return n; }', 'function'],
    ['what a catch binds', 'let n; function f() { try {} catch (n) { use(n); } }', 'catch'],
    ['the variable of a loop', 'let n; function f() { for (const n of []) use(n); }', 'loop'],
    ['the own name of a function expression', 'let n; const f = function n() { return n; };', 'self'],
    ['a class inside sees itself', 'const f = () => { const a = class n { m() { return n; } }; };', 'class'],
    ['the module', 'let n = 1; function f() { return n; }', 'module'],
    ['nobody', 'function f() { return n; }', undefined],
  ])('%s', (_name, text, kind) => {
    const { program } = outline(text, 'chamber.js').parsed;
    const scopes = scopesOf(program!);
    const uses = usesWithin(scopes, 0, text.length).filter((use) => use.name === 'n');
    const last = uses[uses.length - 1]!;
    const found = bindingScope(last.scope, 'n')?.kind;
    // Parameters and body of a function are one scope where nothing tells them apart.
    expect(kind === 'parameters' ? ['parameters', 'function'] : [kind]).toContain(found);
  });
});
