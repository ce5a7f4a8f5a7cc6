/** A record as one page: no script, nothing loaded from anywhere. */
import { consoleAt } from '../../record/questions.js';
import type { PadRecord, RecordError, Shown } from '../../record/record.js';
import { valueText } from '../../runtime/text.js';
import type { LineTable } from '../../syntax/positions.js';
import { differenceLines } from '../difference.js';
import { drawingSvg } from '../drawing-svg.js';
import { durationText } from '../duration.js';
import { escape } from '../escape.js';
import { explain } from '../explain.js';
import { errorText, gateText } from '../margin-events.js';
import { requestText } from '../requests.js';
import { type TestNode, failingFirst, testTree } from '../test-tree.js';
import { allViewsOf } from '../added.js';
import type { TableView } from '../view.js';
import { bitmap } from './bitmap.js';
import { plotSvg } from './plot-svg.js';
import { errorsOf, type ShareOptions, itemText, sheetOf } from './sheet.js';

const STYLE = `
:root {
  color-scheme: light dark; --sheet: #fffdf8; --ink: #23211c; --dim: #67625a; --edge: #ddd8cc; --cold: #7f97ad;
  --straw: #c29a37; --amber: #d9711f; --fail: #7a3fc2; --pass: #256b5c; --value: #1f5e86;
}
@media (prefers-color-scheme: dark) { :root {
  --sheet: #211f1c; --ink: #e9e4d8; --dim: #a8a191; --edge: #383530; --cold: #6d88a1; --straw: #c9a64f;
  --amber: #ee8a3c; --fail: #b58cf0; --pass: #5fb8a2; --value: #83bde4;
} }
body {
  margin: 0; padding: 24px; background: var(--sheet); color: var(--ink); font: 14px/1.5 system-ui, sans-serif;
}
h1 { font-size: 16px; margin: 0 0 2px; }
h2 { font-size: 13px; margin: 22px 0 6px; }
.dim { color: var(--dim); }
table { border-collapse: collapse; }
table.pad { font: 13px/21px ui-monospace, monospace; }
table.pad td { padding: 0; vertical-align: top; white-space: pre; }
table.pad td.rail { width: 12px; }
td.heat-1 { box-shadow: inset 3px 0 var(--cold); }
td.heat-2 { box-shadow: inset 5px 0 var(--straw); }
td.heat-3 { box-shadow: inset 7px 0 var(--straw); }
td.heat-4 { box-shadow: inset 9px 0 var(--amber); }
td.never { border-left: 2px dotted var(--cold); }
td.failed { box-shadow: inset 7px 0 var(--fail); }
table.pad td.number { color: var(--dim); text-align: right; padding: 0 14px 0 6px; user-select: none; }
table.pad td.values { padding-left: 18px; white-space: pre-wrap; word-break: break-word; max-width: 60ch; }
.value { color: var(--value); }
.error, .failed-text, .bad-request { color: var(--fail); }
.passed { color: var(--pass); }
.calls, .note, .skipped, .wait, .request, .gate, .dial, .type { color: var(--dim); }
pre { font: 13px/1.5 ui-monospace, monospace; margin: 0; white-space: pre-wrap; word-break: break-word; }
ul { list-style: none; margin: 0; padding-left: 18px; }
ul.top { padding-left: 0; }
table.cells td, table.cells th {
  border: 1px solid var(--edge); padding: 2px 8px; text-align: left; font: 13px/1.5 ui-monospace, monospace;
}
svg { max-width: 100%; height: auto; }
img { image-rendering: pixelated; max-width: 100%; }
`;

/** One self-contained page: no script, nothing loaded from anywhere. */
export function htmlOf(record: PadRecord, lines: LineTable, options: ShareOptions): string {
  const { clean, until = Infinity } = options;
  const sheet = sheetOf(record, lines, options);
  const parts: string[] = [];
  parts.push(`<h1>${escape(sheet.title)}</h1>`, `<p class="dim">${sheet.summary.map(escape).join(' · ')}</p>`);
  parts.push('<table class="pad"><tbody>');
  for (const { number, code, view } of sheet.rows) {
    const rail = view
      ? view.state === 'never'
        ? 'never'
        : view.state === 'failed'
          ? 'failed'
          : view.state === 'none'
            ? 'none'
            : `heat-${view.heat}`
      : 'none';
    const items = (view?.items ?? []).map(
      (item) =>
        `<span class="${item.kind === 'failed' ? 'failed-text' : item.kind}">${escape(clean(itemText(item)))}</span>`,
    );
    parts.push(
      `<tr><td class="rail ${rail}" title="${escape(view?.title ?? '')}"></td><td ` +
        `class="number">${number}</td><td>${escape(code)}</td><td class="values">${items.join(' · ')}</td></tr>`,
    );
  }
  parts.push('</tbody></table>');
  const printed = consoleAt(record, until);
  if (printed.length > 0)
    parts.push(
      section(
        'Console',
        `<pre>${printed
          .slice(-2_000)
          .map((entry) => escape(clean(`${'  '.repeat(entry.indent)}${entry.text}`)))
          .join('\n')}</pre>`,
      ),
    );
  const shown = record.shown.filter((one) => one.kind !== 'note' && one.moment <= until);
  for (const one of shown) parts.push(section(clean(one.title || one.kind), shownHtml(one, clean)));
  if (record.gates.length > 0)
    parts.push(section('Gates', list(record.gates.map((gate) => escape(clean(`${gate.name}: ${gateText(gate)}`))))));
  if (record.dials.length > 0)
    parts.push(
      section('Dials', list(record.dials.map((dial) => escape(clean(`${dial.name}: ${JSON.stringify(dial.value)}`))))),
    );
  if (record.requests.length > 0)
    parts.push(section('Requests', list(record.requests.map((request) => escape(clean(requestText(request)))))));
  if (record.tests.length > 0) parts.push(section('Tests', testsHtml(failingFirst(testTree(record.tests)), clean)));
  const errors = errorsOf(record);
  if (errors.length > 0) parts.push(section('Errors', errors.map((error) => errorHtml(record, error, clean)).join('')));
  return `<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; img-src data:">
<title>${escape(sheet.title)}</title>
<style>${STYLE}</style>
</head>
<body>
${parts.join('\n')}
</body>
</html>
`;
}

function section(title: string, body: string): string {
  return `<h2>${escape(title)}</h2>\n${body}`;
}

export function list(items: readonly string[]): string {
  return `<ul class="top">${items.map((item) => `<li>${item}</li>`).join('')}</ul>`;
}

function testsHtml(nodes: readonly TestNode[], clean: (text: string) => string, top = true): string {
  const line = ({ test, children }: TestNode): string => {
    const [mark, kind] =
      test.state === 'passed' ? ['✓', 'passed'] : test.state === 'failed' ? ['✗', 'failed-text'] : ['–', 'skipped'];
    const more =
      test.state === 'passed' || test.state === 'failed'
        ? durationText(test.durationMs)
        : test.state === 'todo'
          ? 'to do'
          : test.state;
    return (
      `<li><span class="${kind}">${mark} ${escape(clean(test.name))}</span> <span ` +
      `class="dim">${escape(clean([more, test.reason ?? ''].filter(Boolean).join(': ')))}</span>${children.length > 0 ? testsHtml(children, clean, false) : ''}</li>`
    );
  };
  return `<ul${top ? ' class="top"' : ''}>${nodes.map(line).join('')}</ul>`;
}

function errorHtml(record: PadRecord, error: RecordError, clean: (text: string) => string): string {
  const { reason, hint, values } = explain(record, error);
  const rows = error.differences ? differenceLines(error.differences) : undefined;
  const told = [
    `line ${error.range.start.line + 1}  ${errorText(error)}`,
    reason,
    hint,
    ...values.map((one) => `${one.name} = ${one.text}`),
  ].filter(Boolean);
  const table = rows?.lines.length
    ? `<table class="cells"><thead><tr><th>at</th><th>received</th><th>expected</th></tr></thead><tbody>${rows.lines
        .map(
          (line) =>
            `<tr><td>${escape(clean(line.path || 'it'))}</td><td>${escape(clean(line.received))}</td><td>${escape(clean(line.expected))}</td></tr>`,
        )
        .join('')}</tbody></table>`
    : '';
  return `<pre class="error">${escape(clean(told.join('\n')))}</pre>${table}`;
}

function shownHtml(one: Shown, clean: (text: string) => string): string {
  if (one.calls && one.width && one.height) return drawingSvg(one.calls, one.width, one.height);
  if (one.pixels && one.width && one.height)
    return `<img alt="" width="${Math.min(900, one.width)}" src="${bitmap(one.pixels)}">`;
  const views = one.value ? allViewsOf(one.value) : [];
  const table = views.find((view) => view.view === 'table');
  const plot = views.find((view) => view.view === 'plot');
  if (plot && one.kind !== 'table') return plotSvg(plot);
  if (table) return tableHtml(table, clean);
  return `<pre>${escape(clean(one.value ? valueText(one.value, 4_000) : ''))}</pre>`;
}

function tableHtml(table: TableView, clean: (text: string) => string): string {
  const cell = (text: string): string => escape(clean(text));
  return `<table class="cells"><thead><tr>${table.columns.map((name) => `<th>${cell(name)}</th>`).join('')}</tr></thead><tbody>${table.rows
    .slice(0, 500)
    .map((row) => `<tr>${row.cells.map((one) => `<td>${cell(one.text)}</td>`).join('')}</tr>`)
    .join('')}</tbody></table>`;
}
