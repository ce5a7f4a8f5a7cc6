/** What `input` needs of an engine, where a library parses comma-separated values. */
import type { InputEngine } from './input.js';

/** Programs and environments of tests may take it away. */
const { TextDecoder: Decoder } = globalThis as unknown as {
  TextDecoder: new (label: string, options: object) => { decode(bytes: Uint8Array): string };
};

/** The library's own function. */
export type ParseCsv = (text: string, options: object) => unknown;

/** @param parser loads the library, when it is first needed */
export function inputEngine(parser: () => ParseCsv): InputEngine {
  return {
    decode(bytes) {
      try {
        return new Decoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes);
      } catch {
        return undefined;
      }
    },
    csv(text, { separator, header }) {
      const parse = parser();
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
