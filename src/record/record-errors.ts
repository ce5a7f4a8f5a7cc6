/** Errors of a target, told in terms of the files that the person wrote. */
import { printed } from '../runtime/messages.js';
import type { Range } from '../syntax/positions.js';
import type { RawError } from '../wire/reports.js';
import { frameOf } from './frames.js';
import type { Program, ProgramFile } from './program.js';
import type { Frame, RecordError } from './record.js';

/** The files of a program, by name too. */
export interface Places {
  program: Program;
  files: ReadonlyMap<string, ProgramFile>;
}

export function placesOf(program: Program): Places {
  return { program, files: new Map(program.files.map((file) => [file.file, file])) };
}

/** What a target reported of an error, at the places of the files as the person wrote them. */
export function recordError(raw: RawError, places: Places): RecordError {
  const frames = raw.frames.map((frame) => named(frameOf(frame), places));
  const at = frames.find((frame) => frame.local);
  const error: RecordError = {
    kind: raw.kind,
    moment: raw.moment,
    name: raw.name,
    message: namedMessage(raw.message, at, places),
    file: at?.file ?? places.program.entry,
    range: at ? widened(at, places) : { start: { line: 0, character: 0 }, end: { line: 0, character: 0 } },
    frames,
  };
  if (raw.code !== undefined) error.code = raw.code;
  if (raw.value) error.value = raw.value;
  if (raw.expected) error.expected = raw.expected;
  if (raw.received) error.received = raw.received;
  if (raw.operator !== undefined) error.operator = raw.operator;
  if (raw.differences) error.differences = raw.differences;
  if (raw.cause) error.cause = recordError(raw.cause, places);
  if (raw.errors) error.errors = raw.errors.map((one) => recordError(one, places));
  return error;
}

/** A function without a name is called by the test it is the body of, or told apart from the top level. */
function named(frame: Frame, { files }: Places): Frame {
  const file = frame.local && frame.name === '' ? files.get(frame.file) : undefined;
  if (!file) return frame;
  const offset = file.lines.offsetAt(frame.range.start);
  let inner: ProgramFile['sites'][number] | undefined;
  for (const site of file.sites)
    if (site.kind === 'function' && site.start <= offset && site.end > offset && (!inner || site.start > inner.start))
      inner = site;
  if (!inner || inner.name === 'module') return frame;
  const body = inner;
  const test = file.sites.find(
    (site) =>
      site.kind === 'test' &&
      site.name !== '' &&
      site.start < body.start &&
      site.end >= body.end &&
      site.end - body.end <= 4,
  );
  return { ...frame, name: test ? `test '${test.name}'` : 'a function' };
}

/**
 * The engine names what a failed call was about by its code, and a probe
 * stands in that code where a stage of a chain is shown: the person's own
 * text is put back.
 */
function namedMessage(message: string, at: Frame | undefined, { files }: Places): string {
  const file = at && files.get(at.file);
  if (!file || !message.includes('(intermediate value)')) return message;
  const offset = file.lines.offsetAt(at.range.start);
  let best: ProgramFile['sites'][number] | undefined;
  for (const site of file.sites)
    if (
      (site.kind === 'stage' || site.kind === 'mark' || site.kind === 'step') &&
      site.end <= offset &&
      (!best || site.end > best.end || (site.end === best.end && site.start < best.start))
    )
      best = site;
  if (!best || !/^[\s.)]*(?:\/\*.*?\*\/)?[\s.?]*$/s.test(file.lines.text.slice(best.end, offset))) return message;
  return message.replace('(intermediate value)', () => printed(file.lines.text.slice(best.start, best.end)));
}

/** A frame's place, up to the end of the word that stands there. */
function widened(frame: Frame, { files }: Places): Range {
  const file = files.get(frame.file);
  if (!file) return frame.range;
  const text = file.lines.line(Math.min(frame.range.start.line, file.lines.lineCount - 1));
  let end = frame.range.start.character;
  while (end < text.length && /[\w$.]/.test(text[end]!)) end++;
  return {
    start: frame.range.start,
    end: { line: frame.range.start.line, character: Math.max(end, frame.range.start.character + 1) },
  };
}
