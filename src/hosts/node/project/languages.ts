/** Languages of a project: plugins that make JavaScript of further files. */
import { dirname, extname, relative } from 'node:path';
import { madeCode, type LanguagePlugin, type Made } from '../../../instrument/made-code.js';
import { type Added, additionsFor, configFor } from './additions.js';

export type ProjectLanguage = Added<LanguagePlugin>;

/** The language of a file; undefined where no plugin has its extension. */
export function languageFor(file: string): ProjectLanguage | undefined {
  return addedExtensions(dirname(file)).find(({ plugin: { extensions } }) =>
    extensions.some((extension) => file.toLowerCase().endsWith(extension)),
  );
}

/** Languages that a folder's configuration adds. */
export function addedExtensions(folder: string): ProjectLanguage[] {
  return additionsFor(folder).languages;
}

/**
 * Code that a language of the project makes of a file.
 *
 * @param careful nothing of the project is executed for it
 * @param shows the file is a pad with a document
 */
export function madeByLanguage(file: string, text: string, careful: boolean, shows = false): Made | undefined {
  // What everybody can read is asked first: most files are of these.
  if (/^\.(?:[cm]?[jt]s|[jt]sx|json|html?)$/i.test(extname(file))) return undefined;
  const found = configFor(dirname(file));
  if (found === undefined) return undefined;
  const named = `what makes JavaScript of it is named in ${relative(dirname(file), found)}, and`;
  if (careful) return saying(`${named} is not executed while the pad holds what changes something`, text);
  const { wrong, held } = additionsFor(dirname(file));
  const language = languageFor(file);
  if (language) return madeCode(language.plugin, text, file, shows);
  if (held) return saying(`${named} is not executed until somebody says that it may`, text);
  return wrong === '' ? undefined : saying(wrong, text);
}

function saying(message: string, text: string): Made {
  return { problem: { code: 'E_SYNTAX', message, start: 0, end: Math.min(1, text.length) } };
}
