/** The language that a file is written in, for the editor. */
import { css } from '@codemirror/lang-css';
import { html } from '@codemirror/lang-html';
import { javascript } from '@codemirror/lang-javascript';
import { json } from '@codemirror/lang-json';
import type { LanguageSupport } from '@codemirror/language';

export function languageOf(file: string): LanguageSupport {
  if (/\.(?:html?|vue|svelte)$/i.test(file)) return html();
  if (/\.css$/i.test(file)) return css();
  if (/\.json$/i.test(file)) return json();
  return javascript({ typescript: /\.[mc]?tsx?$/.test(file), jsx: /x$/.test(file) || /\.[mc]?js$/.test(file) });
}
