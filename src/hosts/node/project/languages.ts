/** Languages of a project: plugins that its configuration names, which make JavaScript of further files. */
import { existsSync, readFileSync, statSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, extname, join, relative } from 'node:path';
import { runInThisContext } from 'node:vm';
import { buildSync } from 'esbuild';
import { z } from 'zod';
import { madeCode, type LanguagePlugin, type Made } from '../../../instrument/made-code.js';

/** The file in which a project says what it adds. */
export const CONFIG_FILE = 'usher-anvil.config.json';

const config = z.strictObject({
  format: z.literal('usher-anvil/config@1'),
  /** Modules whose default export is a language, by path or as packages. */
  languages: z.array(z.string().min(1)).max(50).default([]),
});

const plugin = z.object({
  name: z.string().min(1).max(100),
  extensions: z.array(z.string().regex(/^(?:\.[\w-]+)+$/)).min(1),
  comment: z.string().min(1).max(10),
  keywords: z.array(z.string()).max(1_000).optional(),
  toJavaScript: z.custom<LanguagePlugin['toJavaScript']>((one) => typeof one === 'function', 'a function is wanted'),
});

/** A language of a project, and where it comes from. */
export interface ProjectLanguage {
  plugin: LanguagePlugin;
  /** Of the plugin, relative to its configuration. */
  from: string;
}

interface Configured {
  stamp: string;
  languages: ProjectLanguage[];
  /** What cannot be read, for a person; empty where all can. */
  wrong: string;
}

const known = new Map<string, Configured>();

/** The configuration that holds for a folder; undefined where there is none. */
export function configFor(folder: string): string | undefined {
  for (let at = folder; ; at = dirname(at)) {
    const file = join(at, CONFIG_FILE);
    if (existsSync(file)) return file;
    if (dirname(at) === at) return undefined;
  }
}

/** Loads what a configuration names, once for each text of it: the plugins execute in this process. */
export function configured(file: string): Configured {
  const { mtimeMs, size } = statSync(file);
  const stamp = `${mtimeMs}:${size}`;
  const before = known.get(file);
  if (before?.stamp === stamp) return before;
  const found: Configured = { stamp, languages: [], wrong: '' };
  known.set(file, found);
  try {
    const { languages } = config.parse(JSON.parse(readFileSync(file, 'utf8')));
    for (const from of languages) found.languages.push({ plugin: pluginAt(file, from), from });
  } catch (error) {
    found.wrong = `${file}: ${wordsOf(error)}`;
  }
  return found;
}

/** Compiled on the spot, so that it may be written as the project is: as a module, in TypeScript. */
function pluginAt(file: string, from: string): LanguagePlugin {
  const { outputFiles } = buildSync({
    stdin: { contents: `module.exports = require(${JSON.stringify(from)})`, resolveDir: dirname(file), loader: 'js' },
    ...{ bundle: true, write: false, format: 'cjs', platform: 'node', target: 'node20', logLevel: 'silent' },
    // Packages are loaded as they are installed; one that is the plugin itself comes along.
    ...(/^[./]/.test(from) ? { packages: 'external' as const } : {}),
  });
  const module = { exports: {} as { default?: unknown } };
  const load = runInThisContext(`(function (module, exports, require) {${outputFiles[0]!.text}\n})`, {
    filename: from,
  }) as (...given: unknown[]) => void;
  load(module, module.exports, createRequire(file));
  const found = module.exports.default ?? module.exports;
  const given = plugin.safeParse(found);
  if (given.success) return found as LanguagePlugin;
  throw new Error(`${from} is no language: ${wordsOf(given.error)}`);
}

function wordsOf(error: unknown): string {
  if (!(error instanceof z.ZodError)) return (error as Error).message;
  const [issue] = error.issues;
  return `${issue!.path.map(String).join('.')} ${issue!.message}`.trim();
}

/** The language of a file; undefined where no plugin has its extension. */
export function languageFor(file: string): ProjectLanguage | undefined {
  const found = configFor(dirname(file));
  if (found === undefined) return undefined;
  return configured(found).languages.find(({ plugin: { extensions } }) =>
    extensions.some((extension) => file.toLowerCase().endsWith(extension)),
  );
}

/** Extensions that a folder's configuration adds. */
export function addedExtensions(folder: string): ProjectLanguage[] {
  const found = configFor(folder);
  return found === undefined ? [] : configured(found).languages;
}

/** Code that a language of the project makes of a file. @param careful nothing of the project is executed for it */
export function madeByLanguage(file: string, text: string, careful: boolean): Made | undefined {
  // What everybody can read is asked first: most files are of these.
  if (/^\.(?:[cm]?[jt]s|[jt]sx|json|html?)$/i.test(extname(file))) return undefined;
  const found = configFor(dirname(file));
  if (found === undefined) return undefined;
  if (careful) {
    const message = `what makes JavaScript of it is named in ${relative(dirname(file), found)}, and is not executed while the pad holds what changes something`;
    return { problem: { code: 'E_SYNTAX', message, start: 0, end: Math.min(1, text.length) } };
  }
  const { wrong } = configured(found);
  const language = languageFor(file);
  if (language) return madeCode(language.plugin, text, file);
  return wrong === ''
    ? undefined
    : { problem: { code: 'E_SYNTAX', message: wrong, start: 0, end: Math.min(1, text.length) } };
}
