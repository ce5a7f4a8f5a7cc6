/** Pages, from a template that lies beside this file. */
import { readFileSync } from 'node:fs';

const TEMPLATE = new URL('page.html', import.meta.url);

/** A page with a title and a list. */
export function page(title: string, lines: readonly string[]): string {
  const template = readFileSync(TEMPLATE, 'utf8');
  return template.replaceAll('{title}', escape(title)).replace('{lines}', lines.map(item).join('\n'));
}

function item(line: string): string {
  return `    <li>${escape(String(line))}</li>`;
}

function escape(text: string): string {
  return text.replace(/[&<>]/g, (character) => `&#${character.charCodeAt(0)};`);
}
