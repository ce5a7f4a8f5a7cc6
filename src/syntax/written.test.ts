import { GenMapping, addMapping, toEncodedMap } from '@jridgewell/gen-mapping';
import { writtenBehind } from '#dist/instrument/source-map.js';

const TEXT = 'function Lock({ depth }) {\n  return <b>{depth * 2}</b>;\n}\n';
const CODE =
  'var _s = sig();\nfunction Lock({ depth }) {\n\t_s();\n\treturn jsx("b", { children: depth * 2 }, this);\n}\n';

/** A map that says where each of these words of the code stands in the text. */
function mapped(words: readonly string[]): string {
  const map = new GenMapping({ file: 'lock.jsx' });
  const place = (text: string, word: string): { line: number; column: number } => {
    const before = text.slice(0, text.indexOf(word)).split('\n');
    return { line: before.length, column: before[before.length - 1]!.length };
  };
  for (const word of words)
    addMapping(map, { generated: place(CODE, word), source: '/canal/lock.jsx', original: place(TEXT, word) });
  return JSON.stringify(toEncodedMap(map));
}

const written = writtenBehind(CODE, mapped(['function Lock', 'return', 'depth * 2']), '/canal/lock.jsx', () => TEXT);
const lineOf = (text: string, word: string): number => text.slice(0, text.indexOf(word)).split('\n').length - 1;

test('a place of the code leads to what was written; what tools have added leads nowhere', () => {
  expect(written.offset(CODE.indexOf('depth * 2'))).toBe(TEXT.indexOf('depth * 2'));
  // Taken over as it stands, behind the start of a segment.
  expect(written.offset(CODE.indexOf('depth * 2') + 8)).toBe(TEXT.indexOf('depth * 2') + 8);
  expect(written.offset(CODE.indexOf('Lock'))).toBe(TEXT.indexOf('Lock'));
  expect(written.offset(CODE.indexOf('sig'))).toBe(-1);
  expect(written.offset(CODE.indexOf('_s()'))).toBe(-1);
  expect(written.offset(CODE.indexOf('jsx'))).toBe(-1);
});

test('ranges and lines, both ways', () => {
  const at = CODE.indexOf('depth * 2');
  expect(written.range({ start: at, end: at + 9 })).toEqual({
    start: TEXT.indexOf('depth * 2'),
    end: TEXT.indexOf('depth * 2') + 9,
  });
  expect(written.range({ start: CODE.indexOf('_s()'), end: at })).toBeUndefined();
  const line = lineOf(CODE, 'return');
  // A stack that knows no more than the line.
  const place = { line, character: 0 };
  expect(written.place({ start: place, end: place })!.start.line).toBe(1);
  expect(written.madeLine(1)).toBe(line);
  expect(written.madeLine(0)).toBe(1);
  expect(written.madeLine(2)).toBeUndefined();
});

test('of a map with several sources the one of the file counts, and its text where the map holds it', () => {
  const map = JSON.parse(mapped(['return'])) as { sources: string[]; sourcesContent?: (string | null)[] };
  map.sources = ['lock.jsx?type=script'];
  map.sourcesContent = [TEXT];
  const made = writtenBehind(CODE, JSON.stringify(map), '/canal/lock.jsx', () => {
    throw new Error('it is in the map');
  });
  expect(made.text).toBe(TEXT);
  expect(made.offset(CODE.indexOf('return'))).toBe(TEXT.indexOf('return'));
});
