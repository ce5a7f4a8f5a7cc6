import fc from 'fast-check';
import { lineMap } from '#dist/record/line-map.js';
import { LiveRecord, type LiveState } from '#dist/record/live.js';
import { historiesAt } from '#dist/record/histories.js';
import { lineStates } from '#dist/record/lines.js';
import type { Program } from '#dist/record/program.js';
import type { Batch, RawConsole, RawError } from '#dist/wire/reports.js';
import { LineTable } from '#dist/syntax/positions.js';
import { linesView } from '#dist/views/margin.js';
import { rateText } from '#dist/views/margin-values.js';
import { tapeOf } from '#dist/views/tape.js';
import type { Site } from '#dist/instrument/sites.js';

const TEXT = `let level = 0;
function fill(by) {
  level += by;
  return level;
}
function drain() {
  level = 0;
}
`;
const FILE = '/canal/chamber.js';
/** The tag of a number; see `Tag`. */
const NUMBER = 0;
const at = (part: string, from = 0): { start: number; end: number } => {
  const start = TEXT.indexOf(part, from);
  return { start, end: start + part.length };
};
const site = (id: number, kind: Site['kind'], range: { start: number; end: number }, name = '', within = -1): Site => ({
  id,
  kind,
  ...range,
  name,
  cell: id,
  within,
  owner: within < 0 ? id : within,
  reach: within < 0 ? id : within,
  plus: -1,
});
const FILL = { start: TEXT.indexOf('function fill'), end: TEXT.indexOf('}\n') + 1 };
const DRAIN = { start: TEXT.indexOf('function drain'), end: TEXT.lastIndexOf('}') + 1 };
const sites = [
  site(0, 'function', FILL, 'fill'),
  site(1, 'statement', at('level += by;'), '', 0),
  site(2, 'assignment', at('level += by'), 'level', 0),
  site(3, 'statement', at('return level;'), '', 0),
  site(4, 'function', DRAIN, 'drain'),
  site(5, 'statement', at('level = 0;', DRAIN.start), '', 4),
];
const lines = new LineTable(TEXT);
const program: Program = {
  entry: FILE,
  files: [{ file: FILE, unit: 0, base: 0, sites: [], lines, quiet: [], notes: [] }],
};

const record = (): LiveRecord => new LiveRecord(() => ({ program }));
const state = (change: Partial<LiveState> = {}): LiveState => ({
  entry: FILE,
  ended: false,
  problems: [],
  files: [{ file: FILE, lines, quiet: [], notes: [] }],
  units: [
    {
      unit: 7,
      base: 100,
      file: FILE,
      sites,
      parts: [
        { from: 0, to: 4, moved: 0 },
        { from: 4, to: 6, moved: 0 },
      ],
    },
  ],
  ...change,
});
const cells = (...counts: number[]): Float64Array => Float64Array.from(counts);
const samples = (rows: { site: number; visit: number; moment: number; number: number }[]): Batch['samples'] => ({
  site: Int32Array.from(rows, (row) => row.site),
  visit: Float64Array.from(rows, (row) => row.visit),
  moment: Float64Array.from(rows, (row) => row.moment),
  tag: Uint8Array.from(rows, () => NUMBER),
  number: Float64Array.from(rows, (row) => row.number),
  rest: [],
});
const printed = (moment: number, line: number, text: string): RawConsole => ({
  moment,
  time: moment,
  level: 'log',
  method: 'log',
  args: [],
  text,
  indent: 0,
  site: -1,
  frame: { name: '', file: FILE, line, character: 2, local: true, isAsync: false },
});
const thrown = (moment: number, line: number, message: string): RawError => ({
  kind: 'uncaught',
  moment,
  name: 'Error',
  message,
  frames: [{ name: 'fill', file: FILE, line, character: -1, local: true, isAsync: false }],
});

describe('counts and rates', () => {
  test('are those of the last report; a rate is taken over a second, and not before half a one is known', () => {
    const live = record();
    live.add({ moment: 1, time: 0, counts: [{ unit: 7, cells: cells(0, 0, 0, 0, 0, 0) }] });
    live.add({ moment: 2, time: 400, counts: [{ unit: 7, cells: cells(40, 40, 0, 40, 0, 0) }] });
    expect(live.record(state()).live!.rates.get(0)![0]).toBe(0);
    live.add({ moment: 3, time: 1_000, counts: [{ unit: 7, cells: cells(100, 100, 0, 100, 0, 0) }] });
    live.add({ moment: 4, time: 2_000, counts: [{ unit: 7, cells: cells(150, 150, 0, 150, 0, 0) }] });
    const made = live.record(state());
    expect(made.live!.rates.get(0)![0]).toBe(50);
    expect(
      linesView(made, FILE)
        .get(1)!
        .items.map((item) => item.text),
    ).toEqual(['50/s · ×150']);
    expect(lineStates(made, FILE).map(({ line, state: is, hits }) => [line, is, hits])).toEqual([
      [1, 'ran', 150],
      [2, 'ran', 150],
      [3, 'ran', 150],
      [4, 'ran', 150],
      [5, 'never', 0],
      [6, 'never', 0],
      [7, 'never', 0],
    ]);
  });

  test('a function that was compiled with the one around it and by itself is counted together', () => {
    const live = record();
    const inner = [site(0, 'function', FILL, 'fill'), site(1, 'statement', at('level += by;'), '', 0)];
    live.add({
      moment: 1,
      time: 0,
      counts: [
        { unit: 7, cells: cells(10, 10, 0, 10, 3, 3) },
        { unit: 8, cells: cells(5, 5) },
      ],
    });
    const made = live.record(
      state({
        units: [
          ...state().units,
          { unit: 8, base: 200, file: FILE, sites: inner, parts: [{ from: 0, to: 2, moved: 0 }] },
        ],
      }),
    );
    const hits = Object.fromEntries(lineStates(made, FILE).map((one) => [one.line, one.hits]));
    expect([hits[1], hits[2], hits[6]]).toEqual([15, 15, 3]);
    expect(made.program.files[0]!.sites).toHaveLength(sites.length);
  });

  test('what is no part any more is left out, and what has moved stands where it is now', () => {
    const live = record();
    live.add({
      moment: 1,
      time: 0,
      counts: [{ unit: 7, cells: cells(10, 10, 0, 10, 3, 3) }],
      samples: samples([{ site: 102, visit: 10, moment: 1, number: 4 }]),
    });
    const text = new LineTable(`// Sills\n${TEXT}`);
    const made = live.record(
      state({
        files: [{ file: FILE, lines: text, quiet: [], notes: [] }],
        units: [{ ...state().units[0]!, parts: [{ from: 0, to: 4, moved: 9 }] }],
      }),
    );
    expect(lineStates(made, FILE).map((one) => one.line)).toEqual([2, 3, 4, 5]);
    expect(
      historiesAt(made, { line: 3, file: FILE }).map((one) => [one.name, one.at(0).value.text, one.visits]),
    ).toEqual([['level', '4', 10]]);
  });

  test('in words', () => {
    expect([0.5, 2.5, 3, 60, 1_234.6].map((rate) => rateText(rate))).toEqual([
      '30/min',
      '2.5/s',
      '3/s',
      '60/s',
      '1,235/s',
    ]);
    expect(rateText(60, true)).toBe('60 times a second');
  });
});

test('of the values of a place the last ones are kept, in their order', () => {
  const live = record();
  for (let i = 0; i < 300; i++)
    live.add({
      moment: (i + 1) * 100,
      time: i,
      counts: [{ unit: 7, cells: cells(i * 100, i * 100, 0, 0, 0, 0) }],
      samples: samples(
        [...Array(100).keys()].map((k) => ({
          site: 102,
          visit: i * 100 + k + 1,
          moment: i * 100 + k + 1,
          number: i * 100 + k,
        })),
      ),
    });
  const made = live.record(state());
  const [history] = historiesAt(made, { line: 2, file: FILE });
  expect(made.samples.length).toBeLessThanOrEqual(20_000);
  expect(history!.at(history!.length - 1).value.text).toBe('29999');
  for (let i = 1; i < history!.length; i++) expect(history!.at(i).visit).toBeGreaterThan(history!.at(i - 1).visit);
  // The tape begins where something is kept.
  expect(tapeOf(made).from).toBe(made.live!.from);
  expect(made.live!.from).toBeGreaterThan(0);
});

describe('console and errors', () => {
  test('lines are bounded, and the count of those left out is exact, also after they were forgotten', () => {
    const live = record();
    for (let i = 0; i < 9_000; i++) live.add({ moment: i + 1, console: [printed(i + 1, 2, `level ${i}`)] });
    live.add({ moment: 9_001, consoleOmitted: 250 });
    const made = live.record(state());
    expect(made.console.length).toBeLessThanOrEqual(4_000);
    expect(made.console.length + made.consoleOmitted).toBe(9_250);
    expect(made.console[made.console.length - 1]!.text).toBe('level 8999');
    live.clear();
    live.add({ moment: 9_002, consoleOmitted: 260 });
    expect([live.record(state()).console.length, live.record(state()).consoleOmitted]).toEqual([0, 10]);
  });

  test('an error that comes again is one with a count, at the whole of its line', () => {
    const live = record();
    for (let i = 1; i <= 5; i++)
      live.add({ moment: i, errors: [thrown(i, 2, 'the sill is high'), thrown(i, 6, `once ${i}`)] });
    const made = live.record(state());
    expect(made.errors.map((error) => [error.message, error.times])).toContainEqual(['the sill is high', 5]);
    expect(made.errors).toHaveLength(6);
    expect(made.errors.find((error) => error.times)!.range).toEqual({
      start: { line: 2, character: 2 },
      end: { line: 2, character: 14 },
    });
    expect(linesView(made, FILE).get(2)!.items[0]!.text).toMatch(/the sill is high ×5$/);
    expect(made.outcome).toBe('failed');
    live.clear();
    expect(live.record(state()).outcome).toBe('ok');
  });

  test('they move with the text; what is changed has no place any more, and no error', () => {
    const live = record();
    live.add({
      moment: 1,
      console: [printed(1, 2, 'in fill'), printed(2, 6, 'in drain')],
      errors: [thrown(3, 2, 'fill'), thrown(4, 6, 'drain')],
    });
    const after = new LineTable(TEXT.replace('level += by;', 'level += by * 2;\n  // twice'));
    live.moved(FILE, lines, after);
    const made = live.record(state({ files: [{ file: FILE, lines: after, quiet: [], notes: [] }] }));
    expect(made.console.map((entry) => entry.range?.start.line)).toEqual([undefined, 7]);
    expect(
      made.errors.map((error) => [error.message, error.range.start.line, error.frames[0]!.range.start.line]),
    ).toEqual([['drain', 7, 7]]);
  });

  test('what a text that was not taken has wrong stands in that text', () => {
    const shown = new LineTable('let level = ;\n');
    const made = record().record(
      state({ problems: [{ file: FILE, start: 12, end: 13, message: 'Unexpected token', lines: shown }] }),
    );
    expect(made.errors).toMatchObject([
      { kind: 'syntax', range: { start: { line: 0, character: 12 } }, message: 'Unexpected token' },
    ]);
  });
});

test('lines of one text in another: above and below what differs, and there alone', () => {
  const line = fc.constantFrom('a', 'b', 'c', '');
  fc.assert(
    fc.property(
      fc.array(line, { maxLength: 8 }),
      fc.array(line, { maxLength: 5 }),
      fc.array(line, { maxLength: 5 }),
      fc.array(line, { maxLength: 8 }),
      (head, before, after, tail) => {
        const from = new LineTable([...head, ...before, ...tail].join('\n'));
        const to = new LineTable([...head, ...after, ...tail].join('\n'));
        const map = lineMap(from, to);
        const known = new Set<number>();
        for (let i = 0; i < from.lineCount; i++) {
          const there = map(i);
          if (there === undefined) continue;
          expect(to.line(there)).toBe(from.line(i));
          // No two lines become one, and their order stays.
          for (const other of known) expect(other).toBeLessThan(there);
          known.add(there);
        }
        expect(known.size).toBeGreaterThanOrEqual(Math.min(head.length + tail.length, from.lineCount, to.lineCount));
      },
    ),
  );
});
