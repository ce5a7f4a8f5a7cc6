/** How lines end, which editors do not keep: a text that is saved has the line ends of the one before. */

const BOM = '\uFEFF';

/** The text that was there before decides how lines end, and whether a byte-order mark stands before it. */
export function asBefore(text: string, before: string): string {
  const mark = before.startsWith(BOM) && !text.startsWith(BOM) ? BOM : '';
  return mark + withLineEnds(text, before);
}

/** True when two texts differ in nothing but how their lines end, and in the mark before them. */
export function sameText(a: string, b: string): boolean {
  return a === b || plain(a) === plain(b);
}

function plain(text: string): string {
  return text.replace(/^\uFEFF/, '').replace(/\r\n?/g, '\n');
}

/**
 * Editors know one line end. Lines that are as before keep theirs; others end as most did.
 */
function withLineEnds(text: string, before: string): string {
  if (!before.includes('\r') || text.includes('\r')) return text;
  const [old, fresh] = [linesOf(before.replace(BOM, '')), linesOf(text.replace(BOM, ''))];
  const most = old.filter((line) => line.end === '\r\n').length * 2 >= old.length ? '\r\n' : '\n';
  let head = 0;
  while (head < old.length && head < fresh.length && old[head]!.text === fresh[head]!.text) head++;
  let tail = 0;
  while (
    tail < old.length - head &&
    tail < fresh.length - head &&
    old[old.length - 1 - tail]!.text === fresh[fresh.length - 1 - tail]!.text
  )
    tail++;
  return fresh
    .map(({ text: line, end }, index) => {
      if (end === '') return line;
      const known =
        index < head
          ? old[index]!.end
          : index >= fresh.length - tail
            ? old[old.length - fresh.length + index]!.end
            : '';
      return line + (known === '' ? most : known);
    })
    .join('');
}

function linesOf(text: string): { text: string; end: string }[] {
  const parts = text.split(/(\r\n|\r|\n)/);
  const lines: { text: string; end: string }[] = [];
  for (let i = 0; i < parts.length; i += 2) lines.push({ text: parts[i]!, end: parts[i + 1] ?? '' });
  return lines;
}
