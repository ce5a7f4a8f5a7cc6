/** Console lines as text. */
import type { Value } from '../wire/value.js';
import * as own from './originals.js';
import { CONSOLE, numberText } from './preview.js';
import { valueText } from './text.js';

export function isOpenable(value: unknown): boolean {
  return (
    (typeof value === 'object' && value !== null) ||
    typeof value === 'function' ||
    (typeof value === 'string' && value.length > CONSOLE.text)
  );
}

export function labelOf(label: unknown): string {
  return label === undefined
    ? 'default'
    : typeof label === 'string' || typeof label === 'number'
      ? own.StringCopy(label)
      : typeof label;
}

/** A string stands for itself, everything else is shown as a value. */
export function argumentText(value: Value): string {
  return value.type === 'string' ? (value.text ?? '') : valueText(value, 2_000);
}

/** Formats a line as the standard's Formatter does: `%s %d %i %f %j %o %O %c %%`. */
export function formatLine(args: unknown[], values: Value[]): string {
  let text = '';
  let next = 0;
  const first = args[0];
  if (typeof first === 'string' && args.length > 1 && own.indexOf(first, '%') >= 0) {
    next = 1;
    for (let i = 0; i < first.length; i++) {
      const character = first[i]!;
      const directive = first[i + 1];
      if (character !== '%' || directive === undefined) {
        text += character;
        continue;
      }
      if (directive === '%') {
        text += '%';
        i++;
      } else if ('sdifjoOc'.includes(directive) && next < args.length) {
        text += substitute(directive, args[next], values[next]!);
        next++;
        i++;
      } else text += character;
    }
  } else if (args.length > 0) {
    text = argumentText(values[0]!);
    next = 1;
  }
  for (; next < values.length; next++) text += `${next > 0 ? ' ' : ''}${argumentText(values[next]!)}`;
  return text;
}

function substitute(directive: string, argument: unknown, value: Value): string {
  switch (directive) {
    case 'c':
      return '';
    case 's':
      return argumentText(value);
    case 'd':
    case 'i':
    case 'f':
      if (typeof argument === 'bigint') return `${own.StringCopy(argument)}n`;
      if (typeof argument === 'object' || typeof argument === 'symbol' || typeof argument === 'function') return 'NaN';
      if (directive === 'd') return numberText(own.NumberCopy(argument));
      return numberText(
        directive === 'i' ? parseInt(own.StringCopy(argument), 10) : parseFloat(own.StringCopy(argument)),
      );
    default:
      return valueText(value, 2_000);
  }
}

export function tableText(columns: string[], rows: string[][], more: number): string {
  const all = [['', ...columns], ...rows];
  const widths = all[0]!.map((_, column) => Math.max(...all.map((row) => (row[column] ?? '').length)));
  const line = (row: string[]): string =>
    row
      .map((cell, column) => (cell ?? '').padEnd(widths[column]!))
      .join('  ')
      .trimEnd();
  const text = [line(all[0]!), widths.map((width) => '─'.repeat(width)).join('  '), ...rows.map(line)].join('\n');
  return more > 0 ? `${text}\n… ${more} more` : text;
}
