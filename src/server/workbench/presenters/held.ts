/** Calls that are held, breakpoints and pauses, as windows are told of them. */
import { valueText } from '../../../runtime/text.js';
import type { Done } from '../../../session/live/holding/already-done.js';
import type { HeldCall, HeldCalls } from '../../../session/live/holding/holding.js';
import { missedName } from '../../../session/live/holding/missing.js';
import { termsOf, type Breakpoint } from '../../../session/live/pausing/breakpoints.js';
import type { PausingFace } from '../../../session/live/pausing/face.js';
import type { Standing } from '../../../session/live/pausing/told.js';
import type { PauseScope } from '../../../wire/pausing.js';
import type { RawFrame } from '../../../wire/reports.js';
import type {
  BreakpointMessage,
  HeldCallMessage,
  DoneMessage,
  HeldFrame,
  HeldMessage,
  StandingMessage,
} from '../../protocol-held.js';
import type { Workbench } from '../state.js';

/** Characters of a value in a list. */
const WIDE = 200;

/** Variables of frames of what stands still, by place and number of the pause. */
const scopesOf = new WeakMap<PausingFace, Map<string, Pick<HeldFrame, 'variables' | 'unreached'>>>();

/** What can stand still: a program that runs on, whose failing calls can be held as well, or a pad. */
export interface Stoppable {
  readonly pausing: PausingFace;
  readonly held?: HeldCalls;
}

/** What of a workbench can stand still. */
export function stoppableOf({ live, pad }: Workbench): Stoppable | undefined {
  return live?.session ?? pad;
}

/** Tells windows from now on what is held and what stands still. @returns what ends that */
export function watchHolding(workbench: Workbench, session: Stoppable): () => void {
  const tell = (): void => {
    if (stoppableOf(workbench) === session) workbench.tellAllWindows(heldMessage(workbench, session));
  };
  const ends = [
    session.held?.listen(tell) ?? ((): void => undefined),
    session.pausing.listen((event) => {
      if (event.is === 'message') {
        workbench.tellAllWindows({ type: 'note', text: `line ${event.breakpoint.line + 1}: ${event.text}` });
        return;
      }
      if (event.is === 'paused') void readFrame(workbench, session, event.standing, 0);
      tell();
    }),
  ];
  return () => {
    for (const end of ends) end();
  };
}

/** All of it, in the lines that windows show. */
export function heldMessage(workbench: Workbench, session: Stoppable): HeldMessage {
  const { held, pausing } = session;
  return {
    type: 'held',
    mode: held?.mode ?? 'off',
    stopsAtErrors: pausing.stopsAtErrors,
    calls: (held?.all ?? []).map((call) => callMessage(workbench, call)),
    standing: pausing.all.map((standing) => standingMessage(workbench, session, standing)),
    breakpoints: pausing.breakpoints.map((one) => breakpointMessage(workbench, one)),
  };
}

function placeOf(workbench: Workbench, { file, line, local }: RawFrame): HeldFrame['at'] {
  if (!local || line < 0) return undefined;
  return { file: workbench.nameOf(file), line: shownLine(workbench, file, line) };
}

/** The line of the text that windows have, behind one of the text that runs. */
export function shownLine({ subject, documents }: Workbench, file: string, line: number): number {
  return subject?.lineIn(file, documents.get(file)?.shared.text)(line) ?? line;
}

function callMessage(workbench: Workbench, call: HeldCall): HeldCallMessage {
  const { id, name, error, waits, since, until, where, isOver, frames } = call;
  const local = error.frames.find((frame) => frame.local && frame.line >= 0);
  const at = local && placeOf(workbench, local);
  const misses = missedName(error.message);
  return {
    ...{ id, name, waits, since, where, done: doneMessages(workbench, call.done) },
    error: `${error.name}: ${error.message}`,
    ...(at ? { at } : {}),
    ...(until === undefined ? {} : { until }),
    ...(isOver === undefined ? {} : { isOver }),
    ...(misses === undefined ? {} : { misses }),
    frames: frames.map((frame) => frameMessage(workbench, frame, variablesOf(frame.scopes, frame.moment))),
  };
}

function doneMessages(workbench: Workbench, done: readonly Done[]): DoneMessage[] {
  return done.map(({ file, line, text }) => ({
    file: workbench.nameOf(file),
    line: shownLine(workbench, file, line),
    text,
  }));
}

function frameMessage(workbench: Workbench, frame: RawFrame, variables: HeldFrame['variables']): HeldFrame {
  const at = placeOf(workbench, frame);
  return { name: frame.name, ...(at ? { at } : {}), variables };
}

function variablesOf(scopes: readonly PauseScope[], moment: number): HeldFrame['variables'] {
  return scopes.flatMap(({ variables }) =>
    variables.map(({ name, value, part }) => ({ name, text: valueText(value, WIDE), moment, part })),
  );
}

function standingMessage(workbench: Workbench, { pausing }: Stoppable, standing: Standing): StandingMessage {
  const { where, number, frames } = standing;
  const known = scopesOf.get(pausing);
  return {
    ...{ where, number, why: whyText(standing), canBeginAnew: standing.canBeginAnew === true },
    frames: frames
      .map((frame, index) => ({ frame, read: known?.get(keyOf(standing, index)) }))
      .filter(({ frame }) => frame.local)
      .map(({ frame, read }) => ({
        ...frameMessage(workbench, frame, read?.variables ?? []),
        done: doneMessages(workbench, frame.done),
        ...(read?.unreached === undefined ? {} : { unreached: read.unreached }),
      })),
  };
}

function whyText({ reason, breakpoint, error, value, needsValue }: Standing): string {
  const thrown = error ? `${error.name}: ${error.message}` : 'an error';
  return {
    breakpoint: `at breakpoint ${breakpoint ?? 0}`,
    return: `at breakpoint ${breakpoint ?? 0}, about to give ${value ? valueText(value.value, WIDE) : 'a value'}`,
    write: `at field ${breakpoint ?? 0}, about to be ${value ? valueText(value.value, WIDE) : 'written'}`,
    error: needsValue ? `${thrown}; its caller needs a value now, so it cannot be held` : thrown,
    step: 'behind a step',
    asked: 'as it was asked to',
    again: 'at the begin of a call',
  }[reason];
}

function keyOf({ where, number }: Standing, frame: number): string {
  return `${where} ${number} ${frame}`;
}

/** Reads the variables of a frame of what stands still, and tells windows. */
export async function readFrame(
  workbench: Workbench,
  session: Stoppable,
  standing: Standing,
  frame: number,
): Promise<void> {
  const answer = await session.pausing.scopes(frame, standing.where);
  // Only what stands now is asked for again.
  const stands = new Set(session.pausing.all.map((one) => `${one.where} ${one.number} `));
  const known = new Map(
    [...(scopesOf.get(session.pausing) ?? [])].filter(([key]) => [...stands].some((begin) => key.startsWith(begin))),
  );
  // What is around the module is the same for all frames, and long.
  const near =
    answer.is === 'scopes'
      ? answer.scopes.filter(({ kind }, index) => index < answer.scopes.length - 1 || kind !== 'closure')
      : [];
  known.set(
    keyOf(standing, frame),
    answer.is === 'scopes' ? { variables: variablesOf(near, answer.moment) } : { variables: [], unreached: answer.why },
  );
  scopesOf.set(session.pausing, known);
  workbench.tellAllWindows(heldMessage(workbench, session));
}

function breakpointMessage(workbench: Workbench, breakpoint: Breakpoint): BreakpointMessage {
  const { id, file, line, where, state, why } = breakpoint;
  return {
    ...{
      id,
      where,
      file: workbench.nameOf(file),
      line: shownLine(workbench, file, line),
      text: termsOf(breakpoint).join(', '),
    },
    ...(state === 'set' ? {} : { why: why ?? state }),
  };
}
