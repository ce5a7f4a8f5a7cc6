/** Errors, failed tests and problems of marks as diagnostics, with the way to them as related places. */
import { type Diagnostic, DiagnosticSeverity } from 'vscode-languageserver';
import type { ErrorMessage } from '../server/protocol.js';
import type { OpenFiles } from './open-files.js';
import type { Seat } from './seat.js';
import { pathAt, placeIn } from './shown.js';

/** Places of the way to an error that are told. */
const MOST_PLACES = 8;
const LAST_COLUMN = 10_000;
const SOURCE = 'usher-anvil';

export interface DiagnosticData {
  /** A package that could be added. */
  package?: string;
}

/** Where a line of a file is in the text of now; undefined where it was edited since. */
type Now = (path: string, line: number) => number | undefined;

/** The diagnostics of one seat's record, by path. */
export function diagnosticsOf(seat: Seat, files: OpenFiles): Map<string, Diagnostic[]> {
  const found = new Map<string, Diagnostic[]>();
  const { record } = seat;
  if (!record) return found;
  const own = files.at(seat.path);
  const place = own ? placeIn(seat, own) : (line: number): number => line;
  const nowOf: Now = (path, line) => (path === seat.path ? place(line) : line);
  const add = (path: string, diagnostic: Diagnostic): void => {
    found.set(path, [...(found.get(path) ?? []), diagnostic]);
  };
  for (const error of record.errors) {
    const path = pathAt(seat, error.at);
    // What does not parse is the text of now.
    const line = error.kind === 'syntax' ? error.at.line : nowOf(path, error.at.line);
    if (line !== undefined) add(path, diagnosticOf(error, line, seat, files, nowOf));
  }
  for (const { line, items } of record.lines)
    for (const { code, title } of items) {
      // What cannot be done as it is written, as with a mark, has no error: the run goes on without it.
      if (code === undefined) continue;
      const now = place(line);
      if (now === undefined) continue;
      const range = { start: { line: now, character: 0 }, end: { line: now, character: LAST_COLUMN } };
      const severity = DiagnosticSeverity.Warning;
      add(seat.path, { range, severity, source: SOURCE, code, message: title });
    }
  return found;
}

function diagnosticOf(error: ErrorMessage, line: number, seat: Seat, files: OpenFiles, nowOf: Now): Diagnostic {
  const { character } = error.at;
  const isHere = ({ file, line: at, character: from }: ErrorMessage['at']): boolean =>
    file === error.at.file && at === error.at.line && from === character;
  const related = error.path.flatMap((step) => ('at' in step && !isHere(step.at) ? [step] : [])).slice(0, MOST_PLACES);
  const data: DiagnosticData = error.package === undefined ? {} : { package: error.package };
  return {
    range: {
      start: { line, character },
      end: { line, character: Math.max(error.endCharacter, character + 1) },
    },
    severity: DiagnosticSeverity.Error,
    source: SOURCE,
    code: error.kind,
    message: messageOf(error),
    relatedInformation: related.map(({ name, at, times }) => {
      const path = pathAt(seat, at);
      const place = { line: nowOf(path, at.line) ?? at.line, character: at.character };
      return {
        location: { uri: files.uriOf(path), range: { start: place, end: place } },
        message: `${name || 'a function without a name'}${times === undefined ? '' : `, ${times} times`}`,
      };
    }),
    data,
  };
}

type Difference = NonNullable<ErrorMessage['differences']>['lines'][number];

/** What failed in words, with what differs and the values that took part. */
function messageOf({
  test,
  text,
  reason,
  hint,
  differences,
  expected,
  received,
  values,
  causes,
}: ErrorMessage): string {
  const lines = [test === undefined ? text : `${test}: ${text}`];
  if (reason !== '' && !text.includes(reason)) lines.push(reason);
  if (differences) {
    for (const line of differences.lines) lines.push(differenceText(line));
    if (differences.rest !== '') lines.push(differences.rest);
  } else if (expected !== undefined && received !== undefined && !text.includes(received))
    lines.push(`expected ${expected}`, `received ${received}`);
  if (values.length > 0) lines.push(values.map(({ name, text: value }) => `${name} = ${value}`).join(', '));
  for (const cause of causes) lines.push(`caused by ${cause}`);
  if (hint !== '') lines.push(hint);
  return lines.join('\n');
}

function differenceText({ path, received, expected, note }: Difference): string {
  return `${path === '' ? '' : `${path}: `}received ${received}, expected ${expected}${note === '' ? '' : ` (${note})`}`;
}
