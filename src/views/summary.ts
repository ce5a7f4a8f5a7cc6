/** The state of a run in one line: what the top of the window and the last line of a listing say. */
import type { PadRecord } from '../record/record.js';
import { durationText } from './duration.js';

export interface Summary {
  /** `worker · 6 ms`. */
  run: string;
  /** `1 error · 1 of 4 tests failed`, or empty when all is well. */
  trouble: string;
  /** `4 tests passed`, or empty. */
  tests: string;
}

export function summaryOf(record: PadRecord): Summary {
  const tests = record.tests.filter((test) => !test.suite);
  const failed = tests.filter((test) => test.state === 'failed').length;
  const running = tests.filter((test) => test.state === 'running').length;
  const trouble: string[] = [];
  const own = ownRunText(record);
  const reused = tests.filter((test) => test.reused).length;
  const earlier = reused > 0 ? `, ${reused.toLocaleString('en-US')} of them in an earlier run` : '';
  if (record.outcome === 'syntax') trouble.push(`${plural(record.errors.length, 'syntax error')}`);
  else if (record.errors.length > 0) trouble.push(plural(record.errors.length, 'error'));
  if (record.stop && record.outcome === 'stopped') trouble.push(`stopped: ${record.stop.message}`);
  if (failed > 0) trouble.push(`${failed} of ${plural(tests.length, 'test')} failed${earlier}${own}`);
  if (record.ownRun?.state === 'failed') trouble.push(`${record.ownRun.framework} itself: ${record.ownRun.problem}`);
  if (running > 0) trouble.push(`${plural(running, 'test')} not ended`);
  return {
    run: record.live
      ? `live${record.live.where === undefined ? '' : ` · ${record.live.where}`}${record.ended ? ' · has ended' : ''}`
      : record.target === 'none'
        ? record.ownRun?.instead !== undefined
          ? `${record.ownRun.framework} itself${record.ownRun.durationMs === undefined ? '' : ` · ${durationText(record.ownRun.durationMs)}`}: ${record.ownRun.instead}`
          : 'did not run'
        : `${record.target}${record.ended || record.durationMs > 0 ? ` · ${durationText(record.durationMs)}` : ''}${record.keptPackages ? ' · kept packages' : ''}${record.ended ? '' : ' · going on'}`,
    trouble: trouble.join(' · '),
    tests:
      tests.length > 0 && failed === 0 && running === 0 ? `${plural(tests.length, 'test')} passed${earlier}${own}` : '',
  };
}

/** What the project's own framework says of the tests, behind their number. */
function ownRunText({ ownRun }: PadRecord): string {
  if (ownRun?.state !== 'done' || ownRun.instead !== undefined) return '';
  if (ownRun.differing === 0) return `, ${ownRun.framework} agrees`;
  return `, ${ownRun.framework} has ${ownRun.differing} otherwise`;
}

export function plural(count: number, noun: string): string {
  return `${count.toLocaleString('en-US')} ${noun}${count === 1 ? '' : 's'}`;
}
