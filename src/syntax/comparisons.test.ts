/** Calls of `compare` in texts of pads. */
import { comparisonsIn } from '#dist/syntax/comparisons.js';
import { outlineOfText } from '#dist/syntax/outlined.js';

const found = (text: string) => comparisonsIn(outlineOfText(text, '/canal/planner.ts')!);

test('ways, data and options as they are written, without semicolons and under another name', () => {
  const text = `import { compare as side } from 'usher-anvil/pad'
const data = [1]
side({ byList, 'by heap': (list) => list, byTree() {} }, () => data, { inputs: [[]] })`;
  expect(found(text)).toEqual([
    {
      line: 2,
      names: ['byList', 'by heap', 'byTree'],
      ways: "{ byList, 'by heap': (list) => list, byTree() {} }",
      data: '() => data',
      options: '{ inputs: [[]] }',
    },
  ]);
});

test('what cannot be compared says why, and a compare of somebody else is none', () => {
  const text = `import { compare } from 'usher-anvil/pad'
function later() { compare({ byList, byHeap }) }
compare(ways, data)
compare({ byList })`;
  expect(found(text).map(({ wrong }) => wrong)).toEqual([
    'it stands in a function: what is timed has to be at the top level of the pad',
    'its ways are to be written there, as { byList, byHeap }',
    'two ways are needed, as { byList, byHeap }',
  ]);
  expect(found("import { compare } from './own.js'\ncompare({ byList, byHeap })")).toEqual([]);
});
