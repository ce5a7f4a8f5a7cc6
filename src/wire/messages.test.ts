import fc from 'fast-check';
import { checkFromGuest, checkFromParticipant } from '#dist/wire/guests.js';
import { checkFromPad, checkFromRelay } from '#dist/wire/messages.js';
import { isSampleColumns } from '#dist/wire/samples.js';
import { isValue } from '#dist/wire/value.js';

const columns = (length: number) => ({
  site: new Int32Array(length),
  visit: new Float64Array(length),
  moment: new Float64Array(length),
  tag: new Uint8Array(length),
  number: new Float64Array(length),
  rest: [] as unknown[],
});

test('any structured value is refused or taken, and none throws', () => {
  fc.assert(
    fc.property(fc.anything({ withTypedArray: true, withMap: true, withDate: true }), (junk) => {
      for (const check of [checkFromPad, checkFromRelay, checkFromGuest, checkFromParticipant]) {
        const result = check(junk);
        expect(result.ok).toBe(false);
        expect(result.ok || result.why.length).toBeGreaterThan(0);
      }
    }),
    { numRuns: 500 },
  );
});

test.each([
  [{ type: 'batch', id: 1, batch: { moment: 'late' } }, 'batch.moment'],
  [{ type: 'batch', id: 1, batch: { moment: 1, console: [{ text: 'fill' }] } }, 'batch.console.0'],
  [{ type: 'batch', id: 1, batch: { moment: 1, samples: { site: [1] } } }, 'batch.samples: no samples'],
  [{ type: 'stopped', id: 1, stop: { reason: 'bored' } }, 'stop.reason'],
  [{ type: 'looked', id: 1, ask: 1, answer: { is: 'opened' } }, 'answer.opened'],
  [{ type: 'changed', id: 1, ask: -1, answer: {} }, 'ask'],
])('says what is wrong with a message', (message, where) => {
  const result = checkFromRelay(message);
  expect(result.ok ? '' : result.why).toContain(where);
});

test('a message is given as it came, without a copy', () => {
  const message = { type: 'batch', id: 1, batch: { moment: 4, samples: columns(3) } };
  const result = checkFromRelay(message);
  expect(result.ok && result.message).toBe(message);
});

describe('samples', () => {
  test('columns of one length are taken', () => expect(isSampleColumns(columns(3))).toBe(true));
  test('columns of several lengths are not', () =>
    expect(isSampleColumns({ ...columns(3), visit: new Float64Array(2) })).toBe(false));
  test('a row that names a value which is not there is not', () =>
    expect(isSampleColumns({ ...columns(1), tag: Uint8Array.of(1), number: Float64Array.of(7) })).toBe(false));
  test('an unknown kind of row is not', () =>
    expect(isSampleColumns({ ...columns(1), tag: Uint8Array.of(9) })).toBe(false));
});

test('values are looked at all the way down, and not for ever', () => {
  expect(isValue({ type: 'object', entries: [{ key: 'sill', value: { type: 'number', text: '2' } }] })).toBe(true);
  expect(isValue({ type: 'object', entries: [{ key: 'sill', value: { type: 'water' } }] })).toBe(false);
  const circular: { type: string; entries: unknown[] } = { type: 'object', entries: [] };
  circular.entries.push({ value: circular });
  expect(isValue(circular)).toBe(false);
});
