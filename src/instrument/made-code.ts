/** Code that a language of the project makes of a file: with its marks, and every place leading back to what was written. */
import { LineTable } from '../syntax/positions.js';
import type { Problem } from '../syntax/problems.js';
import type { Written } from '../syntax/written.js';
import { writtenBehind } from './source-map.js';

/** A language whose files run as pads: what it makes of them is JavaScript. */
export interface LanguagePlugin {
  /** For people: `toll rules`. */
  name: string;
  /** Of its files, with the dot. */
  extensions: readonly string[];
  /** What begins a comment of one line; marks stand in such. */
  comment: string;
  /** For the editor: words that stand out. */
  keywords?: readonly string[];
  /** For the editor, in their place: a language that it has, and as which it shows this one. */
  mode?: 'html' | 'javascript';
  /** Its files have a document: they run as pages, beside the code. Otherwise in Node. */
  place?: 'page';
  /**
   * Makes an ES module of a text.
   *
   * @param file its path
   * @param shows the file is a pad with a document, into whose body it puts itself: nobody else mounts what it exports
   * @returns the code, and a source map (version 3) from it to the text, as JSON or as an object
   * @throws an error with a `message` and, where it is known, `line` and `column` from 0
   */
  toJavaScript(text: string, file: string, shows: boolean): { code: string; map: string | object };
}

/** How files of a language look, and where they run: data, which executes nothing. */
export interface LanguageLook {
  name: string;
  extensions: string[];
  comment: string;
  keywords: string[];
  mode?: 'html' | 'javascript';
  place?: 'page';
}

export function lookOf({ name, extensions, comment, keywords = [], mode, place }: LanguagePlugin): LanguageLook {
  return {
    ...{ name, extensions: [...extensions], comment, keywords: [...keywords] },
    ...(mode ? { mode } : {}),
    ...(place ? { place } : {}),
  };
}

export type Made = { code: string; written: Written } | { problem: Problem };

/** @returns the code, or what is wrong with the text: it never throws */
export function madeCode(plugin: LanguagePlugin, text: string, file: string, shows = false): Made {
  let given: ReturnType<LanguagePlugin['toJavaScript']>;
  try {
    given = plugin.toJavaScript(text, file, shows);
  } catch (error) {
    return { problem: problemOf(error, plugin, text) };
  }
  const map = typeof given.map === 'string' ? given.map : JSON.stringify(given.map);
  try {
    const first = writtenBehind(given.code, map, file, () => text);
    const code = withMarks(given.code, first, plugin.comment);
    // Marks stand at the ends of lines: no place has moved within its own.
    return { code, written: code === given.code ? first : writtenBehind(code, map, file, () => text) };
  } catch (error) {
    return { problem: problemOf(error, plugin, text) };
  }
}

function problemOf(error: unknown, { name }: LanguagePlugin, text: string): Problem {
  const { message, line, column } = error as { message?: unknown; line?: unknown; column?: unknown };
  const lines = new LineTable(text);
  const at =
    typeof line === 'number' ? lines.offsetAt({ line, character: typeof column === 'number' ? column : 0 }) : 0;
  const said = typeof message === 'string' ? message : String(error);
  return {
    code: 'E_SYNTAX',
    message: `${name}: ${said.split('\n')[0]}`,
    start: at,
    end: Math.min(text.length, at + 1),
  };
}

/** Marks of the text, put behind the code that was made of their lines. */
function withMarks(code: string, written: Written, comment: string): string {
  const lines = code.split('\n');
  let any = false;
  const { lines: table } = written;
  for (let line = 0; line < table.lineCount; line++) {
    const at = table.line(line).indexOf(`${comment}~`);
    const made = at < 0 ? undefined : written.lastMadeLine(line);
    // Some languages keep comments: then it is a mark already.
    if (made === undefined || lines[made]!.includes('//~')) continue;
    any = true;
    lines[made] += ` //~${table.line(line).slice(at + comment.length + 1)}`;
  }
  return any ? lines.join('\n') : code;
}
