/** What is said of changes of a live program, in one line each. */
import type { Step } from '../../wire/steps.js';
import type { LiveAnswer } from '../../wire/messages.js';
import type { RawError, RawFrame } from '../../wire/reports.js';
import type { LiveEvent } from './events.js';

/** Where else a change was made. */
export function placesText(labels: readonly string[], too: boolean): string {
  if (labels.length === 0) return '';
  const some = labels.length === 2 && labels.includes('server');
  const text = labels.length === 1 || some ? labels.join(' and ') : `${labels.length} threads and processes`;
  return ` · in ${text}${too ? ' too' : ''}`;
}

/** Why a plan was not applied. */
export function failedEvent(answer: LiveAnswer, steps: readonly Step[], file: string, where = ''): LiveEvent {
  const { step: index, error } = answer.failed!;
  const step = steps[index];
  return {
    kind: 'failed',
    file: step?.file ?? file,
    text: step
      ? `nothing changed: ${step.name} failed${where}`
      : `nothing changed${where === '' ? '' : `: the change failed${where}`}`,
    details: [error.name === 'Error' || error.name === '' ? error.message : `${error.name}: ${error.message}`],
  };
}

/** What else came of a change. */
export function alsoText(answer: LiveAnswer | undefined): string {
  if (!answer) return '';
  const parts: string[] = [];
  if (answer.objects > 0) parts.push(`${answer.objects} object${answer.objects === 1 ? '' : 's'} brought along`);
  if (answer.resumed.length > 0) parts.push(`${answer.resumed.join(', ')} called again`);
  return parts.map((part) => ` · ${part}`).join('');
}

/** An error in one line, with its place. */
export function errorLine(error: RawError, lineText: (frame: RawFrame) => string): string {
  const at = error.frames.find((frame) => frame.local);
  const text = error.message === '' ? error.name : `${error.name}: ${error.message}`;
  return at ? `${lineText(at)}  ${text}` : text;
}

/** The way to an error, where it is longer than its place. */
export function pathOf(error: RawError, lineText: (frame: RawFrame) => string): string[] {
  const local = error.frames.filter((frame) => frame.local && frame.line >= 0);
  return local.length > 1 ? [local.map((frame) => `${frame.name || 'top level'} ${lineText(frame)}`).join(' · ')] : [];
}

/**
 * Where a program runs.
 *
 * @param pid of the program itself; undefined where there are only pages
 * @param guests labels of threads, processes and pages that take part
 */
export function whereaboutsText(pid: number | undefined, guests: readonly string[]): string {
  const { length } = guests;
  if (pid === undefined) return guestsText(guests);
  if (length === 0) return `process ${pid}`;
  return `process ${pid} and ${length === 1 ? guests[0]! : `${length} threads and processes`}`;
}

function guestsText(guests: readonly string[]): string {
  const pages = guests.filter((label) => label.startsWith('page ')).length;
  const others = guests.filter((label) => !label.startsWith('page '));
  const parts = [
    ...(others.length > 2 ? [`${others.length} threads and processes`] : others),
    ...(pages > 0 ? [pages === 1 ? '1 page' : `${pages} pages`] : []),
  ];
  return parts.length === 0 ? 'no page is open' : parts.join(' and ');
}
