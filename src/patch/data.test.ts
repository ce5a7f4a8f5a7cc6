/** Data files that modules import: what of a change they take in place. */
import { dataObstacle, dataUses, planData } from '#dist/patch/data.js';
import { liveModule } from '#dist/patch/live-module.js';
import { takeData } from '#dist/runtime/patches/data.js';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';

const outline = (text: string, file = '/wenlow/toll.mjs') => outlineOf(parse(text, { file }));
const local = (specifier: string): string => `/wenlow/${specifier.slice(2)}`;
const translator = { erase: () => null, translate: () => ({ code: '', map: '' }) } as never;

test('uses are found in imports and in calls of require', () => {
  const uses = dataUses(
    outline("import rates, { open } from './rates.json'\nimport * as all from './rates.json'\nimport './toll.js'\n"),
    local,
  );
  expect([...uses]).toEqual([
    [
      '/wenlow/rates.json',
      {
        from: [
          { as: 'import', local: 'rates', imported: 'default' },
          { as: 'import', local: 'open', imported: 'open' },
          { as: 'import', local: 'all', imported: '*' },
        ],
      },
    ],
  ]);
  const script = outline(
    "const a = require('./a.json')\nconst { b } = require('./b.json')\nconst c = require('./c.json').deep\nf(require('./d.json'))\n",
    '/wenlow/toll.cjs',
  );
  expect([...dataUses(script, local).values()].map(({ from }) => from[0])).toEqual([
    { as: 'require', specifier: './a.json', locals: ['a'], taken: false },
    { as: 'require', specifier: './b.json', locals: ['b'], taken: true },
    { as: 'require', specifier: './c.json', locals: ['c'], taken: true },
    { as: 'require', specifier: './d.json', locals: [], taken: false },
  ]);
});

test.each([
  ['{"a":1}', '{"a":2}', 'default', ''],
  ['{"a":1}', '{"a":2}', '*', ''],
  ['{"a":1,"b":2}', '{"a":1,"b":3}', 'a', ''],
  ['{"a":1}', '{"a":2}', 'a', 'a is imported by name'],
  ['{"a":{"b":1}}', '{"a":{"b":2}}', 'a', ''],
  ['{"a":{"b":1}}', '{"a":[1]}', 'a', 'a is imported by name'],
  ['{"a":1}', '[1]', 'default', 'what it holds as a whole is another value'],
  ['4', '5', 'default', 'what it holds as a whole is another value'],
])('%s to %s, imported as %s: %s', (before, after, imported, said) => {
  const use = { from: [{ as: 'import' as const, local: 'x', imported }] };
  expect(dataObstacle(use, JSON.parse(before), JSON.parse(after))).toBe(said);
});

test('what was computed from it follows, and the code of a module runner finds it among the late names', () => {
  const text = "import rates from './rates.json'\nconst double = rates.rate * 2\nexport { double }\n";
  const use = dataUses(outline(text), local).get('/wenlow/rates.json')!;
  const stepsAs = (form: 'linked' | 'module' | 'runner') =>
    planData(liveModule(outline(text), form), use, '{}', translator).steps.map((step) =>
      'code' in step ? `${step.kind} ${step.code}` : step.kind,
    );
  expect(stepsAs('module')[0]).toBe('data rates');
  expect(stepsAs('runner')[0]).toBe('data $uam.late["bound rates"]');
  expect(stepsAs('linked')[0]).toBe('data $uai0["default"]');
  for (const form of ['linked', 'module', 'runner'] as const) expect(stepsAs(form).length).toBeGreaterThan(1);
});

test('objects take what the file holds, whoever holds a part, and give it back', () => {
  const held = { rate: 4, piers: [{ depth: 2 }, { depth: 3 }], gone: true, list: [1, 2, 3] };
  const { piers, list } = held;
  const [, second] = piers;
  const undo = takeData(
    held,
    '{"rate":5,"piers":[{"depth":2},{"depth":7},{"depth":1}],"list":[3],"__proto__":{"odd":1}}',
  );
  expect(second).toEqual({ depth: 7 });
  expect(list).toEqual([3]);
  expect(Object.keys(held)).toEqual(['rate', 'piers', 'list', '__proto__']);
  expect(Object.getPrototypeOf(held)).toBe(Object.prototype);
  undo();
  expect(held).toEqual({ rate: 4, piers: [{ depth: 2 }, { depth: 3 }], gone: true, list: [1, 2, 3] });
  expect(held.piers).toBe(piers);
  expect(piers[1]).toBe(second);
  expect(() => takeData(4, '{}')).toThrow('only objects and arrays');
  expect(() => takeData({}, '{')).toThrow(SyntaxError);
});
