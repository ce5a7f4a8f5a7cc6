/** Errors, tests, controls and what is pending, beside their lines. */
import type { PadRecord, RecordError, TestResult } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import { differenceText } from './difference.js';
import { ageText, durationText } from './duration.js';
import { explain } from './explain.js';
import type { MarginItem } from './margin-item.js';
import { isBad, requestText } from './requests.js';

export function errorsOf(record: PadRecord): { error: RecordError; test?: TestResult }[] {
  const list: { error: RecordError; test?: TestResult }[] = record.errors.map((error) => ({ error }));
  for (const test of record.tests) if (test.error && test.state === 'failed') list.push({ error: test.error, test });
  return list;
}

export function errorItem(record: PadRecord, error: RecordError, test?: TestResult): MarginItem {
  const difference = error.differences && differenceText(error.differences);
  if (difference !== undefined)
    return {
      kind: 'error',
      text: difference,
      title: `${test ? `${test.name}: ` : ''}${errorText(error)}\n${difference}`,
    };
  if (test && error.expected && error.received) {
    const text = `received ${valueText(error.received, 60)}, expected ${valueText(error.expected, 60)}`;
    return { kind: 'error', text, title: `${test.name}: ${error.message}` };
  }
  const text = errorText(error);
  const { reason, hint, values } = explain(record, error);
  const told = [reason === '' ? firstLine(text) : `${error.name}: ${reason}`, hint]
    .filter(Boolean)
    .join('. ')
    .replace('?.', '?');
  return {
    kind: 'error',
    text: told,
    title: [text, reason, hint, ...values.map((one) => `${one.name} = ${one.text}`)].filter(Boolean).join('\n'),
  };
}

/** Name and message of an error, as a person says them. */
export function errorText(error: RecordError): string {
  if (error.times) return `${errorText({ ...error, times: 0 })} ×${error.times.toLocaleString('en-US')}`;
  if (error.kind === 'syntax' || error.kind === 'resolve') return error.message;
  if (error.value)
    return error.kind === 'rejection'
      ? `rejected with ${valueText(error.value, 120)}`
      : `threw ${valueText(error.value, 120)}`;
  // A comparison that is shown place by place needs no dump of both sides.
  if (error.differences && error.differences.list.length > 0)
    return `${error.name}: ${firstLine(error.message).replace(/:$/, '')}`;
  return error.message === '' ? error.name : error.name === '' ? error.message : `${error.name}: ${error.message}`;
}

function firstLine(text: string): string {
  const end = text.indexOf('\n');
  return end < 0 ? text : text.slice(0, end);
}

export function testItem(test: TestResult): MarginItem {
  const time = durationText(test.durationMs);
  switch (test.state) {
    case 'passed':
      return {
        kind: 'passed',
        text: `✓ ${time}${test.reused ? ', earlier run' : ''}`,
        title:
          `${test.name}: passed ` +
          `in ${time}${test.reused ? ', in an earlier run: the edit cannot have touched it' : ''}`,
      };
    case 'failed':
      return {
        kind: 'failed',
        text: test.failure === 'subtests' ? `✗ ${test.reason}` : '✗ failed',
        title: `${test.name}: failed${test.error ? `: ${errorText(test.error)}` : test.reason ? `: ${test.reason}` : ''}`,
      };
    case 'skipped':
    case 'todo':
      return {
        kind: 'skipped',
        text: `- ${test.state === 'todo' ? 'to do' : 'skipped'}`,
        title: `${test.name}: ${test.state === 'todo' ? 'to do' : 'skipped'}${test.reason === undefined ? '' : `: ${test.reason}`}`,
      };
    default:
      return { kind: 'skipped', text: '… running', title: `${test.name}: not ended yet` };
  }
}

/** Dials, gates and notes beside their lines. */
export function controlItems(record: PadRecord, file: string): { line: number; item: MarginItem }[] {
  const items: { line: number; item: MarginItem }[] = [];
  for (const dial of record.dials) {
    if (dial.frame?.file !== file || dial.value === dial.initial) continue;
    const text = `turned; ${JSON.stringify(dial.initial)} in the source`;
    items.push({
      line: dial.frame.line,
      item: { kind: 'dial', text, title: `the dial ${dial.name} is turned to ${JSON.stringify(dial.value)}; ${text}` },
    });
  }
  for (const gate of record.gates)
    if (gate.frame?.file === file)
      items.push({
        line: gate.frame.line,
        item: {
          kind: 'gate',
          text: gate.held ? `${gate.name}: ${gateText(gate)}` : gateText(gate),
          title: `the gate "${gate.name}": ${gateText(gate)}`,
        },
      });
  for (const note of record.shown)
    if (note.kind === 'note' && note.file === file && note.line !== undefined)
      items.push({ line: note.line, item: { kind: 'note', text: note.title ?? '', title: note.title ?? '' } });
  return items;
}

/** What a gate is at, and what came of it last. */
export function gateText(gate: PadRecord['gates'][number]): string {
  if (gate.held) {
    const detail = gate.detail === undefined ? '' : ` (${gate.detail})`;
    return gate.state === 'closed' ? `held${detail}` : `let through${detail}`;
  }
  switch (gate.state) {
    case 'open':
      return 'open, under way';
    case 'done':
      return `done in ${durationText(gate.tookMs ?? 0)}${gate.value ? `: ${valueText(gate.value, 80)}` : ''}`;
    case 'failed':
      return `failed: ${gate.error ?? ''}`;
    default:
      return `closed${gate.last ? `; last time ${gate.last.state}${gate.last.text === '' ? '' : `: ${gate.last.text}`}, ${ageText(gate.last.ageMs)} ago` : ''}`;
  }
}

/** What waits, and requests, beside their lines. */
export function pendingItems(record: PadRecord, file: string, until: number): { line: number; item: MarginItem }[] {
  const items: { line: number; item: MarginItem }[] = [];
  const byLine = new Map<number, PadRecord['requests'][number][]>();
  for (const request of record.requests) {
    const frame = request.frames[0];
    if (frame?.file !== file || request.moment > until) continue;
    byLine.set(frame.line, [...(byLine.get(frame.line) ?? []), request]);
  }
  for (const [line, requests] of byLine) {
    const last = requests[requests.length - 1]!;
    const bad = requests.filter(isBad).length;
    const item: MarginItem = {
      kind: isBad(last) ? 'bad-request' : 'request',
      text: requestText(last),
      title: requests
        .slice(-8)
        .map((one) => requestText(one, true))
        .join('\n'),
    };
    if (requests.length > 1)
      item.count = `×${requests.length}${bad > 0 && bad < requests.length ? `, ${bad} went wrong` : ''}`;
    items.push({ line, item });
  }
  if (until < record.moments) return items;
  for (const wait of record.waits) {
    if (wait.file !== file) continue;
    const more = wait.count > 1 ? `${wait.count} ` : '';
    items.push({
      line: wait.line,
      item: {
        kind: 'wait',
        text: `… ${more}${record.ended ? 'never came' : `waiting, since ${durationText(Math.max(0, wait.since))}`}`,
        title:
          `${more === '' ? 'an await' : `at least ${more}awaits`} at this ` +
          `line ${record.ended ? 'had not come to an end when the program ended' : `wait since ${durationText(Math.max(0, wait.since))} after the start`}`,
      },
    });
  }
  for (const timer of record.timers) {
    if (timer.frame?.file !== file) continue;
    const text = timer.repeats
      ? `every ${durationText(timer.delay)}, ${timer.fired} so far`
      : `due ${durationText(timer.delay)} after ${durationText(Math.max(0, timer.since))}`;
    items.push({ line: timer.frame.line, item: { kind: 'wait', text: `timer ${text}`, title: `a timer: ${text}` } });
  }
  return items;
}
