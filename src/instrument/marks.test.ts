import fc from 'fast-check';
import { both, execute } from '../../test/harness.js';
import { expressionEnds, markAt, printsItsSource } from '../../test/mark-everything.js';
import { programs } from '../../test/programs.js';

const MARKS = ['/*~*/', '/*~ it */', '/*~ time: */', '/*~ when: it */', '/*~ it.length */', '/*~ plot: it */'];

describe('marks change nothing but what is shown', () => {
  for (const [name, text] of Object.entries(programs)) {
    if (printsItsSource(text)) continue;
    test(`${name}, a mark behind every expression at a time`, async () => {
      const plain = await execute(text);
      const ends = expressionEnds(text);
      for (let i = 0; i < ends.length; i += Math.max(1, Math.ceil(ends.length / 24))) {
        const marked = markAt(text, [ends[i]!], MARKS[i % MARKS.length]!);
        const { instrumented } = await both(marked);
        expect({ marked, ...instrumented }).toEqual({ marked, ...plain });
      }
    });
  }

  test('any set of marks at once', async () => {
    const names = Object.keys(programs).filter((name) => !printsItsSource(programs[name]!));
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom(...names),
        fc.array(fc.nat(1000), { minLength: 1, maxLength: 12 }),
        fc.constantFrom(...MARKS),
        async (name, places, mark) => {
          const text = programs[name]!;
          const ends = expressionEnds(text);
          const marked = markAt(text, [...new Set(places.map((place) => ends[place % ends.length]!))], mark);
          const plain = await execute(text);
          const { instrumented } = await both(marked);
          expect({ marked, ...instrumented }).toEqual({ marked, ...plain });
        },
      ),
      { numRuns: 150 },
    );
  });
});
