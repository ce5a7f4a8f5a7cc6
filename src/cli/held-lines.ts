/** What a terminal is told of calls that are held, and of what stands still. */
import { relative } from 'node:path';
import { valueText } from '../runtime/text.js';
import type { HeldState } from '../server/door-holding.js';
import type { Done } from '../session/live/holding/already-done.js';
import type { HeldCall, HoldEvent } from '../session/live/holding/holding.js';
import { termsOf, type Breakpoint } from '../session/live/pausing/breakpoints.js';
import type { PauseEvent, Standing } from '../session/live/pausing/pausing.js';
import type { LiveSession } from '../session/live/session.js';
import type { PauseScope } from '../wire/pausing.js';
import { ago } from './targets.js';
import { cut, harmless, type Paint } from './paint.js';

/** Columns of a line with a value. */
const WIDE = 110;
/** Frames and variables of a call that are shown in a list. */
const MOST_FRAMES = 4;
const MOST_VARIABLES = 6;

/** Prints what happens to held calls and pauses where the program was started. */
export function tellHeld(session: LiveSession, paint: Paint, cwd: string): void {
  const write = (lines: readonly string[]): void =>
    void process.stderr.write(lines.map((line) => `${line}\n`).join(''));
  session.held.listen((event) => write(heldEventLines(event, paint, cwd)));
  session.pausing.listen((event) => write(pauseEventLines(event, paint, cwd)));
}

export function heldEventLines(event: HoldEvent, paint: Paint, cwd: string): string[] {
  if (event.is === 'switched') return [];
  const { held } = event;
  if (event.is === 'held') return [`${paint.amber('held')}  ${callLine(held, paint, cwd)}`];
  const how = {
    again: 'goes on',
    give: 'was given a value',
    fail: 'fails',
    drop: 'is dropped',
    limit: 'fails: nobody has mended it in time',
    gone: 'is dropped: nobody waits for it any more',
  }[event.how];
  return [`${paint.dim('held')}  ${harmless(held.name)}  ${how}`];
}

export function pauseEventLines(event: PauseEvent, paint: Paint, cwd: string): string[] {
  switch (event.is) {
    case 'paused':
      return [`${paint.amber('stands still')}  ${standingLine(event.standing, cwd)}`];
    case 'went-on':
      return [`${paint.dim('goes on')}${event.where === '' ? '' : `  ${event.where}`}`];
    case 'message':
      return [`${paint.dim(`line ${event.breakpoint.line + 1}`)}  ${harmless(event.text)}`];
    case 'breakpoints':
      return [];
  }
}

/** All of it, as `usher-anvil held` lists it. */
export function heldLines(name: string, state: HeldState, paint: Paint, cwd: string): string[] {
  const lines: string[] = [];
  const limit = state.limitMs > 0 ? `for ${spanText(state.limitMs)} at most` : 'without limit';
  const mode = {
    off: 'calls that fail are not held: usher-anvil held ' + `${name} on`,
    on: `calls that fail are held, ${limit}`,
    auto: `calls that fail are held, ${limit}, and go on when a function of theirs changes`,
  }[state.mode];
  lines.push(`${paint.bold(name)}  ${mode}`);
  for (const call of state.calls) lines.push(...callLines(call, paint, cwd));
  for (const standing of state.standing) lines.push(...standingLines(standing, paint, cwd));
  for (const { id, text } of state.fields) lines.push(`  ${paint.dim('field')} ${id}  ${harmless(text)}`);
  for (const breakpoint of state.breakpoints) lines.push(breakpointLine(breakpoint, paint, cwd));
  if (state.stopsAtErrors !== 'none')
    lines.push(`  stops at ${state.stopsAtErrors === 'all' ? 'all errors' : 'errors that no code of it catches'}`);
  return lines;
}

function callLines(call: HeldCall, paint: Paint, cwd: string): string[] {
  const lines = [`  ${paint.amber(String(call.id))}  ${callLine(call, paint, cwd)}`];
  for (const text of call.waits) lines.push(`       ${harmless(text)}`);
  lines.push(`       ${paint.dim(`since ${ago(new Date(call.since).toISOString())}`)}`);
  if (call.isOver !== undefined) lines.push(`       ${harmless(call.isOver)}`);
  for (const frame of call.frames.slice(0, MOST_FRAMES)) {
    lines.push(`       ${paint.dim(`${frame.name || '(no name)'}  ${placeText(frame, cwd)}`)}`);
    lines.push(...variableLines(frame.scopes, paint, MOST_VARIABLES).map((line) => `         ${line}`));
  }
  if (call.frames.length === 0)
    call.given.forEach((value, index) =>
      lines.push(`       ${cut(`argument ${index + 1} = ${paint.value(harmless(valueText(value)))}`, WIDE)}`),
    );
  if (call.done.length > 0)
    lines.push(`       ${paint.dim(`may have been done already: ${doneText(call.done, cwd)}`)}`);
  return lines;
}

/** What stays done when a call is run again: `tolls.push(total) (rules.ts line 14), fetch(url) (rules.ts line 16)`. */
export function doneText(done: readonly Done[], cwd: string): string {
  return harmless(done.map((one) => `${one.text} (${placeText(one, cwd)})`).join(', '));
}

function callLine({ name, error }: HeldCall, paint: Paint, cwd: string): string {
  const at = error.frames.find(({ local, line }) => local && line >= 0);
  const place = at ? `  ${placeText(at, cwd)}` : '';
  return `${harmless(name)}${place}  ${paint.fail(harmless(`${error.name}: ${error.message}`))}`;
}

/** Variables of scopes, a line each. */
export function variableLines(scopes: readonly PauseScope[], paint: Paint, most = Infinity): string[] {
  const all = scopes.flatMap(({ variables }) => variables);
  const lines = all
    .slice(0, most)
    .map(
      ({ name, value }) => `${harmless(name)} = ${paint.value(cut(harmless(valueText(value)), WIDE - name.length))}`,
    );
  return all.length > most ? [...lines, paint.dim(`and ${all.length - most} more`)] : lines;
}

function standingLine({ reason, breakpoint, frames, error, value, where, needsValue }: Standing, cwd: string): string {
  const [top] = frames;
  const place = top ? placeText(top, cwd) : 'at an unknown place';
  const why = {
    breakpoint: `at breakpoint ${breakpoint ?? 0}`,
    return: `at breakpoint ${breakpoint ?? 0}, about to give ${value ? valueText(value.value, 80) : 'a value'}`,
    write: `at field ${breakpoint ?? 0}, about to be ${value ? valueText(value.value, 80) : 'written'}`,
    error: `${error ? `${error.name}: ${error.message}` : 'an error'}${needsValue ? '; its caller needs a value now' : ''}`,
    step: 'behind a step',
    asked: 'as it was asked to',
    again: 'at the begin of a call',
  }[reason];
  return harmless(`${where === '' ? '' : `${where}  `}${top?.name ? `${top.name}  ` : ''}${place}  ${why}`);
}

function standingLines(standing: Standing, paint: Paint, cwd: string): string[] {
  return [
    `  ${paint.amber('stands still')}  ${standingLine(standing, cwd)}`,
    ...standing.frames
      .filter(({ local }) => local)
      .slice(0, 12)
      .map((frame, index) => `    ${paint.dim(`${index}  ${frame.name || '(no name)'}  ${placeText(frame, cwd)}`)}`),
  ];
}

export function breakpointLine(breakpoint: Breakpoint, paint: Paint, cwd: string): string {
  const { id, state, why } = breakpoint;
  const text = harmless([placeText(breakpoint, cwd), ...termsOf(breakpoint)].join('  '));
  return `  ${paint.dim('breakpoint')} ${id}  ${text}${state === 'set' ? '' : `  ${paint.fail(harmless(why ?? state))}`}`;
}

/** `rules.ts line 24`. */
export function placeText({ file, line }: { file: string; line: number }, cwd: string): string {
  const short = relative(cwd, file);
  return `${short === '' || short.startsWith('..') ? file : short}${line < 0 ? '' : ` line ${line + 1}`}`;
}

function spanText(ms: number): string {
  return ms % 60_000 === 0 ? `${ms / 60_000} min` : `${Math.round(ms / 1_000)} s`;
}
