/** What goes on in a run, for a window: requests, waits and timers, gates and dials. */
import type { PadRecord } from '../../../record/record.js';
import { valueText } from '../../../runtime/text.js';
import { durationText } from '../../../views/duration.js';
import { gateText } from '../../../views/margin-events.js';
import { isBad, requestText } from '../../../views/requests.js';
import { plural } from '../../../views/summary.js';
import type { GateMessage, DialMessage, PendingMessage, RequestMessage } from '../../protocol.js';
import { located, type Locate } from './location.js';

/** Requests that are sent: the last. */
const MOST_REQUESTS = 300;

export function presentDials(record: PadRecord, locate: Locate): DialMessage[] {
  return record.dials.map(({ frame, moment: _moment, ...dial }) => ({ ...dial, ...located(locate, frame) }));
}

export function presentGates(record: PadRecord, locate: Locate): GateMessage[] {
  return record.gates.map((gate) => ({
    id: gate.id,
    name: gate.name,
    state: gate.state,
    text: gateText(gate),
    ...(gate.held ? { held: true as const } : {}),
    moment: gate.moment,
    ...located(locate, gate.frame),
  }));
}

export function presentRequests(record: PadRecord, until: number, locate: Locate): RequestMessage[] {
  const known = record.requests.filter((request) => request.moment <= until).slice(-MOST_REQUESTS);
  return known.map((request) => ({
    id: request.id,
    moment: request.bodyMoment ?? request.moment,
    bad: isBad(request),
    state: request.state,
    text: requestText(request),
    url: request.url,
    ...located(locate, request.frames[0]),
    sent: request.sent ?? [],
    got: request.got ?? [],
    timing: timingText(request),
    ...(request.body ? { body: valueText(request.body, 2_000) } : {}),
    openable: request.body !== undefined && (request.body.type === 'object' || request.body.size !== undefined),
  }));
}

function timingText(request: PadRecord['requests'][number]): string {
  const parts = [`begun ${durationText(Math.max(0, request.since))} after the start`];
  if (request.headMs !== undefined) parts.push(`head after ${durationText(request.headMs)}`);
  if (request.tookMs !== undefined) parts.push(`over after ${durationText(request.tookMs)}`);
  return parts.join(', ');
}

/** What is waited for at the end. */
export function presentPending(record: PadRecord, locate: Locate): PendingMessage[] {
  const waits = record.waits.map((wait) => {
    const many = wait.count > 1 ? `${wait.count} awaits` : 'an await';
    const since = durationText(Math.max(0, wait.since));
    return {
      text: `${many}, since ${since} after the start${record.ended ? '; never came' : ''}`,
      ...located(locate, wait),
    };
  });
  const timers = record.timers.map((timer) => {
    const kind = timer.repeats ? 'an interval of' : 'a timer of';
    const text = `${kind} ${durationText(timer.delay)}, fired ${plural(timer.fired, 'time')}`;
    return { timer: timer.id, text, ...located(locate, timer.frame) };
  });
  return [...waits, ...timers];
}
