import { alsoText, errorLine, failedEvent, pathOf, placesText } from '#dist/session/live/wording.js';
import type { LiveAnswer } from '#dist/wire/messages.js';
import type { RawError, RawFrame } from '#dist/wire/reports.js';
import type { Step } from '#dist/wire/steps.js';

const frame = (name: string, line: number, local = true): RawFrame => ({
  name,
  file: '/canal/chamber.ts',
  line,
  character: 0,
  local,
  isAsync: false,
});
const error = (message: string, frames: RawFrame[] = [], name = 'RangeError'): RawError => ({
  kind: 'uncaught',
  moment: 1,
  name,
  message,
  frames,
});
const answer = (more: Partial<LiveAnswer> = {}): LiveAnswer => ({ objects: 0, resumed: [], pauseMs: 0, ...more });
const lineText = ({ line }: RawFrame): string => `line ${line + 1}`;

test('an error is one line with its place, and the way to it where that is longer', () => {
  const thrown = error('silted', [frame('queue', 3, false), frame('fill', 11), frame('', 20)]);
  expect(errorLine(thrown, lineText)).toBe('line 12  RangeError: silted');
  expect(pathOf(thrown, lineText)).toEqual(['fill line 12 · top level line 21']);
  expect(errorLine(error('', [], 'Error'), lineText)).toBe('Error');
  expect(pathOf(error('silted', [frame('fill', 11)]), lineText)).toEqual([]);
});

test('what else came of a change, and where', () => {
  expect(alsoText(undefined)).toBe('');
  expect(alsoText(answer())).toBe('');
  expect(alsoText(answer({ objects: 1, resumed: ['tick', 'render'] }))).toBe(
    ' · 1 object brought along · tick, render called again',
  );
  expect(alsoText(answer({ objects: 4 }))).toBe(' · 4 objects brought along');
  expect([
    placesText([], true),
    placesText(['thread 3'], true),
    placesText(['thread 3'], false),
    placesText(['thread 3', 'process 8'], true),
  ]).toEqual(['', ' · in thread 3 too', ' · in thread 3', ' · in 2 threads and processes too']);
});

test('a change that failed names the step, the place and the reason', () => {
  const step = { kind: 'declare', file: '/canal/gate.ts', name: 'safe', code: 'missing()' } as Step;
  const failed = (step: number, given: RawError): LiveAnswer => answer({ failed: { step, error: given } });
  expect(
    failedEvent(
      failed(0, error('missing is not defined', [], 'ReferenceError')),
      [step],
      '/canal/a.ts',
      ' in thread 3',
    ),
  ).toEqual({
    kind: 'failed',
    file: '/canal/gate.ts',
    text: 'nothing changed: safe failed in thread 3',
    details: ['ReferenceError: missing is not defined'],
  });
  expect(failedEvent(failed(-1, error('the program has ended', [], 'Error')), [], '/canal/a.ts')).toEqual({
    kind: 'failed',
    file: '/canal/a.ts',
    text: 'nothing changed',
    details: ['the program has ended'],
  });
  expect(failedEvent(failed(-1, error('it did not answer', [], '')), [], '/canal/a.ts', ' in process 8').text).toBe(
    'nothing changed: the change failed in process 8',
  );
});
