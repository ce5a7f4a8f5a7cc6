/** The language that a file is written in, for the editor. */
import { css } from '@codemirror/lang-css';
import { html } from '@codemirror/lang-html';
import { javascript } from '@codemirror/lang-javascript';
import { json } from '@codemirror/lang-json';
import { LanguageSupport, StreamLanguage } from '@codemirror/language';
import type { ToWindow } from '../server/protocol.js';

type Added = NonNullable<Extract<ToWindow, { type: 'welcome' }>['languages']>[number];

let added: { extensions: readonly string[]; support: LanguageSupport }[] = [];

/** Languages that the project has besides. */
export function addLanguages(languages: readonly Added[]): void {
  added = languages.map(({ extensions, mode, ...language }) => ({
    extensions,
    support: mode ? languageOf(mode === 'html' ? '.html' : '.js') : plain(language),
  }));
}

export function languageOf(file: string): LanguageSupport {
  const own = added.find(({ extensions }) => extensions.some((extension) => file.endsWith(extension)));
  if (own) return own.support;
  if (/\.(?:html?|vue|svelte)$/i.test(file)) return html();
  if (/\.css$/i.test(file)) return css();
  if (/\.json$/i.test(file)) return json();
  return javascript({ typescript: /\.[mc]?tsx?$/.test(file), jsx: /x$/.test(file) || /\.[mc]?js$/.test(file) });
}

/** Comments, texts, numbers, and the words that the language says stand out. */
function plain({ name, comment, keywords }: Pick<Added, 'name' | 'comment' | 'keywords'>): LanguageSupport {
  const words = new Set(keywords);
  return new LanguageSupport(
    StreamLanguage.define({
      name,
      token(stream) {
        if (stream.match(comment)) {
          stream.skipToEnd();
          return 'comment';
        }
        if (stream.match(/^"(?:[^"\\]|\\.)*"?|^'(?:[^'\\]|\\.)*'?/)) return 'string';
        if (stream.match(/^\d[\d.]*/)) return 'number';
        const word = stream.match(/^[\p{L}_$][\p{L}\d_$]*/u) as RegExpMatchArray | null;
        if (word) return words.has(word[0]) ? 'keyword' : 'variableName';
        stream.next();
        return null;
      },
      languageData: { commentTokens: { line: comment } },
    }),
  );
}
