/** The scripts of a page as one program: which of them are classic, and what those declare for all. */
import type { Resolution } from '../../session/host.js';
import { outlineOfText } from '../../syntax/outlined.js';
import { isPageFile, pageText, type PageText } from '../../syntax/page-text.js';

/** What the files of a page tell. */
export interface PageCodeParts {
  resolve(specifier: string, from: string): Resolution;
  /** Text of what an address of the page leads to; undefined where there is none. */
  textAt(address: string): string | undefined;
}

export class PageCode {
  private page: { text: string; page: PageText } | undefined;
  /** Files of classic scripts, and the names that they declare. */
  private readonly declared = new Map<string, string[]>();
  private classic = new Set<string>();

  /** @param entry the pad */
  constructor(
    private readonly entry: string,
    private readonly parts: PageCodeParts,
  ) {}

  /** The pad as a page; undefined for a script. */
  pageOf(text: string): PageText | undefined {
    if (!isPageFile(this.entry)) return undefined;
    if (this.page?.text !== text) {
      this.page = { text, page: pageText(text, (address) => this.isLibrary(address)) };
      this.classic = new Set(
        this.page.page.classic.flatMap((name) => {
          const found = this.parts.resolve(name, this.entry);
          return found.kind === 'local' ? [found.file] : [];
        }),
      );
    }
    return this.page.page;
  }

  /** A script that is made for any page: installed, made small, or one that finds out what loads it. */
  private isLibrary(address: string): boolean {
    if (/(?:^|\/)node_modules\/|\.min\.js$/.test(address.replace(/[?#].*$/, ''))) return true;
    return /\btypeof\s+(?:define|exports|module)\b/.test(this.parts.textAt(address) ?? '');
  }

  /** Names that classic scripts of the page declare, by file. */
  get globals(): Record<string, string[]> {
    const isOf = (file: string): boolean => file === this.entry || this.classic.has(file);
    return Object.fromEntries([...this.declared].filter(([file]) => isOf(file)));
  }

  /** What a file has to execute. */
  codeOf(file: string, text: string): string {
    // Of what is made of code that was read before, there are only blanks ahead.
    const isCode = /^\s{8}/.test(text) && !/^\s*</.test(text);
    const page = file === this.entry && !isCode ? this.pageOf(text) : undefined;
    if (isCode && file === this.entry && isPageFile(file)) return text;
    if (!page && !this.classic.has(file)) return text;
    const code = page?.code ?? text;
    if (page && !page.isClassic) {
      this.declared.delete(file);
      return code;
    }
    const outline = outlineOfText(code, 'page.mjs');
    // What does not parse says so itself; a module has its names for itself.
    if (!outline || (!page && (outline.imports.length > 0 || outline.exports.length > 0))) return code;
    const names = [
      ...new Set(
        outline.statements.flatMap(({ kind, names: all }) =>
          ['function', 'class', 'const', 'let', 'var'].includes(kind) ? all : [],
        ),
      ),
    ];
    this.declared.set(file, names);
    return names.length === 0 ? code : `${code}\n;export { ${names.join(', ')} };`;
  }
}
