/** Who has called a function, read off the stack below it: code of the person, or somebody who waits for nothing. */
import type { RawFrame } from '../../wire/reports.js';
import * as own from '../originals.js';

/**
 * `own`: code of the person. `nobody`: the engine's queue of promises. `event`: whoever calls listeners, timers and
 * message handlers, and takes nothing they give. `package`: code of a package that such a one has called. `value`:
 * somebody who may need what is given.
 */
export type Caller = 'own' | 'nobody' | 'event' | 'package' | 'value';

/** Files of the platform that call what nobody waits for. */
const EVENTS = /^node:(?:events|internal\/(?:timers|event_target|worker\/io|child_process|per_context\/messageport))$/;
const QUEUE = 'node:internal/process/task_queues';

/** @param frames of the calls around it, the innermost first */
export function callerOf(frames: readonly RawFrame[]): Caller {
  let first: string | undefined;
  let last = '';
  let isPlatform = true;
  for (let i = 0; i < frames.length; i++) {
    const { file, local, isAsync } = frames[i]!;
    // Those wait, and have not called.
    if (isAsync || file === '') continue;
    if (local) return 'own';
    first ??= file;
    last = file;
    if (!own.test(/^node:/, file)) isPlatform = false;
  }
  if (first === undefined || first === QUEUE) return 'nobody';
  if (isPlatform) return own.test(EVENTS, first) ? 'event' : 'value';
  // A package stands between: it may have asked for a value, in an event or not.
  return own.test(/^node:/, last) ? 'package' : 'value';
}
