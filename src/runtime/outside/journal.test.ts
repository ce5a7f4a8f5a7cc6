import type { Answer } from '#dist/wire/taken.js';
import { Journal } from '#dist/runtime/outside/journal.js';

/** See `Taken`. */
const [DATE, CLOCK, RANDOM] = [0, 1, 2] as const;

const ANSWER: Answer = {
  ...{ request: 1, url: '/level', redirected: false, status: 200, statusText: 'OK', headers: [] },
  body: new Uint8Array([52]),
};

test('what was taken is given again at the same steps, in the same order by kind', () => {
  let steps = 0;
  const written = new Journal(() => steps);
  expect(written.take(RANDOM, () => 0.25)).toBe(0.25);
  steps = 3;
  // The platform reads the clock for itself, and will not the next time.
  written.take(CLOCK, () => 7);
  steps = 4;
  expect(written.take(CLOCK, () => 8)).toBe(8);
  written.fired(2);
  written.answered(ANSWER);
  expect([...written.takeBytes(() => new Uint8Array([1, 2]))]).toEqual([1, 2]);
  const taken = written.hand()!;
  expect(written.hand()).toBeUndefined();
  steps = 0;
  const given = new Journal(() => steps, taken);
  const never = (): never => {
    throw new Error('nothing is asked outside');
  };
  expect(given.take(RANDOM, never)).toBe(0.25);
  expect(given.upcoming).toMatchObject({ number: 2, steps: 4 });
  steps = 4;
  expect(given.take(CLOCK, never)).toBe(8);
  given.pass();
  expect(given.upcoming).toMatchObject({ number: 1, steps: 4, answer: { url: '/level' } });
  given.pass();
  expect(given.upcoming).toBeUndefined();
  expect([...given.takeBytes(never)]).toEqual([1, 2]);
  // What it had not asked for then comes from outside, and so does all once it has left the way.
  expect(given.take(RANDOM, () => 0.5)).toBe(0.5);
  expect(given.whole).toBe(true);
  given.leave();
  expect([given.whole, given.gives]).toEqual([false, false]);
});

test('what is too much to be written down is said', () => {
  const written = new Journal(() => 1);
  written.answered({ ...ANSWER, body: new Uint8Array(65 * 1024 * 1024) });
  expect(written.whole).toBe(false);
  expect(written.take(DATE, () => 12)).toBe(12);
  expect(written.hand()).toBeUndefined();
});
