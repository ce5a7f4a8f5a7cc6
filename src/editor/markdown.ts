/** Text of programs inside of Markdown, where it stays text. */

/** A block of code, in a fence that nothing in it can end. */
export function block(text: string, language = ''): string {
  const longest = Math.max(2, ...[...text.matchAll(/`+/g)].map(([run]) => run.length));
  const fence = '`'.repeat(longest + 1);
  return `${fence}${language}\n${text}\n${fence}`;
}

/** Code within a line. */
export function code(text: string): string {
  const plain = text.replace(/\s+/g, ' ');
  if (plain.trim() === '') return '';
  const longest = Math.max(0, ...[...plain.matchAll(/`+/g)].map(([run]) => run.length));
  const fence = '`'.repeat(longest + 1);
  return longest === 0 ? `${fence}${plain}${fence}` : `${fence} ${plain} ${fence}`;
}

/** Words that are none of ours, as plain text. */
export function escaped(text: string): string {
  return text.replace(/[\\`*_{}[\]()#+\-.!<>|~&$]/g, '\\$&').replace(/\s+/g, ' ');
}

/** Markdown without its signs, for a client that shows plain text. */
export function plain(markdown: string): string {
  return markdown
    .replace(/^`{3,}\w*$\n?/gm, '')
    .replace(/(?<!`)`+ ?([^`\n]+?) ?`+(?!`)/g, '$1')
    .replace(/\*\*(.+?)\*\*/g, '$1')
    .replace(/\\([\\`*_{}[\]()#+\-.!<>|~&$])/g, '$1')
    .trim();
}
