/** What a person is told of the value under the pointer: a tree, its history, its types. */
import type { Hover, MarkupKind, Position } from 'vscode-languageserver';
import type { HistoryMessage } from '../server/protocol.js';
import { treeLines } from '../views/tree.js';
import { block, code, escaped, plain } from './markdown.js';
import type { OpenFile } from './open-files.js';
import type { Seat } from './seat.js';
import { shownLines } from './shown.js';

/** Levels of a tree, members of each, and visits that are told. */
const DEPTH = 2;
const MEMBERS = 12;
const VISITS = 8;

/** The card of a place; null where nothing is known of it. */
export async function hoverOf(
  seat: Seat | undefined,
  file: OpenFile,
  { line, character }: Position,
  kind: MarkupKind,
): Promise<Hover | null> {
  if (!seat) return null;
  const { earlier } = shownLines(seat, file);
  const [found, inspected] = await Promise.all([seat.hover(line, character), peek(seat, line)]);
  if (!found || (found.text === '' && found.stages.length === 0)) return null;
  const parts: string[] = [];
  if (earlier) parts.push('Of a run before: the text of now has not been executed.');
  if (found.text !== '') {
    parts.push(`${block(found.text, 'js')}\n${escaped(found.detail)}`);
    const tree = found.openable ? await treeLines(seat.look, found.moment, 0, { depth: DEPTH, members: MEMBERS }) : [];
    if (tree && tree.length > 0) parts.push(block(tree.join('\n'), 'text'));
    const history = inspected?.histories.find(({ samples }) => samples.some((one) => one.moment === found.moment));
    if (history) parts.push(...historyParts(history));
  }
  if (found.stages.length > 1)
    parts.push(found.stages.map(({ name, size, text }) => `- ${code(name)} ${escaped(size)} ${code(text)}`).join('\n'));
  const markdown = parts.join('\n\n');
  return { contents: { kind, value: kind === 'markdown' ? markdown : plain(markdown) } };
}

/** Values of a line; of a live program only those that are taken already: a pointer that rests is no wish to look in. */
function peek(seat: Seat, line: number): ReturnType<Seat['inspect']> | undefined {
  return seat.bench.kind === 'pad' ? seat.inspect(line) : undefined;
}

function historyParts({ samples, total, types, omitted }: HistoryMessage): string[] {
  if (total < 2) return [];
  const last = samples.slice(-VISITS);
  const left = total - last.length;
  const visits = last.map(({ visit, text }) => `${visit}: ${text.replace(/\s*\n\s*/g, ' ')}`);
  const before =
    left > 0 ? [`… ${left.toLocaleString('en-US')} before${omitted > 0 ? ', some of them kept' : ''}`] : [];
  const kinds = types.map(({ name, count }) => `${code(name)}${types.length > 1 ? ` ×${count}` : ''}`);
  return [`Types: ${kinds.join(', ')}`, block([...before, ...visits].join('\n'), 'text')];
}
