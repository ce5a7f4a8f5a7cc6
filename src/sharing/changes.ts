/** From one text to another by small changes, so that what others type meanwhile, and cursors, keep their places. */
import { ChangeSet, type ChangeSpec, Text } from '@codemirror/state';
import { diffArrays } from 'diff';

/** Edits of lines above which no smallest difference is looked for: all between the first and last one is replaced. */
const MOST_EDITS = 1_000;

/** A text as lines; line ends of every kind count as the same. */
export function textOf(text: string): Text {
  return Text.of(text.split(/\r\n?|\n/));
}

/** Small changes that make one text of another; line by line, and inside of lines that changed without their likeness. */
export function changesBetween(before: Text, after: Text): ChangeSet {
  if (before.eq(after)) return ChangeSet.empty(before.length);
  const [old, young] = [before.toJSON(), after.toJSON()];
  const most = Math.min(old.length, young.length);
  let head = 0;
  while (head < most && old[head] === young[head]) head++;
  let tail = 0;
  while (tail < most - head && old[old.length - 1 - tail] === young[young.length - 1 - tail]) tail++;
  const changes: ChangeSpec[] = [];
  const middle = old.slice(head, old.length - tail);
  const differing = diffArrays(middle, young.slice(head, young.length - tail), { maxEditLength: MOST_EDITS }) ?? [
    { removed: true, value: middle },
    { added: true, value: young.slice(head, young.length - tail) },
  ];
  let [from, to] = [head, head];
  for (let i = 0; i < differing.length; i++) {
    const { value, removed, added } = differing[i]!;
    if (!removed && !added) {
      from += value.length;
      to += value.length;
      continue;
    }
    // Lines that go and lines that come in their place are one change.
    const next = differing[i + 1];
    const gone = (removed ? value.length : 0) + (next?.removed ? next.value.length : 0);
    const come = (added ? value.length : 0) + (next?.added ? next.value.length : 0);
    if (next?.removed || next?.added) i++;
    changes.push(ofLines(before, after, from, gone, to, come));
    from += gone;
    to += come;
  }
  return ChangeSet.of(changes, before.length);
}

/** Replaces lines by lines (zero-based, with their numbers), but for what is alike at both ends. */
function ofLines(before: Text, after: Text, line: number, gone: number, at: number, come: number): ChangeSpec {
  const [start, end] = span(before, line, gone, come);
  const [from, to] = span(after, at, come, gone);
  const [old, young] = [before.sliceString(start, end), after.sliceString(from, to)];
  const most = Math.min(old.length, young.length);
  let head = 0;
  while (head < most && old[head] === young[head]) head++;
  let tail = 0;
  while (tail < most - head && old[old.length - 1 - tail] === young[young.length - 1 - tail]) tail++;
  return { from: start + head, to: end - tail, insert: young.slice(head, young.length - tail) };
}

/** Where lines begin and end; with their line end where the other side has none, so that the count of lines comes right. */
function span(text: Text, line: number, count: number, other: number): [number, number] {
  if (count > 0 && other > 0) return [text.line(line + 1).from, text.line(line + count).to];
  // Between two lines, or behind the last one.
  if (line + count < text.lines) {
    const from = text.line(line + 1).from;
    return [from, count === 0 ? from : text.line(line + count + 1).from];
  }
  const from = line === 0 ? 0 : text.line(line).to;
  return [from, text.length];
}
