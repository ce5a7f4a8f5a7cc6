/** Reads data for `input`. */
import type { InputEngine } from '../../../runtime/input.js';
import type { Originals } from './originals.js';

/** Programs and environments of tests may take it away. */
const TextDecoderCopy = TextDecoder;

export function inputEngine(originals: Originals): InputEngine {
  return {
    decode(bytes) {
      try {
        return new TextDecoderCopy('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes);
      } catch {
        return undefined;
      }
    },
    csv(text, { separator, header }) {
      const { parse } = originals.builtin('csv-parse/sync') as typeof import('csv-parse/sync');
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
}
