/** What targets report, with its places in the texts as they are now. */
import { presentLine } from '../../patch/live-module.js';
import type { Batch, RawError, RawFrame } from '../../wire/reports.js';
import type { LiveEvent, LiveOutput } from './events.js';
import type { RunningProgram } from './running.js';
import type { TargetState } from './target-state.js';
import { errorLine, pathOf } from './wording.js';

/** A report, with numbers of all targets and places as of now. */
export function presentBatch(running: RunningProgram, state: TargetState, reported: Batch): Batch {
  const batch = running.numbering.batch(state.index, reported);
  const { errors, console } = batch;
  return {
    ...batch,
    ...(errors ? { errors: errors.map((error) => presentError(state, error)) } : {}),
    ...(console ? { console: presentConsole(running, state, console) } : {}),
  };
}

export function presentError(state: TargetState, error: RawError): RawError {
  return { ...error, frames: error.frames.map((frame) => presentFrame(state, frame)) };
}

function presentConsole(
  running: RunningProgram,
  state: TargetState,
  lines: NonNullable<Batch['console']>,
): NonNullable<Batch['console']> {
  // What a thread prints goes through the program's own output, and is told by the thread itself.
  const where = running.isNamed(state) ? { where: state.label } : {};
  const threads = state === running.main && running.targets.some((one) => one.label.startsWith('thread'));
  return lines
    .filter((entry) => !threads || entry.method !== 'piped')
    .map((entry) => ({
      ...entry,
      ...where,
      ...(entry.frame ? { frame: presentFrame(state, entry.frame) } : {}),
      ...(entry.frames ? { frames: entry.frames.map((frame) => presentFrame(state, frame)) } : {}),
    }));
}

export function presentFrame(state: TargetState, frame: RawFrame): RawFrame {
  const module = frame.local ? state.modules.get(frame.file) : undefined;
  if (!module || frame.line < 0) return frame;
  const line =
    frame.observed !== undefined
      ? state.observation.presentLine(frame.file, frame.line, frame.observed)
      : presentLine(module, frame.line, frame.name);
  return line === undefined ? frame : { ...frame, line };
}

/** Errors of a report as they are told. */
export function errorEvents(running: RunningProgram, state: TargetState, errors: readonly RawError[]): LiveEvent[] {
  const where = running.isNamed(state) ? ` · in ${state.label}` : '';
  const lineText = ({ file, line, character }: RawFrame): string => {
    const outline = state.modules.get(file)?.outline;
    const at = { line, character };
    const place = outline?.parsed.written?.place({ start: at, end: at });
    return place ? `line ${place.start.line + 1}` : running.entered.lineText(outline, line);
  };
  return errors.map((error) => ({
    kind: 'error',
    file: error.frames.find((frame) => frame.local)?.file ?? running.file,
    text: `${errorLine(error, lineText)}${where}`,
    details: pathOf(error, lineText),
  }));
}

/** Lines of a console as output. */
export function consoleOutput({ console = [] }: Batch): LiveOutput[] {
  return console.map(({ level, text, indent }) => ({
    stream: level === 'error' || level === 'warn' ? 'stderr' : 'stdout',
    text: `${'  '.repeat(indent)}${text}\n`,
    omitted: 0,
  }));
}
