import type { RecordMessage } from '#dist/server/protocol.js';
import { changeFor, firstState, type State } from './state.js';

const state = (change: Partial<State> = {}): State => ({
  ...firstState({
    theme: 'light',
    layout: { side: 360, dock: 220, density: 'airy', split: 0.5 },
    alone: undefined,
  }),
  file: 'lock.ts',
  ...change,
});
const record = (change: Partial<RecordMessage> = {}): RecordMessage =>
  ({
    type: 'record',
    console: [],
    tests: [],
    pad: 'lock.ts',
    file: 'lock.ts',
    version: 3,
    stale: false,
    ...change,
  }) as RecordMessage;

test('a record of the file that is shown is taken; of another file it is not', () => {
  expect(changeFor(state(), record(), 3)).toMatchObject({ record: { version: 3 }, good: { version: 3 }, problem: '' });
  expect(changeFor(state(), record({ file: 'gate.ts' }), 3)).toBeUndefined();
});

test('of a text that does not parse, what the last one showed stays', () => {
  const good = record({ version: 2 });
  expect(changeFor(state({ good }), record({ stale: true }), 3)).toMatchObject({ good });
  expect(changeFor(state({ good: record({ pad: 'gate.ts' }) }), record({ stale: true }), 3)).toMatchObject({
    good: undefined,
  });
});

test('of a live program, a record of an older text would stand at wrong lines', () => {
  const live = { waiting: [] };
  expect(changeFor(state(), record({ live }), 4)).toBeUndefined();
  expect(changeFor(state(), record({ live }), 3)).toMatchObject({ record: { version: 3 } });
});

test('another file closes what stands open', () => {
  const open = state({ inspected: { line: 4, histories: [], chains: [] } });
  const whole = { text: '', epoch: 'now', version: 0, clocks: {} };
  const text = { type: 'text', ...whole, unsaved: false, conflict: false, restored: false } as const;
  expect(changeFor(open, { ...text, file: 'lock.ts' }, 0)).toMatchObject({ inspected: { line: 4 } });
  expect(changeFor(open, { ...text, file: 'gate.ts' }, 0)).toMatchObject({ file: 'gate.ts', inspected: undefined });
});

test('what a pad shows turns the side, unless a person looks at values', () => {
  const shown = [{ id: 1, kind: 'plot', title: '' }];
  expect(changeFor(state({ side: 'values' }), { type: 'shown', pad: 'lock.ts', shown }, 0)).toEqual({
    shown,
    side: 'shown',
  });
  const opened = { moment: 1, part: 0, path: 'it', then: '' };
  expect(changeFor(state({ side: 'values', opened }), { type: 'shown', pad: 'lock.ts', shown }, 0)).toEqual({ shown });
});
