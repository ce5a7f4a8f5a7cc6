/** Files and module resolution for pages: what a browser, and the bundlers for it, make of names. */
import { existsSync } from 'node:fs';
import { dirname, extname, join } from 'node:path';
import type { Resolution } from '../../session/host.js';
import { outlineOfText } from '../../syntax/outlined.js';
import { isPageFile, pageText, type PageText } from '../../syntax/page-text.js';
import type { PackageType } from '../../syntax/parse.js';
import { NodeFiles } from '../node/files.js';

/** What is no script, and can be imported all the same: a style sheet, a picture, a text. */
const ASSETS = new Set(['.css', '.svg', '.png', '.jpg', '.jpeg', '.gif', '.webp', '.txt', '.wasm', '.html', '.md']);

export class PageFiles extends NodeFiles {
  private page: { text: string; page: PageText } | undefined;
  /** Files of classic scripts, and the names that they declare. */
  private readonly declared = new Map<string, string[]>();
  private classic = new Set<string>();

  /**
   * @param entry the pad
   * @param root what a path that begins with `/` leads to
   */
  constructor(
    private readonly entry: string,
    private readonly root: string,
  ) {
    super();
  }

  /** The pad as a page; undefined for a script. */
  pageOf(text: string): PageText | undefined {
    if (!isPageFile(this.entry)) return undefined;
    if (this.page?.text !== text) {
      this.page = { text, page: pageText(text, (address) => this.isLibrary(address)) };
      this.classic = new Set(
        this.page.page.classic.flatMap((name) => {
          const found = this.resolve(name, this.entry);
          return found.kind === 'local' ? [found.file] : [];
        }),
      );
    }
    return this.page.page;
  }

  /** A script that is made for any page: installed, made small, or one that finds out what loads it. */
  private isLibrary(address: string): boolean {
    const name = address.replace(/[?#].*$/, '');
    if (/(?:^|\/)node_modules\/|\.min\.js$/.test(name)) return true;
    try {
      const path = name.startsWith('/') ? join(this.root, name) : join(dirname(this.entry), name);
      return /\btypeof\s+(?:define|exports|module)\b/.test(this.read(path));
    } catch {
      return false;
    }
  }

  /** Names that classic scripts of the page declare, by file. */
  get globals(): Record<string, string[]> {
    const isOf = (file: string): boolean => file === this.entry || this.classic.has(file);
    return Object.fromEntries([...this.declared].filter(([file]) => isOf(file)));
  }

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

  override packageType(): PackageType {
    return 'module';
  }

  override resolve(specifier: string, from: string, how: 'import' | 'require' = 'import'): Resolution {
    if (/^(?:https?|data|blob):/.test(specifier)) return { kind: 'package' };
    if (specifier.startsWith('/')) {
      const inRoot = join(this.root, specifier);
      if (existsSync(inRoot)) return this.resolve(inRoot.replace(/[?#].*$/, ''), from, how);
    }
    if (ASSETS.has(extname(specifier.replace(/[?#].*$/, '')).toLowerCase()) && /^[./]/.test(specifier))
      return { kind: 'package' };
    const found = super.resolve(specifier, from, how);
    if (found.kind === 'builtin' || found.kind === 'tests')
      return {
        kind: 'missing',
        message: `'${specifier}' is a module of Node, and this is a page. Execute the file in Node (menu: When and where it executes), or take what browsers have.`,
      };
    return found;
  }
}
