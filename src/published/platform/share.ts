/** Documents of a record, without what only a machine has: its environment, and a browser that draws. */
import { toJson } from '../../record/json.js';
import type { PadRecord } from '../../record/record.js';
import { AnvilError } from '../../syntax/problems.js';
import type * as Node from '../../server/share.js';
import { htmlOf } from '../../views/share/html.js';
import { markdownOf } from '../../views/share/markdown.js';
import { partOf } from '../../views/share/sheet.js';
import { svgOf } from '../../views/share/svg.js';

export async function documentOf(
  record: PadRecord,
  format: Node.ShareFormat,
  options: Parameters<(typeof Node)['documentOf']>[2],
): Promise<string> {
  const { lines } = record.program.files.find((one) => one.file === record.file)!;
  const share = { ...options, clean: (text: string) => text };
  const part = options.lines ? partOf(record, options.lines) : record;
  switch (format) {
    case 'html':
      return htmlOf(part, lines, share);
    case 'md':
      return markdownOf(part, lines, share);
    case 'svg':
      return svgOf(part, lines, share);
    case 'json':
      return `${JSON.stringify(toJson(part), null, 2)}\n`;
    default:
      throw new AnvilError('E_NO_BROWSER', 'A PNG is drawn by Chromium. Take HTML or SVG.');
  }
}
