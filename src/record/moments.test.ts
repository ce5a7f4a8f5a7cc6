import { join } from 'node:path';
import { runPad, type PadRecord } from 'usher-anvil';
import {
  chainsAt,
  consoleAt,
  countsAt,
  errorsAt,
  historiesAt,
  historyUnder,
  lineStates,
  samplesAt,
  valueText,
  visitAt,
  visitBeside,
} from 'usher-anvil/record';
import { linesView } from '#dist/views/margin.js';
import { seriesOf } from '#dist/views/margin-values.js';
import { tapeOf } from '#dist/views/tape.js';
import { folder, recorder } from '../../test/harness.js';

const pad = recorder(join(folder(), 'moments.ts'));
afterAll(() => pad.close());

const run = (text: string): Promise<PadRecord> => pad.run(text);
const values = (record: PadRecord, line: number, until?: number): string[] =>
  samplesAt(record, { line }, until).map((sample) => valueText(sample.value));
const hits = (record: PadRecord, until: number): Record<number, number> =>
  Object.fromEntries(lineStates(record, undefined, until).map((line) => [line.line, line.hits]));

const CHAMBERS = `let level = 0;
for (let minute = 1; minute <= 5; minute++) {
  level += minute;
  if (level > 5) {
    console.log('high', level);
  }
}
function rest(n: number) {
  return n - 1;
}
rest(level);
throw new Error('gate');
`;

describe('everything as of a moment', () => {
  test('a visit is chosen by line and number; all other values are those of then', async () => {
    const record = await run(CHAMBERS);
    const third = visitAt(record, { line: 2 }, 3)!;
    expect([third.visit, valueText(third.value)]).toEqual([3, '6']);
    expect(values(record, 2, third.moment)).toEqual(['1', '3', '6']);
    expect(values(record, 10, third.moment)).toEqual([]);
    expect(consoleAt(record, third.moment).map((entry) => entry.text)).toEqual([]);
    const fourth = visitAt(record, { line: 2 }, 4)!;
    expect(consoleAt(record, fourth.moment).map((entry) => entry.text)).toEqual(['high 6']);
    expect([errorsAt(record, fourth.moment).length, errorsAt(record).length]).toEqual([0, 1]);
  });

  test('counts grow with the moment, never fall, and end at the exact ones', async () => {
    const record = await run(CHAMBERS);
    const file = record.program.files[0]!;
    let before = new Float64Array(file.sites.length);
    for (let moment = 0; moment <= record.moments; moment++) {
      const now = countsAt(record, file, moment);
      for (let cell = 0; cell < now.length; cell++) expect(now[cell]!).toBeGreaterThanOrEqual(before[cell]!);
      before = now.slice();
    }
    expect([...before]).toEqual([...record.counts.get(file.unit)!]);
  });

  test('the rail as of a visit says what had run by then', async () => {
    const record = await run(CHAMBERS);
    const third = visitAt(record, { line: 2 }, 3)!;
    const then = hits(record, third.moment);
    expect([then[0], then[2], then[8], then[10]]).toEqual([1, 3, 0, 0]);
    expect(lineStates(record, undefined, third.moment).find((line) => line.line === 11)!.state).toBe('never');
    expect(lineStates(record).find((line) => line.line === 11)!.state).toBe('failed');
  });

  test('stepping from visit to visit, to both ends', async () => {
    const record = await run(CHAMBERS);
    const seen: number[] = [];
    let moment = 0;
    for (;;) {
      const next = visitBeside(record, { line: 2 }, moment, 1);
      if (!next) break;
      seen.push(next.visit);
      moment = next.moment;
    }
    expect(seen).toEqual([1, 2, 3, 4, 5]);
    expect(visitBeside(record, { line: 2 }, moment, -1)!.visit).toBe(4);
    expect(visitBeside(record, { line: 2 }, visitAt(record, { line: 2 }, 1)!.moment, -1)).toBeUndefined();
    expect(visitBeside(record, { line: 2 }, Infinity, -1)!.visit).toBe(5);
    expect(visitBeside(record, { line: 6 }, 1, 1)).toBeUndefined();
  });

  test('inside a callback, the item of the visit stands with the outer values of then', async () => {
    const record = await run(
      'let sum = 0;\nconst halves = [2, 4, 6].map((tonnes) => {\n  sum += tonnes;\n  return tonnes / 2;\n});\n',
    );
    const second = visitAt(record, { line: 3 }, 2)!;
    expect(valueText(second.value)).toBe('2');
    expect(valueText(historiesAt(record, { line: 2 }, second.moment)[0]!.at(1).value)).toBe('6');
    expect(historiesAt(record, { line: 1 }, second.moment).filter((history) => history.name === 'halves')).toEqual([]);
  });

  test('the margin shows one value with its visit, and marks too', async () => {
    const record = await run('for (let i = 0; i < 9; i++) {\n  i * i; //~ it + 100\n}\n');
    const fourth = visitAt(record, { line: 1 }, 4)!;
    const item = linesView(record, record.file, fourth.moment).get(1)!.items[0]!;
    expect([item.text, item.count]).toEqual(['109', '4 of 9']);
    const end = linesView(record).get(1)!.items[0]!;
    expect([end.text, end.count]).toEqual(['100 · 101 · 104 … 164', '×9']);
  });

  test('the innermost site under a place', async () => {
    const record = await run('const toll = (n: number) => n * 2;\nconst due = toll(4) + toll(5);\n');
    expect(historyUnder(record, { line: 0, character: 31 })!.kind).toBe('return');
    expect(historyUnder(record, { line: 1, character: 7 })!.name).toBe('due');
    expect(historyUnder(record, { line: 7 })).toBeUndefined();
  });
});

describe('chains', () => {
  const LOG =
    "const log = 'Heron 3\\nOtter 9\\n\\nTeal 1\\n';\nconst heavy = log\n  .split('\\n')\n" +
    "  .map((line) => Number(line.split(' ')[1]))\n  .filter((tonnes) => tonnes > 2);\n" +
    "log.split('\\n').reverse().join();\n";

  test('each stage has its value, and the last is the whole', async () => {
    const record = await run(LOG);
    const [chain] = chainsAt(record, { line: 2 });
    expect(chain!.stages.map((stage) => [stage.kind, stage.name, valueText(stage.value)])).toEqual([
      ['stage', 'split', "['Heron 3', 'Otter 9', '', 'Teal 1', '']"],
      ['stage', 'map', '[3, 9, NaN, 1, NaN]'],
      ['declaration', 'heavy', '[3, 9]'],
    ]);
    expect(chainsAt(record, { line: 5 })[0]!.stages.map((stage) => stage.name || stage.kind)).toEqual([
      'split',
      'reverse',
      'expression',
    ]);
    expect(chainsAt(record, { line: 0 })).toEqual([]);
  });

  test('as of a moment only the stages that were reached', async () => {
    const record = await run(LOG);
    const split = chainsAt(record, { line: 2 })[0]!.stages[0]!;
    expect(chainsAt(record, { line: 2 }, split.moment)[0]!.stages.map((stage) => stage.name)).toEqual(['split']);
  });

  test('a missing method is named as the person wrote it', async () => {
    const record = await run("const log = 'a';\nlog.split('\\n').map((x) => x + 'a').filtr((x: string) => x);\n");
    expect(record.errors[0]!.message).toBe('log.split(...).map(...).filtr is not a function');
    expect((await run("['a'].map((x) => x) /*~ it.length */ .sorted();\n")).errors[0]!.message).toBe(
      "['a'].map(...).sorted is not a function",
    );
  });
});

describe('the tape', () => {
  test('has a tick for each line, a mark for each test, a stroke for each error, density for the rest', async () => {
    const record = await run(
      "import { test } from 'node:test';\nconsole.log(1);\nconsole.warn(2);\nfor (let i = 0; i < 50; i++) i " +
        "* 2;\ntest('good', () => {});\ntest('bad', () => { throw new Error('x') });\n" +
        "Promise.reject(new Error('late'));\n",
    );
    const tape = tapeOf(record);
    expect(tape.ticks.map((tick) => tick.what).sort()).toEqual(['error', 'failed', 'line', 'passed', 'warning']);
    expect(tape.density).toHaveLength(200);
    expect(Math.max(...tape.density)).toBe(1);
    expect(tape.ticks.every((tick) => tick.moment > 0 && tick.moment <= record.moments)).toBe(true);
  });

  test('of an empty run is empty', async () => {
    expect(tapeOf(await run('')).ticks).toEqual([]);
  });
});

describe('long histories', () => {
  test('ten million visits: exact counts, the first and the last sample right, a record of modest size', async () => {
    const record = await runPad({
      file: join(folder(), 'long.ts'),
      text: 'let level = 0;\nfor (let i = 1; i <= 10_000_000; i++) {\n  level = i * 2;\n}\nlevel;\n',
      timeLimitMs: 60_000,
    });
    const history = historiesAt(record, { line: 2 })[0]!;
    expect([history.visits, history.at(0).visit, valueText(history.at(0).value)]).toEqual([10_000_000, 1, '2']);
    const last = history.at(history.length - 1);
    expect([last.visit, valueText(last.value)]).toEqual([10_000_000, '20000000']);
    expect(lineStates(record).find((line) => line.line === 2)!.hits).toBe(10_000_000);
    expect(record.samples.length).toBeLessThan(10_000);
    const series = seriesOf(history, 16)!;
    for (let i = 1; i < series.length; i++) expect(series[i]!).toBeGreaterThanOrEqual(series[i - 1]!);
  });
});
