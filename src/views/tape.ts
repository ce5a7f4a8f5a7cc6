/** The tape: a record drawn along its moments. */
import type { PadRecord } from '../record/record.js';
import { errorText } from './margin-events.js';

export interface TapeTick {
  moment: number;
  what: 'line' | 'warning' | 'error' | 'passed' | 'failed';
  text: string;
}

export interface Tape {
  /** The moment at its begin: of a program that runs on, the first that is kept. */
  from: number;
  /** Samples by part of the run, from 0 to 1. */
  density: number[];
  ticks: TapeTick[];
}

/** Ticks of each kind that are drawn; more would be one dark bar. */
const MOST_TICKS = 300;

/** Into how many parts the run's moments are divided for the density. */
const PARTS = 200;

const drawn = new WeakMap<PadRecord, Tape>();

/** The tape of a record, drawn once: it is asked for at every step of the cursor. */
export function tapeOf(record: PadRecord): Tape {
  let tape = drawn.get(record);
  if (!tape) drawn.set(record, (tape = draw(record)));
  return tape;
}

function draw(record: PadRecord): Tape {
  const counts = new Float64Array(PARTS);
  const { samples, moments } = record;
  const from = record.live?.from ?? 0;
  const scale = moments > 0 ? PARTS / (moments - from + 1) : 0;
  // A long record is looked at in steps: its density shows at a glance all the same.
  const step = Math.max(1, Math.floor(samples.length / 100_000));
  for (let row = 0; row < samples.length; row += step)
    counts[Math.max(0, Math.floor((samples.moment[row]! - from) * scale))]!++;
  const most = Math.max(1, ...counts);
  const ticks: TapeTick[] = [];
  const every = Math.max(1, Math.ceil(record.console.length / MOST_TICKS));
  record.console.forEach((entry, index) => {
    if (index % every === 0 && entry.moment > from)
      ticks.push({
        moment: entry.moment,
        what: entry.level === 'error' ? 'error' : entry.level === 'warn' ? 'warning' : 'line',
        text: entry.text.slice(0, 80),
      });
  });
  for (const test of record.tests.slice(0, MOST_TICKS))
    if (!test.suite && (test.state === 'passed' || test.state === 'failed'))
      ticks.push({ moment: test.moment, what: test.state, text: `${test.name}: ${test.state}` });
  for (const error of record.errors.slice(0, MOST_TICKS))
    ticks.push({ moment: error.moment, what: 'error', text: errorText(error).slice(0, 80) });
  ticks.sort((a, b) => a.moment - b.moment);
  return { from, density: Array.from(counts, (count) => Math.round((count / most) * 100) / 100), ticks };
}
