import fc from 'fast-check';
import { Numbering } from '#dist/session/live/numbering.js';
import type { Batch } from '#dist/wire/reports.js';

const batch = (moments: number[], newest: number): Batch => ({
  moment: newest,
  samples: {
    site: Int32Array.from(moments, () => 0),
    visit: Float64Array.from(moments, (_, index) => index),
    moment: Float64Array.from(moments),
    tag: Uint8Array.from(moments, () => 2),
    number: Float64Array.from(moments, () => 0),
    rest: [],
  },
});

test(
  'moments of several targets are told apart, lead back to their own, and ' +
    'come in the order in which they were reported',
  () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            target: fc.integer({ min: 0, max: 4 }),
            steps: fc.array(fc.integer({ min: 1, max: 5_000 }), { minLength: 1, maxLength: 5 }),
          }),
        ),
        (reports) => {
          const numbering = new Numbering();
          const clocks = new Map<number, number>();
          const known = new Map<number, string>();
          let last = -1;
          for (const { target, steps } of reports) {
            let at = clocks.get(target) ?? 0;
            const own = steps.map((step) => (at += step));
            clocks.set(target, at);
            const given = numbering.batch(target, batch(own, at));
            const numbers = [...given.samples!.moment];
            for (const [index, number] of numbers.entries()) {
              const name = `${target} ${own[index]!}`;
              expect(known.get(number) ?? name).toBe(name);
              known.set(number, name);
              expect(numbering.momentOf(number)).toEqual({ target, moment: own[index]! });
              // What one report brings comes after all that came before.
              expect(Math.floor(number / 1_024)).toBeGreaterThanOrEqual(Math.floor(last / 1_024));
            }
            last = Math.max(last, ...numbers);
            expect(given.moment).toBe(numbers.at(-1));
          }
          // All lead back still, however they were interleaved later.
          for (const [number, name] of known) {
            const { target, moment } = numbering.momentOf(number)!;
            expect(`${target} ${moment}`).toBe(name);
          }
        },
      ),
      { numRuns: 300 },
    );
  },
);

test('a value of a moment before, which is handed over late, keeps its number', () => {
  const numbering = new Numbering();
  numbering.batch(1, batch([5], 10));
  numbering.batch(2, batch([1_000], 1_000));
  const given = numbering.batch(1, batch([7, 12], 12));
  const [late, fresh] = [...given.samples!.moment];
  expect(numbering.momentOf(late!)).toEqual({ target: 1, moment: 7 });
  expect(numbering.momentOf(fresh!)).toEqual({ target: 1, moment: 12 });
  expect(late!).toBeLessThan(numbering.moment(2, 1_000));
  expect(fresh!).toBeGreaterThan(numbering.moment(2, 1_000));
});

test('questions go to the target that holds the object, and what it answers is numbered for all', () => {
  const numbering = new Numbering();
  const moment = numbering.result(3, 40);
  expect(numbering.request({ do: 'open', moment, part: 0 })).toEqual({
    target: 3,
    request: { do: 'open', moment: 40, part: 0 },
  });
  const answer = numbering.answer(3, {
    is: 'opened',
    opened: {
      node: 9,
      value: { type: 'object' },
      facts: [],
      total: 1,
      first: [{ kind: 'property', key: 'name', value: { type: 'null' }, node: 0 }],
    },
  });
  if (answer.is !== 'opened') throw new Error('not opened');
  // What has nothing inside cannot be opened anywhere.
  expect(answer.opened.first[0]!.node).toBe(0);
  expect(numbering.request({ do: 'json', node: answer.opened.node })).toEqual({
    target: 3,
    request: { do: 'json', node: 9 },
  });
  expect(numbering.answer(3, { is: 'gone', why: 'gone' })).toEqual({ is: 'gone', why: 'gone' });
});

test('what was reported too long ago is forgotten, not mistaken', () => {
  const numbering = new Numbering();
  const first = numbering.batch(0, batch([1], 1)).samples!.moment[0]!;
  for (let i = 2; i < 10_000; i++) numbering.batch(i % 2, batch([i], i));
  const found = numbering.momentOf(first);
  expect(found === undefined || (found.target === 0 && found.moment === 1)).toBe(true);
  expect(numbering.momentOf(numbering.moment(1, 9_999))).toEqual({ target: 1, moment: 9_999 });
});
