import { nodeTranslator } from '#dist/hosts/node/translate.js';
import { withImporters } from '#dist/patch/importers.js';
import { liveModule, type LiveModule } from '#dist/patch/live-module.js';
import { planText } from '#dist/patch/notes.js';
import { planChanges } from '#dist/patch/plan.js';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';

const outline = (file: string, text: string) => outlineOf(parse(text, { file, packageType: 'module' }));

/** What a change of some files does to a program, a line for each file in the order in which it is done. */
function follow(files: Record<string, string>, after: Record<string, string>): string[] {
  const modules = new Map<string, LiveModule>(
    Object.entries(files).map(([name, text]) => [`/canal/${name}`, liveModule(outline(`/canal/${name}`, text))]),
  );
  const plans = Object.entries(after).map(([name, text]) =>
    planChanges(modules.get(`/canal/${name}`)!, outline(`/canal/${name}`, text), nodeTranslator),
  );
  const resolved = (specifier: string, from: string): string | undefined => {
    const path = new URL(specifier, `file://${from}`).pathname;
    return modules.has(path) ? path : undefined;
  };
  return withImporters(modules, plans, nodeTranslator, resolved).map(
    (plan) => `${plan.file.slice(7)}: ${planText(plan)}`,
  );
}

const RATES = 'export const RATE = 1;\nexport let opened = 0;\nexport function open() { opened++; }\n';

describe('a change of what others import', () => {
  test('reaches what was computed from it, and only that', () => {
    expect(
      follow(
        {
          'rates.js': RATES,
          'tolls.js':
            "import { RATE } from './rates.js';\nexport const NIGHT = RATE * 1.5;\nexport const NAME = 'Wenlow';\n",
          'other.js': "import { open } from './rates.js';\nexport const twice = () => open();\n",
        },
        { 'rates.js': RATES.replace('RATE = 1', 'RATE = 2') },
      ),
    ).toEqual(['rates.js: RATE assigned', 'tolls.js: NIGHT assigned']);
  });

  test('goes on over files, names that are passed on, and namespaces, each behind what it imports', () => {
    expect(
      follow(
        {
          'main.js':
            "import * as all from './index.js';\nconst total = all.price + all.night;\nexport default () => total;\n",
          'index.js': "export { RATE as price } from './rates.js';\nexport { NIGHT as night } from './tolls.js';\n",
          'tolls.js': "import { price } from './index.js';\nexport const NIGHT = price * 1.5;\n",
          'rates.js': RATES,
        },
        { 'rates.js': RATES.replace('RATE = 1', 'RATE = 2') },
      ),
    ).toEqual(['rates.js: RATE assigned', 'tolls.js: NIGHT assigned', 'main.js: total assigned']);
  });

  test('ends where files import each other', () => {
    const files = {
      'a.js': "import { B } from './b.js';\nexport const A = 1;\nexport const sum = A + B;\n",
      'b.js':
        "import { A } from './a.js';\nexport const B = 2;\nexport const product = () => A * B;\n" +
        'export const half = B / 2;\n',
    };
    const said = follow(files, { 'b.js': files['b.js'].replace('B = 2', 'B = 4') });
    expect([...said].sort()).toEqual(['a.js: sum assigned', 'b.js: B, half assigned']);
  });

  test('of a function, a type, or a name that nobody imports reaches nothing', () => {
    const files = {
      'rates.ts': `${RATES}export interface Cargo { tonnes: number }\n`,
      'tolls.ts': "import { open, type Cargo } from './rates.ts';\nexport const first = open();\n",
    };
    expect(follow(files, { 'rates.ts': files['rates.ts'].replace('opened++', 'opened += 2') })).toEqual([
      'rates.ts: open patched',
    ]);
    expect(follow(files, { 'rates.ts': files['rates.ts'].replace('tonnes: number', 'tonnes: string') })).toEqual([
      'rates.ts: nothing to do',
    ]);
    expect(follow(files, { 'rates.ts': files['rates.ts'].replace('RATE = 1', 'RATE = 9') })).toEqual([
      'rates.ts: RATE assigned',
    ]);
  });

  test('keeps what holds state or was computed by calls, and says from what', () => {
    const files = {
      'rates.js': RATES,
      'tolls.js':
        "import { RATE } from './rates.js';\nlet due = RATE;\nexport const pay = () => (due += 1);\n" +
        'export const log = [RATE].concat(Math.random());\n',
    };
    const modules = new Map(
      Object.entries(files).map(([name, text]) => [`/canal/${name}`, liveModule(outline(`/canal/${name}`, text))]),
    );
    const changed = planChanges(
      modules.get('/canal/rates.js')!,
      outline('/canal/rates.js', RATES.replace('RATE = 1', 'RATE = 3')),
      nodeTranslator,
    );
    const [, plan] = withImporters(modules, [changed], nodeTranslator, () => '/canal/rates.js');
    expect(plan!.notes.map(({ kind, name, line, reason }) => [kind, name, line, reason])).toEqual([
      ['kept', 'due', 1, 'it was computed from RATE as that was before; reset it to compute it anew'],
      ['kept', 'log', 3, 'it was computed from RATE as that was before; reset it to compute it anew'],
    ]);
    expect([...plan!.resets.keys()]).toEqual(['due', 'log']);
  });
});
