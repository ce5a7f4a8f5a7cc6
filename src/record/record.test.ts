import { join } from 'node:path';
import type { PadRecord } from 'usher-anvil';
import {
  consoleAt,
  consoleOfLine,
  countAt,
  historiesAt,
  lineStates,
  recordSchema,
  samplesAt,
  testsOfLine,
  toJson,
  valueText,
} from 'usher-anvil/record';
import { folder, recorder } from '../../test/harness.js';

const pad = recorder(join(folder(), 'lines.ts'));
afterAll(() => pad.close());

const run = (text: string): Promise<PadRecord> => pad.run(text);
/** One letter a line: r(an) p(artly) n(ever) f(ailed), a dot for lines without code. */
const states = (record: PadRecord, lines: number): string => {
  const found = new Map(lineStates(record).map((line) => [line.line, line.state[0]]));
  return Array.from({ length: lines }, (_, i) => found.get(i) ?? '.').join('');
};

describe('the state of a line', () => {
  test.each<[string, string, string]>([
    ['straight code', 'const a = 1;\n\n// note\nlet b = a;\n', 'r..r'],
    ['a function nobody calls', 'function refund() {\n  return 1;\n}\nconst x = 1;\n', 'nnnr'],
    ['both branches of an if', 'if (1 > 2) {\n  void 0;\n} else {\n  void 1;\n}\n', 'rnnrr'],
    ['a one-line if whose branch never ran', 'const n = 1;\nif (n > 2) console.log(n);\n', 'rp'],
    [
      'a conditional, a default that was not needed',
      "const r: Record<string, number> = { a: 1 };\nconst v = r.a ?? r.b;\nconst w = v ? 'y' : 'n';\n",
      'rpp',
    ],
    [
      'a loop that runs and one that does not',
      'for (const i of [1, 2]) {\n  void i;\n}\nfor (const i of [] as number[]) {\n  void i;\n}\n',
      'rrrrnn',
    ],
    ['a statement over several lines', 'const list = [\n  1,\n  2,\n];\nvoid [\n  list,\n];\n', 'rrrrrrr'],
    ['code after a return', 'function f() {\n  return 1;\n  void 0;\n}\nf();\n', 'rrnrr'],
    [
      'types and what is beside them',
      'interface Lock {\n  rise: number;\n}\ntype N = number;\nconst n: N = 1;\n',
      '....r',
    ],
    ['a switch', 'switch (2 as number) {\n  case 1:\n    void 1;\n    break;\n  case 2:\n    void 2;\n}\n', 'rnnnrrr'],
    ['try and catch', 'try {\n  throw 1;\n} catch {\n  void 2;\n} finally {\n  void 3;\n}\n', 'rrrrrrr'],
    [
      'a class with a method that is not called',
      'class Lock {\n  rise = 1;\n  up() {\n    return 1;\n  }\n}\nnew Lock();\n',
      'rrnnnrr',
    ],
    ['the line that throws, and those after it', "const a = 1;\nthrow new Error('x');\nconst b = 2;\n", 'rfn'],
  ])('%s', async (_name, text, expected) => {
    expect(states(await run(text), expected.length)).toBe(expected);
  });

  test('hits are exact, parts that are missing are named, the way to an error is marked', async () => {
    const record = await run(`function deep(n: number): number {
  if (n > 40) throw new RangeError('over');
  return n ? n * 2 : 0;
}
for (let i = 1; i < 100; i++) deep(i);
`);
    const lines = lineStates(record);
    expect(lines.map((line) => [line.line, line.hits])).toEqual([
      [0, 41],
      [1, 41],
      [2, 40],
      [3, 41],
      [4, 1],
    ]);
    expect(lines[2]!.missing).toEqual(['the else part']);
    expect(lines.map((line) => line.way)).toEqual([false, false, false, false, true]);
  });

  test('counts survive what the language does to control flow', async () => {
    const record = await run(`let n = 0;
outer: for (let i = 0; i < 5; i++) {
  for (let k = 0; k < 5; k++) {
    if (k === 2) continue outer;
    if (i === 3) break outer;
    n++;
  }
}
function* g() {
  yield n;
  yield n + 1;
}
for (const v of g()) break;
`);
    const hits = Object.fromEntries(lineStates(record).map((line) => [line.line, line.hits]));
    expect([hits[2], hits[3], hits[4], hits[5], hits[9], hits[10]]).toEqual([4, 10, 7, 6, 1, 0]);
  });
});

describe('questions', () => {
  const text = `let level = 0;
for (let tick = 1; tick <= 3; tick++) {
  level += tick;
  console.log('level', level);
}
`;

  test('samples of a line come site by site, visit by visit, and as of a moment', async () => {
    const record = await run(text);
    const all = samplesAt(record, { line: 2 });
    expect(all.map((sample) => [sample.name, sample.visit, valueText(sample.value)])).toEqual([
      ['level', 1, '1'],
      ['level', 2, '3'],
      ['level', 3, '6'],
    ]);
    expect(samplesAt(record, { line: 2 }, all[1]!.moment).map((sample) => valueText(sample.value))).toEqual(['1', '3']);
    expect(consoleAt(record, all[1]!.moment)).toHaveLength(1);
    expect(consoleOfLine(record, { line: 3 })).toHaveLength(3);
    const moments = record.samples.moment;
    for (let i = 1; i < moments.length; i++) expect(moments[i]!).toBeGreaterThan(moments[i - 1]!);
    const [history] = historiesAt(record, { line: 2 });
    expect(history!.visits).toBe(3);
    expect(countAt(record, record.program.files[0]!.sites.find((site) => site.kind === 'loop')!.id)).toBe(3);
    expect(testsOfLine(record, { line: 0 })).toEqual([]);
    expect(samplesAt(record, { line: 2, file: '/elsewhere.ts' })).toEqual([]);
  });

  test('destructuring, items, defaults, awaits and caught errors are sampled by name', async () => {
    const record = await run(`const { a, b: [c = 5] } = { a: 1, b: [] as number[] };
for (const [key, value] of Object.entries({ rise: 4 })) void key, void value;
function f(by = 2) { return by; }
f();
try { await Promise.reject(new Error('late')); } catch (error) { void error; }
(await Promise.resolve(3)) + 1;
`);
    const names = (line: number) =>
      samplesAt(record, { line }).map((sample) => `${sample.kind} ${sample.name} ${valueText(sample.value)}`);
    expect(names(0)).toEqual(['declaration a 1', 'declaration c 5', 'default c 5']);
    expect(names(1).slice(0, 2)).toEqual(["item key 'rise'", 'item value 4']);
    expect(names(2)).toEqual(['default by 2', 'return  2']);
    expect(names(4)).toContain('caught error Error: late');
    expect(names(5)).toEqual(['expression  4', 'await Promise.resolve(3) 3']);
  });

  test('as JSON it is what its schema says, with numbers that JSON has not', async () => {
    const record = await run('[NaN, -0, 1n, undefined, Infinity];\nconst n = -0;\n');
    const json = recordSchema.parse(JSON.parse(JSON.stringify(toJson(record))));
    expect(
      json.samples.map(
        (sample) => sample.value.text ?? sample.value.entries!.map((entry) => entry.value.text ?? entry.value.type),
      ),
    ).toEqual([['NaN', '-0', '1', 'undefined', 'Infinity'], '-0']);
  });
});
