/** Instruments one text, for whoever wants the code alone. */
import type { EncodedSourceMap } from '@jridgewell/gen-mapping';
import { outlineOf } from '../syntax/outline.js';
import { type PackageType, parse } from '../syntax/parse.js';
import { AnvilError, type Problem } from '../syntax/problems.js';
import { compile } from './compile.js';
import type { Depth, Form } from './options.js';
import type { Site } from './sites.js';
import { identityMap, mapOf } from './source-map.js';
import type { Translator } from './translator.js';

export interface InstrumentOptions {
  /** Name of the file; its extension decides the language. */
  file: string;
  /** How much the code reports. Default `values`. */
  depth?: Depth;
  /** What the text becomes. Default `module`, or `script` for CommonJS. */
  form?: Form;
  /** Adds patch points and scope hooks. Default false. */
  patchable?: boolean;
  packageType?: PackageType;
}

export interface Instrumented {
  code: string;
  /** Source map (version 3) back to the original text; made when first read. */
  readonly map: EncodedSourceMap;
  sites: Site[];
  problems: Problem[];
}

/**
 * Instruments one text.
 *
 * @returns the code that reports, its source map, its sites (ranges are
 * offsets into the original text), and the syntax errors. With errors, `code`
 * is the original text and there are no sites.
 * @throws AnvilError `E_OPTION` for an unknown depth or form.
 */
export function instrumentWith(translator: Translator, source: string, options: InstrumentOptions): Instrumented {
  const { file, depth = 'values', patchable = false } = options;
  if (!['off', 'counts', 'values'].includes(depth))
    throw new AnvilError('E_OPTION', `depth is "${String(depth)}". It is one of off, counts, values.`);
  if (options.form !== undefined && !['linked', 'module', 'script'].includes(options.form))
    throw new AnvilError('E_OPTION', `form is "${String(options.form)}". It is one of linked, module, script.`);
  const parsed = parse(source, { file, packageType: options.packageType });
  if (parsed.program === null || parsed.problems.length > 0)
    return { code: source, map: identityMap(file, source), sites: [], problems: parsed.problems };
  const form = options.form ?? parsed.goal;
  const compiled = compile(outlineOf(parsed), { depth, form, patchable, translator });
  let map: EncodedSourceMap | undefined;
  return {
    code: compiled.code,
    get map() {
      return (map ??= mapOf(compiled, source));
    },
    sites: compiled.sites,
    problems: [],
  };
}
