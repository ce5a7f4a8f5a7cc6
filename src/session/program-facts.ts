/** What a file's outline says about how it runs. */
import type { Outline } from '../syntax/outline.js';

/** Ranges of comments and types, and of what is no code at all. */
export function quietRanges(outline: Outline): { start: number; end: number }[] {
  const { text, shown } = outline.parsed;
  const ranges = outline.parsed.comments.map(({ start, end }) => ({ start, end }));
  for (const statement of outline.statements)
    if (statement.kind === 'type') ranges.push({ start: statement.start, end: statement.end });
  // Where a person sees something for which the parser has blanks.
  if (shown !== undefined)
    for (const { index, 0: blanks } of text.matchAll(/\s+/g))
      if (shown.slice(index, index + blanks.length).trim() !== '')
        ranges.push({ start: index, end: index + blanks.length });
  return ranges.sort((a, b) => a.start - b.start);
}

const MAIN_THREAD =
  /^process\s*\.\s*(?:(chdir|stdin|setuid|setgid|seteuid|setegid|setgroups|initgroups|umask(?=\s*\(\s*[^)\s]))|(?:on|once|addListener)\s*\(\s*['"](SIG\w+)['"])/;

/** Why a program needs the main thread of a process, as far as its text tells. */
export function needsMainThread(outline: Outline): string | undefined {
  const { text } = outline.parsed;
  for (const reference of outline.references) {
    if (reference.name !== 'process') continue;
    const match = MAIN_THREAD.exec(text.slice(reference.start, reference.start + 80));
    if (match) return match[2] ? `the signal ${match[2]}` : `process.${match[1]}`;
  }
  for (const entry of outline.imports) {
    if (/^(node:)?(child_process|cluster)$/.test(entry.specifier) && !entry.typeOnly) return 'processes that it starts';
    if (!/^(node:)?process$/.test(entry.specifier)) continue;
    for (const name of entry.names)
      if (/^(chdir|stdin|setuid|setgid)$/.test(name.imported)) return `process.${name.imported}`;
  }
  return undefined;
}
