/** Files and module resolution for pages: what a browser, and the bundlers for it, make of names. */
import { existsSync } from 'node:fs';
import { dirname, extname, join } from 'node:path';
import type { Resolution } from '../../session/host.js';
import type { PageText } from '../../syntax/page-text.js';
import type { PackageType } from '../../syntax/parse.js';
import { NodeFiles } from '../node/files.js';
import { madeByLanguage } from '../node/project/languages.js';
import type { PageSource } from './frame-way.js';
import { isAnswered } from './node-modules.js';
import { PageCode } from './page-code.js';

/** What is no script, and can be imported all the same: a style sheet, a picture, a text. */
const ASSETS = new Set(['.css', '.svg', '.png', '.jpg', '.jpeg', '.gif', '.webp', '.txt', '.wasm', '.html', '.md']);

export class PageFiles extends NodeFiles implements PageSource {
  private readonly code: PageCode;

  /**
   * @param entry the pad
   * @param root what a path that begins with `/` leads to
   * @param holds nothing of the project is executed to make code of a file
   */
  constructor(
    private readonly entry: string,
    private readonly root: string,
    private readonly holds = false,
  ) {
    super();
    this.code = new PageCode(entry, {
      resolve: (specifier, from) => this.resolve(specifier, from),
      textAt: (address) => {
        const name = address.replace(/[?#].*$/, '');
        try {
          return this.read(name.startsWith('/') ? join(root, name) : join(dirname(entry), name));
        } catch {
          return undefined;
        }
      },
    });
  }

  pageOf(text: string): PageText | undefined {
    return this.code.pageOf(text);
  }

  get globals(): Record<string, string[]> {
    return this.code.globals;
  }

  codeOf(file: string, text: string): string {
    return this.code.codeOf(file, text);
  }

  override made(file: string, text: string): ReturnType<NodeFiles['made']> {
    return madeByLanguage(file, text, this.holds, file === this.entry);
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
    if (isAnswered(specifier)) return { kind: 'package' };
    const found = super.resolve(specifier, from, how);
    if (found.kind === 'builtin' || found.kind === 'tests')
      return {
        kind: 'missing',
        message: `'${specifier}' is a module of Node, and this is a page. Execute the file in Node (menu: When and where it executes), or take what browsers have.`,
      };
    return found;
  }
}
