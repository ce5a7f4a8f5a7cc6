/** Code and its values as a picture. */
import type { PadRecord } from '../../record/record.js';
import type { LineTable } from '../../syntax/positions.js';
import { escape } from '../escape.js';
import { type ShareOptions, itemText, sheetOf } from './sheet.js';

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
