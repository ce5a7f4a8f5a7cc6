/** Who has called a function from outside of the person's code, read off the stack below it. */
import type { EntryKind } from '../../wire/entries.js';
import type { RawFrame } from '../../wire/reports.js';
import * as own from '../originals.js';

const TIMERS = 'node:internal/timers';
const QUEUE = 'node:internal/process/task_queues';
const EVENTS = /^node:(?:events|internal\/event_target)$/;
const MESSAGES = /^node:internal\/(?:worker\/io|child_process|per_context\/messageport)$/;

/**
 * What has called; undefined where it is code of the person that is not followed.
 *
 * @param frames of the calls around it, the innermost first
 */
export function originOf(frames: readonly RawFrame[]): EntryKind | undefined {
  let outermost: RawFrame | undefined;
  let any = false;
  let kind: EntryKind | undefined;
  for (let i = 0; i < frames.length; i++) {
    const frame = frames[i]!;
    if (frame.isAsync || frame.file === '') continue;
    any = true;
    if (frame.local) outermost = frame;
    if (frame.file === TIMERS) kind ??= 'timer';
    else if (own.test(MESSAGES, frame.file)) kind ??= 'message';
    else if (own.test(EVENTS, frame.file)) kind ??= 'event';
    else if (frame.file === QUEUE) kind ??= 'other';
  }
  // A module that is being executed is no function, and has no name.
  if (outermost) return outermost.name === '' ? 'start' : undefined;
  return any ? (kind ?? 'other') : 'other';
}
