/** Which pads are pages: what they are written for tells. */
import { isBuiltin } from 'node:module';
import { outlineOfText } from '../../syntax/outlined.js';
import { languageFor } from '../node/project/languages.js';
import { isPageFile } from '../../syntax/page-text.js';

/** Names that only a page has, and that a program which asks for them means. */
const PAGE_NAMES = /\b(?:document|window|customElements|requestAnimationFrame|HTMLElement|localStorage)\b/;
const TESTS = /\.(?:test|spec)\.[cm]?[jt]sx?$|(?:^|[\\/])__tests__[\\/]/;

/**
 * True for a page, a component, a file of a language that has a document, and a script that asks for a document. Tests are none: their frameworks put a document
 * around them.
 */
export function isPagePad(file: string, text: string): boolean {
  if (isPageFile(file) || languageFor(file)?.plugin.place === 'page') return true;
  if (TESTS.test(file) || (!PAGE_NAMES.test(text) && !/x$/.test(file))) return false;
  const outline = outlineOfText(text, file);
  if (!outline) return false;
  const imports = outline.imports.filter((one) => !one.typeOnly).map(({ specifier }) => specifier);
  if (imports.some((name) => isBuiltin(name) || /^(?:jsdom|happy-dom|linkedom|vitest|@jest\/|mocha|chai)/.test(name)))
    return false;
  return mountsOf(text, file) !== undefined || asksForDocument(text);
}

/** It uses a name of the page, and not only to ask whether it is there. */
function asksForDocument(text: string): boolean {
  const code = text
    .replace(/\/\*[\s\S]*?\*\/|\/\/[^\n]*/g, ' ')
    .replace(/'(?:[^'\\\n]|\\.)*'|"(?:[^"\\\n]|\\.)*"/g, "''")
    .replace(/\btypeof\s+\w+/g, ' ');
  return (
    /(?:^|[^.\w$])(?:document|window)\s*\??\.\s*\w/.test(code) ||
    /(?:^|[^.\w$])(?:requestAnimationFrame|customElements\s*\.\s*define)\s*\(/.test(code) ||
    /\bextends\s+HTML\w*Element\b/.test(code)
  );
}

/** The library in whose way the component of a file is mounted; undefined where the file mounts itself, or has none. */
export function mountsOf(text: string, file: string): 'react' | 'preact' | undefined {
  if (!/x$/i.test(file)) return undefined;
  const outline = outlineOfText(text, file);
  if (!outline) return undefined;
  const imports = outline.imports.filter((one) => !one.typeOnly).map(({ specifier }) => specifier);
  if (imports.some((name) => /^react-dom(?:\/|$)/.test(name)) || /\brender\s*\(/.test(text)) return undefined;
  const isComponent = outline.exports.some(({ exported }) => exported === 'default' || /^[A-Z]/.test(exported));
  if (!isComponent) return undefined;
  return imports.some((name) => /^preact(?:\/|$)/.test(name)) || /@jsxImportSource\s+preact/.test(text)
    ? 'preact'
    : 'react';
}
