/** A record as Markdown. */
import { consoleAt } from '../../record/questions.js';
import type { PadRecord, RecordError } from '../../record/record.js';
import type { LineTable } from '../../syntax/positions.js';
import { differenceLines } from '../difference.js';
import { errorText } from '../margin-events.js';
import { type TestNode, testTree } from '../test-tree.js';
import { errorsOf, type ShareOptions, itemText, sheetOf } from './sheet.js';

/** Code with its values as one block of Markdown, then what else there is. */
export function markdownOf(record: PadRecord, lines: LineTable, options: ShareOptions): string {
  const { clean } = options;
  const sheet = sheetOf(record, lines, options);
  const wide = Math.min(72, Math.max(...sheet.rows.map((row) => row.code.length), 0));
  const rows = sheet.rows.map(({ code, view }) => {
    const values = (view?.items ?? []).map(itemText).join(' · ');
    return values === '' ? code : `${code.padEnd(wide)}  │ ${clean(values)}`;
  });
  const block = (body: string): string => {
    const fence = '`'.repeat(Math.max(3, ...[...body.matchAll(/`+/g)].map(([ticks]) => ticks.length + 1)));
    return `${fence}text\n${body}\n${fence}`;
  };
  const parts = [
    `# ${sheet.title.replace(/[\\`*_[\]<>#]/g, '\\$&')}`,
    sheet.summary.join(' · '),
    block(rows.join('\n')),
  ];
  const printed = consoleAt(record, options.until);
  if (printed.length > 0)
    parts.push(
      '## Console',
      block(
        printed
          .slice(-2_000)
          .map((entry) => clean(`${'  '.repeat(entry.indent)}${entry.text}`))
          .join('\n'),
      ),
    );
  if (record.tests.length > 0) {
    const names: string[] = [];
    const add = (nodes: readonly TestNode[], indent: string): void => {
      for (const { test, children } of nodes) {
        names.push(
          `${indent}${test.state === 'passed' ? '✓' : test.state === 'failed' ? '✗' : '–'} ${clean(test.name)}`,
        );
        add(children, `${indent}  `);
      }
    };
    add(testTree(record.tests), '');
    parts.push('## Tests', block(names.join('\n')));
  }
  const errors = errorsOf(record);
  if (errors.length > 0)
    parts.push(
      '## Errors',
      block(
        errors
          .map((error) => clean(`line ${error.range.start.line + 1}  ${errorText(error)}${differenceTexts(error)}`))
          .join('\n'),
      ),
    );
  return `${parts.join('\n\n')}\n`;
}

function differenceTexts(error: RecordError): string {
  if (!error.differences) return '';
  return differenceLines(error.differences)
    .lines.map(
      (line) => `\n  ${line.path === '' ? '' : `${line.path}  `}received ${line.received}  expected ${line.expected}`,
    )
    .join('');
}
