/** `usher-anvil/instrument`: instruments one text. */
import { instrumentWith, type Instrumented, type InstrumentOptions } from '../../instrument/instrument-text.js';
import { nodeTranslator } from './translate.js';

/**
 * Instruments one text: TypeScript, TSX, JavaScript or JSX.
 *
 * @param source the text
 * @param options its `file` name (the extension decides the language), the
 * `depth` (`off`, `counts`, `values`) and the `form` of the result (`module`,
 * `script`, or `linked` for the project's own registry)
 * @returns the code, a source map back to the text, the sites (offsets into the
 * text), and syntax errors; with errors the code is the text as it was
 * @throws AnvilError `E_OPTION` for an unknown depth or form
 */
export function instrument(source: string, options: InstrumentOptions): Instrumented {
  return instrumentWith(nodeTranslator, source, options);
}

export type { Instrumented, InstrumentOptions } from '../../instrument/instrument-text.js';
export type { Depth, Form } from '../../instrument/options.js';
export { COUNTING, type Site, type SiteKind } from '../../instrument/sites.js';
