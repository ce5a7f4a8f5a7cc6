/** What can be done with a selected expression, and with what is wrong: marks, tests, packages. */
import {
  type CodeAction,
  CodeActionKind,
  type Diagnostic,
  type Range,
  type WorkspaceEdit,
} from 'vscode-languageserver';
import { z } from 'zod';
import { outlineOfText } from '../syntax/outlined.js';
import { LineTable } from '../syntax/positions.js';
import { AnvilError } from '../syntax/problems.js';
import { selectedMark } from '../syntax/selection.js';
import { markEdits, shortJson, testEdits, type TextEdit } from '../views/selection-edits.js';
import type { DiagnosticData } from './diagnostics.js';
import { type OpenFile, textOf } from './open-files.js';
import type { Seat } from './seat.js';

/** What an action needs to be made when a person takes it. */
export const actionData = z.object({
  uri: z.string().max(4_096),
  start: z.int().min(0),
  end: z.int().min(0),
  /** Of the text that the offsets are in. */
  version: z.int(),
});
export type ActionData = z.infer<typeof actionData>;

export function actionsOf(
  seat: Seat | undefined,
  file: OpenFile,
  range: Range,
  diagnostics: readonly Diagnostic[],
): CodeAction[] {
  const found: CodeAction[] = [];
  for (const diagnostic of diagnostics) {
    const name = (diagnostic.data as DiagnosticData | undefined)?.package;
    if (name === undefined) continue;
    const title = `Add the package ${name}`;
    const command = { title, command: 'usher-anvil.add', arguments: [{ uri: file.uri, package: name }] };
    found.push({ title, kind: CodeActionKind.QuickFix, diagnostics: [diagnostic], command });
  }
  const text = textOf(file.document);
  const outline = outlineOfText(text, file.path);
  const lines = new LineTable(text);
  const chosen = { start: lines.offsetAt(range.start), end: lines.offsetAt(range.end) };
  const mark = outline && chosen.start < chosen.end ? selectedMark(outline, chosen) : undefined;
  if (!mark) return found;
  const { start, end } = mark;
  const kind = CodeActionKind.RefactorRewrite;
  const edit = editIn(file, markEdits(text, { start, end }));
  found.push({ title: 'Put a mark behind it, which shows its values', kind, edit });
  if (seat?.bench.kind === 'pad') {
    const data: ActionData = { uri: file.uri, start, end, version: file.document.version };
    found.push({ title: 'Put the value that it has in as a test', kind, data });
  }
  return found;
}

/**
 * Makes the edit of an action that puts a value in as a test.
 *
 * @throws AnvilError `E_CANNOT_TRY` where the value is not known, or cannot be written as code
 */
export async function resolveAction(action: CodeAction, seat: Seat | undefined, file: OpenFile): Promise<CodeAction> {
  const { start, end, version } = actionData.parse(action.data);
  const value = version === file.document.version && seat ? await valueOf(seat, { start, end }) : undefined;
  if (value === undefined)
    throw new AnvilError(
      'E_CANNOT_TRY',
      'No test was put in: the value is not known at the top level of the file, or holds more than JSON can say.',
    );
  return { ...action, edit: editIn(file, testEdits(textOf(file.document), { start, end }, value)) };
}

function editIn(file: OpenFile, edits: readonly TextEdit[]): WorkspaceEdit {
  const lines = new LineTable(textOf(file.document));
  const changes = edits.map(({ from, to, insert }) => ({
    range: { start: lines.positionAt(from), end: lines.positionAt(to) },
    newText: insert,
  }));
  return { changes: { [file.uri]: changes } };
}

/** Code of the value that an expression at the top level had last; undefined where JSON cannot say it. */
async function valueOf(seat: Seat, { start, end }: { start: number; end: number }): Promise<string | undefined> {
  let selected = await seat.select(start, end);
  // It has not been asked for in the run that was: one that asks has begun.
  for (let turn = 0; turn < RUNS && selected?.is === 'soon'; turn++) {
    await seat.next(RUN_MS);
    selected = await seat.select(start, end);
  }
  const last = selected?.top ? selected.history?.samples.at(-1) : undefined;
  if (!last) return undefined;
  if (!last.openable) return last.text;
  const opened = await seat.look({ do: 'open', moment: last.moment, part: 0 });
  if (opened.is !== 'opened') return undefined;
  const answer = await seat.look({ do: 'json', node: opened.opened.node });
  return answer.is === 'json' && !answer.cut ? shortJson(answer.text) : undefined;
}

/** Records that are waited for, and for how long each. */
const RUNS = 5;
const RUN_MS = 1_000;
