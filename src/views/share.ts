/** A record as one document that is read without this tool: HTML, Markdown, or a picture in SVG. */
import { consoleAt } from '../record/questions.js';
import type { PadRecord, RecordError, Shown } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import type { LineTable } from '../syntax/positions.js';
import { differenceLines } from './difference.js';
import { explain } from './explain.js';
import { durationText } from './duration.js';
import { errorText, gateText } from './margin-events.js';
import { linesView, type LineView } from './margin.js';
import type { MarginItem } from './margin-item.js';
import { requestText } from './requests.js';
import { summaryOf } from './summary.js';
import { failingFirst, testTree, type TestNode } from './test-tree.js';
import { viewsOf, type PlotView, type TableView } from './view.js';
import { drawingSvg } from './drawing-svg.js';
import { escape } from './escape.js';

export interface ShareOptions {
  /** Name of the file, as the reader shall see it. */
  name: string;
  /** Cleans every text that goes into the document. */
  clean(text: string): string;
  /** Zero-based: everything as of this moment. */
  until?: number;
}

interface Sheet {
  title: string;
  summary: string[];
  rows: { number: number; code: string; view: LineView | undefined }[];
}

function sheetOf(record: PadRecord, lines: LineTable, { name, clean, until }: ShareOptions): Sheet {
  const views = linesView(record, record.file, until);
  const count = lines.lineCount - (lines.line(lines.lineCount - 1) === '' ? 1 : 0);
  const { run, trouble, tests } = summaryOf(record);
  return {
    title: name,
    summary: [run, trouble, tests].filter(Boolean).map(clean),
    rows: Array.from({ length: count }, (_, i) => ({
      number: i + 1,
      code: clean(lines.line(i).replace(/\t/g, '  ')),
      view: views.get(i),
    })),
  };
}

function itemText(item: MarginItem): string {
  return `${item.text.replace(/\n/g, '↵')}${item.count ? ` ${item.count}` : ''}`;
}

// ---- HTML ---------------------------------------------------------------------

const STYLE = `
:root { color-scheme: light dark; --sheet: #fffdf8; --ink: #23211c; --dim: #67625a; --edge: #ddd8cc; --cold: #7f97ad; --straw: #c29a37; --amber: #d9711f; --fail: #7a3fc2; --pass: #256b5c; --value: #1f5e86; }
@media (prefers-color-scheme: dark) { :root { --sheet: #211f1c; --ink: #e9e4d8; --dim: #a8a191; --edge: #383530; --cold: #6d88a1; --straw: #c9a64f; --amber: #ee8a3c; --fail: #b58cf0; --pass: #5fb8a2; --value: #83bde4; } }
body { margin: 0; padding: 24px; background: var(--sheet); color: var(--ink); font: 14px/1.5 system-ui, sans-serif; }
h1 { font-size: 16px; margin: 0 0 2px; } h2 { font-size: 13px; margin: 22px 0 6px; }
.dim { color: var(--dim); }
table { border-collapse: collapse; } table.pad { font: 13px/21px ui-monospace, monospace; }
table.pad td { padding: 0; vertical-align: top; white-space: pre; }
table.pad td.rail { width: 12px; }
td.heat-1 { box-shadow: inset 3px 0 var(--cold); } td.heat-2 { box-shadow: inset 5px 0 var(--straw); } td.heat-3 { box-shadow: inset 7px 0 var(--straw); } td.heat-4 { box-shadow: inset 9px 0 var(--amber); }
td.never { border-left: 2px dotted var(--cold); } td.failed { box-shadow: inset 7px 0 var(--fail); }
table.pad td.number { color: var(--dim); text-align: right; padding: 0 14px 0 6px; user-select: none; }
table.pad td.values { padding-left: 18px; white-space: pre-wrap; word-break: break-word; max-width: 60ch; }
.value { color: var(--value); } .error, .failed-text, .bad-request { color: var(--fail); } .passed { color: var(--pass); }
.calls, .note, .skipped, .wait, .request, .gate, .dial, .type { color: var(--dim); }
pre { font: 13px/1.5 ui-monospace, monospace; margin: 0; white-space: pre-wrap; word-break: break-word; }
ul { list-style: none; margin: 0; padding-left: 18px; } ul.top { padding-left: 0; }
table.cells td, table.cells th { border: 1px solid var(--edge); padding: 2px 8px; text-align: left; font: 13px/1.5 ui-monospace, monospace; }
svg { max-width: 100%; height: auto; } img { image-rendering: pixelated; max-width: 100%; }
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
  if (record.tests.length > 0) parts.push(section('Tests', testsHtml(failingFirst(testTree(record)), clean)));
  const errors = [
    ...record.errors,
    ...record.tests.flatMap((test) => (test.error && test.state === 'failed' ? [test.error] : [])),
  ];
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

function list(items: readonly string[]): string {
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
  const views = one.value ? viewsOf(one.value) : [];
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

const LINE_COLOURS = ['#1f5e86', '#d9711f', '#256b5c', '#7a3fc2', '#c29a37', '#8a4b1d'];

function plotSvg(plot: PlotView): string {
  const width = 640;
  const height = 200;
  const at = (i: number): number => plot.x?.[i] ?? i;
  const xs = plot.lines.flatMap((line) => line.y.map((_, i) => at(i)));
  const ys = plot.lines.flatMap((line) => line.y.filter((y): y is number => y !== null && Number.isFinite(y)));
  if (xs.length === 0 || ys.length === 0) return '<p class="dim">No numbers.</p>';
  const bounds = (list: readonly number[]): [number, number] =>
    list.reduce<[number, number]>(
      ([low, high], value) => [Math.min(low, value), Math.max(high, value)],
      [Infinity, -Infinity],
    );
  const [left, right] = bounds(xs);
  const [low, high] = bounds(ys);
  const px = (x: number): string => (40 + ((x - left) / (right - left || 1)) * (width - 50)).toFixed(1);
  const py = (y: number): string => (height - 24 - ((y - low) / (high - low || 1)) * (height - 40)).toFixed(1);
  const paths = plot.lines.map((line, index) => {
    const points = Array.from(line.y, (y, i) =>
      y === null || !Number.isFinite(y) ? '' : `${px(at(i))},${py(y)}`,
    ).filter(Boolean);
    return (
      `<polyline fill="none" stroke="${LINE_COLOURS[index % LINE_COLOURS.length]!}" stroke-width="1.5" ` +
      `points="${points.join(' ')}"><title>${escape(line.name || 'values')}</title></polyline>`
    );
  });
  const label = (x: number, y: number, text: string, anchor = 'start'): string =>
    `<text x="${x}" y="${y}" font-size="11" fill="currentColor" text-anchor="${anchor}">${escape(text)}</text>`;
  const names =
    plot.lines.length > 1
      ? plot.lines
          .map(
            (line, index) =>
              `<tspan fill="${LINE_COLOURS[index % LINE_COLOURS.length]!}">${escape(line.name)} </tspan>`,
          )
          .join('')
      : '';
  return (
    `<svg width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" role="img" aria-label="a ` +
    `plot">${paths.join('')}${label(36, 20, short(high), 'end')}${label(36, height - 24, short(low), 'end')}${label(40, height - 6, short(left))}${label(width - 10, height - 6, short(right), 'end')}${names === '' ? '' : `<text x="48" y="12" font-size="11">${names}</text>`}</svg>`
  );
}

function short(value: number): string {
  return Number(value.toPrecision(4)).toLocaleString('en-US');
}

// ---- Markdown -------------------------------------------------------------------

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
    add(testTree(record), '');
    parts.push('## Tests', block(names.join('\n')));
  }
  const errors = [
    ...record.errors,
    ...record.tests.flatMap((test) => (test.error && test.state === 'failed' ? [test.error] : [])),
  ];
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

// ---- SVG --------------------------------------------------------------------------

const CHARACTER = 7.8;
const ROW = 20;

/** Code and values as a picture. */
export function svgOf(record: PadRecord, lines: LineTable, options: ShareOptions): string {
  const { clean } = options;
  const sheet = sheetOf(record, lines, options);
  const wide = Math.min(90, Math.max(...sheet.rows.map((row) => row.code.length), 20));
  const x0 = 70;
  const valuesAt = x0 + (wide + 2) * CHARACTER;
  const cut = (text: string, length: number): string => (text.length > length ? `${text.slice(0, length - 1)}…` : text);
  const rows = sheet.rows.map(({ number, code, view }, index) => {
    const y = 64 + index * ROW;
    const values = (view?.items ?? []).map((item) => ({ kind: item.kind, text: clean(itemText(item)) }));
    const failed = values.some(({ kind }) => kind === 'error' || kind === 'failed');
    const colour = failed ? '#7a3fc2' : values.some(({ kind }) => kind === 'passed') ? '#256b5c' : '#1f5e86';
    const rail =
      !view || view.state === 'none'
        ? ''
        : view.state === 'never'
          ? `<line x1="20" y1="${y - 14}" x2="20" y2="${y + 4}" stroke="#7f97ad" stroke-dasharray="2 3"/>`
          : `<rect x="18" y="${y - 15}" width="${view.state === 'failed' ? 6 : 1 + 2 * view.heat}" ` +
            `height="${ROW}" fill="${view.state === 'failed' ? '#7a3fc2' : ['#7f97ad', '#7f97ad', '#c29a37', '#c29a37', '#d9711f'][view.heat]!}"/>`;
    return (
      `${rail}<text x="52" y="${y}" fill="#67625a" text-anchor="end">${number}</text><text x="${x0}" y="${y}" ` +
      'xml:space="preserve" ' +
      `fill="#23211c">${escape(cut(code, wide))}</text>${values.length > 0 ? `<text x="${valuesAt}" y="${y}" xml:space="preserve" fill="${colour}">${escape(cut(values.map((one) => one.text).join(' · '), 70))}</text>` : ''}`
    );
  });
  const width = Math.ceil(valuesAt + 72 * CHARACTER);
  const height = 80 + sheet.rows.length * ROW;
  return `<?xml version="1.0" encoding="UTF-8"?>
<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="DejaVu Sans Mono, ui-monospace, monospace" font-size="13">
<title>${escape(sheet.title)}</title>
<rect width="${width}" height="${height}" fill="#fffdf8"/>
<text x="18" y="24" font-weight="bold" fill="#23211c">${escape(sheet.title)}</text><text x="${18 + (sheet.title.length + 2) * CHARACTER}" y="24" fill="#67625a">${escape(sheet.summary.join(' · '))}</text>
${rows.join('\n')}
</svg>
`;
}

// ---- helpers ------------------------------------------------------------------------

/** A picture as a BMP in a data address: 32 bits a pixel, rows from the bottom. */
function bitmap({ columns, rows, rgba }: NonNullable<Shown['pixels']>): string {
  const size = 54 + columns * rows * 4;
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  bytes[0] = 66;
  bytes[1] = 77;
  view.setUint32(2, size, true);
  view.setUint32(10, 54, true);
  view.setUint32(14, 40, true);
  view.setInt32(18, columns, true);
  view.setInt32(22, rows, true);
  view.setUint16(26, 1, true);
  view.setUint16(28, 32, true);
  for (let y = 0; y < rows; y++)
    for (let x = 0; x < columns; x++) {
      const from = (y * columns + x) * 4;
      const to = 54 + ((rows - 1 - y) * columns + x) * 4;
      bytes[to] = rgba[from + 2]!;
      bytes[to + 1] = rgba[from + 1]!;
      bytes[to + 2] = rgba[from]!;
      bytes[to + 3] = 255;
    }
  return `data:image/bmp;base64,${base64(bytes)}`;
}

const DIGITS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';

/** RFC 4648, section 4. */
function base64(bytes: Uint8Array): string {
  const parts: string[] = [];
  for (let i = 0; i < bytes.length; i += 3) {
    const word = (bytes[i]! << 16) | ((bytes[i + 1] ?? 0) << 8) | (bytes[i + 2] ?? 0);
    parts.push(
      DIGITS[word >> 18]! +
        DIGITS[(word >> 12) & 63]! +
        (i + 1 < bytes.length ? DIGITS[(word >> 6) & 63]! : '=') +
        (i + 2 < bytes.length ? DIGITS[word & 63]! : '='),
    );
  }
  return parts.join('');
}
