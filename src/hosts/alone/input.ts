/** Reads data for `input` in a worker of a page. */
import { parse } from 'csv-parse/browser/esm/sync';
import type { InputEngine } from '../../runtime/input.js';

export const aloneInput: InputEngine = {
  decode(bytes) {
    try {
      return new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes);
    } catch {
      return undefined;
    }
  },
  csv(text, { separator, header }) {
    try {
      return parse(text, {
        delimiter: separator,
        columns: header,
        bom: true,
        skip_empty_lines: true,
        relax_column_count: false,
      }) as unknown[];
    } catch (error) {
      throw Object.assign(new Error((error as Error).message), { line: (error as { lines?: number }).lines });
    }
  },
};
