/** The planner's passes, each alone. */
import { changeOf } from '#dist/patch/change.js';
import { continuityOf } from '#dist/patch/continuity.js';
import { decideDeclarations } from '#dist/patch/decide/declarations.js';
import { decideFunctions } from '#dist/patch/decide/functions.js';
import { decideImports } from '#dist/patch/decide/imports.js';
import { decideStatements } from '#dist/patch/decide/statements.js';
import { Decisions } from '#dist/patch/decisions.js';
import { inTextOrder } from '#dist/patch/emit.js';
import { LateNames } from '#dist/patch/late-names.js';
import { liveModule } from '#dist/patch/live-module.js';
import { planText } from '#dist/patch/notes.js';
import { obstacle } from '#dist/patch/obstacles.js';
import { Shapes } from '#dist/patch/shapes.js';
import { allocate } from '#dist/patch/slots.js';
import { outlineText } from '../../test/stage.js';

const FILE = 'chamber.js';

function deciding(before: string, after: string) {
  const module = liveModule(outlineText(FILE, before));
  const change = changeOf(module, outlineText(FILE, after));
  return {
    change,
    names: new LateNames(change.before, change.prefix, module),
    decisions: new Decisions(change.after, []),
  };
}

describe('continuity', () => {
  const of = (before: string, after: string) =>
    continuityOf(liveModule(outlineText(FILE, before)), outlineText(FILE, after));

  test('a function goes on under its name, wherever it stands', () => {
    const { functions } = of('function a() {}\nfunction b() {}\n', 'function b() { return 1; }\nfunction a() {}\n');
    expect(functions.map((one) => one?.index)).toEqual([1, 0]);
  });

  test('one that is new continues nothing', () => {
    expect(of('function a() {}\n', 'function a() {}\nclass Lock { turn() {} }\n').classes).toEqual([undefined]);
  });

  test('a name that changed goes on under the new one', () => {
    const { renamed } = of('function fillUp(n) { return n * 3 + 1; }\n', 'function fill(n) { return n * 3 + 1; }\n');
    expect([...renamed]).toEqual([['fill', 'fillUp']]);
  });
});

describe('late names', () => {
  test('a name that came late has a place beside the scope, and never one that another had', () => {
    const { names } = deciding('const a = 1;\n', 'const a = 1;\n');
    expect(names.placeOf('a')).toBe('a');
    expect([names.add('b'), names.add('b')]).toEqual(['b', 'b:2']);
    expect(names.placeOf('b')).toBe('$uam.late["b:2"]');
    expect(names.accessTo('b')).toContain('$uam.late["b:2"]=');
  });

  test('a binding goes on under another name, and back under its own', () => {
    const { names } = deciding('let level = 1;\n', 'let level = 1;\n');
    expect(names.rename('depth', 'level')).toMatchObject({ key: '=level' });
    expect(names.placeOf('depth')).toBe('$uam.late["=level"]');
    expect(names.rename('level', 'depth')).toBeUndefined();
    expect(names.placeOf('level')).toBe('level');
  });
});

describe('shapes', () => {
  test('what runs is compared, and not comments, blanks or the functions inside', () => {
    const shapes = new Shapes();
    const of = (text: string) => {
      const outline = outlineText(FILE, text);
      return shapes.ofFunction(outline, outline.functions[0]!.node);
    };
    const plain = of('function fill() { const f = () => 1; return f; }\n');
    expect(of('function fill() {\n  const f = () => 2; // another body\n  return f;\n}\n')).toBe(plain);
    expect(of('function fill() { const g = () => 1; return g; }\n')).not.toBe(plain);
  });
});

describe('obstacles', () => {
  const of = (before: string, after: string, index = 1) => {
    const { change } = deciding(before, after);
    return obstacle(change, index, change.continuity.functions[index]!.generations[0]!);
  };

  test('a local that the live scope never had', () => {
    const before = 'function make(n) { return () => n; }\n';
    expect(of(before, 'function make(n) { const twice = n * 2; return () => twice; }\n')).toBe(
      'it needs twice, which is not in the scope it was made in',
    );
    expect(of(before, 'function make(n) { return () => n + 1; }\n')).toBeUndefined();
  });

  test('a kind that cannot become another', () => {
    expect(of('function a() {}\nfunction* b() {}\n', 'function a() {}\nasync function b() {}\n')).toBe(
      'a generator cannot become an async function in place',
    );
  });
});

describe('deciding', () => {
  test('says what becomes of each name, and names the work without any code', () => {
    const all = deciding(
      'const RATE = 1;\nlet level = 4;\nexport function get() { level += 1; return RATE; }\n',
      "import { x } from './x.js';\nconst RATE = 2;\nlet level = 9;\n" +
        'export function get() { level += 1; return RATE + x; }\nget();\n',
    );
    decideImports(all);
    decideDeclarations(all);
    decideFunctions(all);
    decideStatements(all);
    const { said, works } = all.decisions;
    expect(said.map(({ kind, name }) => `${kind} ${name}`)).toEqual([
      'added import ./x.js',
      'assigned RATE',
      'kept level',
      'patched get',
      'waits line 5: get();',
    ]);
    expect(works.map(({ kind }) => kind)).toEqual(['link', 'assign', 'reset', 'wait']);
    expect(planText({ notes: said })).toBe(
      'get patched · import ./x.js added · RATE assigned · level kept · 1 statement waits',
    );
  });
});

describe('slots', () => {
  test('functions that new code makes get numbers behind those there are, and those that go on keep theirs', () => {
    const all = deciding('const a = () => 1;\n', 'const a = () => 1;\nconst b = () => 2;\nclass Lock { turn() {} }\n');
    decideDeclarations(all);
    const slots = allocate(all.change, all.decisions, inTextOrder(all.decisions.works));
    expect(slots.functions[0]).toBe(0);
    expect(new Set([...slots.functions, ...slots.classes]).size).toBe(4);
    expect(Math.min(...slots.functions.slice(1), ...slots.classes)).toBeGreaterThanOrEqual(slots.size);
    expect(slots.next).toBeGreaterThan(Math.max(...slots.functions, ...slots.classes));
  });
});
