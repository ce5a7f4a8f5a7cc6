/** What can be done, above the line that it is about: run tests, look into a function, apply, take back, open a gate. */
import type { CodeLens, Command } from 'vscode-languageserver';
import { outlineOfText } from '../syntax/outlined.js';
import type { Outline } from '../syntax/outline.js';
import { LineTable } from '../syntax/positions.js';
import { type TestStatement, testStatements } from '../syntax/test-statements.js';
import { declaresTests } from '../syntax/tests.js';
import type { CommandArguments, CommandName } from './commands.js';
import { type OpenFile, textOf } from './open-files.js';
import type { Seat } from './seat.js';
import { placeIn } from './shown.js';

/** What of an open file lenses are about. */
export interface LensSubject {
  file: OpenFile;
  seat: Seat | undefined;
  /** It runs as a pad. */
  isOn: boolean;
  /** The client walks through runs. */
  walks: boolean;
}

export function lensesOf(subject: LensSubject): CodeLens[] {
  const { file, seat } = subject;
  const text = textOf(file.document);
  const outline = outlineOfText(text, file.path);
  const lines = new LineTable(text);
  const found: CodeLens[] = [];
  const add = <Name extends CommandName>(
    line: number,
    title: string,
    command: Name,
    args: CommandArguments[Name],
  ): void => {
    const place = { line, character: 0 };
    const doing: Command = { title, command, arguments: [args] };
    found.push({ range: { start: place, end: place }, command: doing });
  };
  fileLenses(subject, text, add);
  if (seat?.bench.kind === 'live' && outline) liveLenses(seat, file, outline, lines, add);
  else if (outline && declaresTests(outline)) {
    testLenses(file, outline, lines, add);
    if (subject.walks) found.push(...walkLenses(file, seat));
  } else if (outline && !subject.isOn) tryLenses(file, outline, lines, add);
  for (const gate of seat?.record?.gates ?? []) {
    if (gate.state !== 'closed' || !gate.at || seat!.bench.pathOf(gate.at.file) !== file.path) continue;
    const line = placeIn(seat!, file)(gate.at.line);
    if (line !== undefined) add(line, `let it: ${gate.name}`, 'usher-anvil.openGate', { uri: file.uri, id: gate.id });
  }
  return found;
}

type Add = <Name extends CommandName>(line: number, title: string, command: Name, args: CommandArguments[Name]) => void;

/** What is about the file as a whole stands above its first line. */
function fileLenses({ file, seat, isOn }: LensSubject, text: string, add: Add): void {
  const { uri } = file;
  if (seat?.bench.kind === 'live') {
    if (seat.record?.stale !== true && text !== file.savedText && text !== seat.applied)
      add(0, `apply to ${seat.bench.name} without saving`, 'usher-anvil.apply', { uri });
    const last = seat.changes.findLast((one) => one.kind === 'patched' || one.kind === 'undone');
    if (last?.kind === 'patched') add(0, 'take the last change back', 'usher-anvil.undo', { uri });
    return;
  }
  if (!file.isPad) return;
  if (!isOn) {
    const of = seat ? `runs as a module of ${seat.bench.name} · ` : '';
    add(0, `${of}run it here, at each edit`, 'usher-anvil.run', { uri });
    return;
  }
  if (seat?.runs?.held !== undefined || seat?.runs?.behind) add(0, 'run it now', 'usher-anvil.run', { uri });
  if (seat?.runs?.careful === 'asks' && seat.record?.gates.some((gate) => gate.held && gate.state === 'closed'))
    add(0, 'let it do all that is held', 'usher-anvil.letThrough', { uri });
  add(0, 'run it no more', 'usher-anvil.rest', { uri });
}

function testLenses(file: OpenFile, outline: Outline, lines: LineTable, add: Add): void {
  const visit = (list: readonly TestStatement[], around: readonly string[]): void => {
    for (const { title, start, suite, inner } of list) {
      // A name that is made at run time is known to nobody before.
      if (title === undefined) continue;
      const path = [...around, title];
      const words = suite ? 'run these tests alone' : 'run this test alone';
      add(lines.lineAt(start), words, 'usher-anvil.test', { uri: file.uri, path });
      visit(inner, path);
    }
  };
  visit(testStatements(outline).statements, []);
}

/** Over tests that have failed: the way back to what decided it. */
function walkLenses(file: OpenFile, seat: Seat | undefined): CodeLens[] {
  const found: CodeLens[] = [];
  for (const test of seat?.record?.tests ?? []) {
    if (test.state !== 'failed' || test.suite || seat!.bench.pathOf(test.at.file) !== file.path) continue;
    const line = placeIn(seat!, file)(test.at.line);
    if (line === undefined) continue;
    const place = { line, character: 0 };
    const asked = { uri: file.uri, path: [...test.path, test.name] };
    const command: Command = { title: 'walk back from its failure', command: 'usherAnvil.walk', arguments: [asked] };
    found.push({ range: { start: place, end: place }, command });
  }
  return found;
}

function liveLenses(seat: Seat, file: OpenFile, outline: Outline, lines: LineTable, add: Add): void {
  const { opened } = seat.record?.live ?? {};
  for (const one of outline.functions) {
    const isTop = one.owner >= 0 || one.parent < 0;
    if (!isTop || one.name === '' || lines.lineAt(one.start) === lines.lineAt(one.end)) continue;
    const line = lines.lineAt(one.start);
    if (opened === one.path) add(line, 'look no more', 'usher-anvil.shut', { uri: file.uri });
    else add(line, 'look inside', 'usher-anvil.look', { uri: file.uri, line: line + 1 });
  }
  for (const { line, text } of seat.record?.live?.waiting ?? [])
    add(line, `run what waits: ${text.slice(0, 40)}`, 'usher-anvil.runWaiting', { uri: file.uri, line });
}

/** Functions that another file can call. */
function tryLenses(file: OpenFile, outline: Outline, lines: LineTable, add: Add): void {
  const exported = new Set(outline.exports.flatMap((one) => (one.from === undefined ? [one.local] : [])));
  for (const one of outline.functions) {
    if (one.parent >= 0 || one.owner >= 0 || !exported.has(one.name)) continue;
    const { line, character } = lines.positionAt(one.start);
    add(line, 'try it in a pad', 'usher-anvil.try', { uri: file.uri, line, character });
  }
}
