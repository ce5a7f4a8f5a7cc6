/** Files that are open in the editor, by their address and by their path. */
import { existsSync, realpathSync, statSync } from 'node:fs';
import { basename, dirname, extname, join, resolve, sep } from 'node:path';
import type { TextDocument } from 'vscode-languageserver-textdocument';
import { URI } from 'vscode-uri';
import { EXTENSIONS } from '../syntax/parse.js';

/** Endings of files that the editor gives no name yet, by its name for their language. */
const ENDINGS: Readonly<Record<string, string>> = {
  javascript: '.mjs',
  javascriptreact: '.jsx',
  typescript: '.ts',
  typescriptreact: '.tsx',
};

/** Files of components, which development servers make code of. */
const COMPONENT = /\.(?:vue|svelte)$/i;

export interface OpenFile {
  uri: string;
  path: string;
  /** Folder of the project that it belongs to. */
  root: string;
  document: TextDocument;
  /** It has no file yet. */
  untitled: boolean;
  /** It can run by itself; a component is code only where a program has made it so. */
  isPad: boolean;
  /** The text as it was when the editor opened or saved it. */
  savedText: string;
  /** What imported packages cost, as it was asked for, with the text of each line. */
  sizes: readonly { line: number; text: string; of: string }[];
}

export class OpenFiles {
  private roots: string[] = [];
  private readonly byUri = new Map<string, OpenFile>();

  /** Folders that the editor has open, as addresses. */
  setRoots(uris: readonly string[]): void {
    this.roots = uris.flatMap((uri) => {
      const { scheme, fsPath } = URI.parse(uri);
      return scheme === 'file' && existsSync(fsPath) ? [realpathSync(fsPath)] : [];
    });
  }

  get folders(): readonly string[] {
    return this.roots;
  }

  get all(): Iterable<OpenFile> {
    return this.byUri.values();
  }

  get(uri: string): OpenFile | undefined {
    return this.byUri.get(uri);
  }

  at(path: string): OpenFile | undefined {
    for (const file of this.byUri.values()) if (file.path === path) return file;
    return undefined;
  }

  /** The address that the editor knows a path by. */
  uriOf(path: string): string {
    return this.at(path)?.uri ?? URI.file(path).toString();
  }

  /** @returns undefined for a file that is no program, or lies where no program can run */
  open(document: TextDocument): OpenFile | undefined {
    const path = this.pathFor(document);
    if (path === undefined) return undefined;
    const file: OpenFile = {
      uri: document.uri,
      path,
      root: this.rootOf(path),
      document,
      untitled: !document.uri.startsWith('file:'),
      isPad: isProgram(path),
      savedText: textOf(document),
      sizes: [],
    };
    this.byUri.set(document.uri, file);
    return file;
  }

  close(uri: string): OpenFile | undefined {
    const file = this.byUri.get(uri);
    this.byUri.delete(uri);
    return file;
  }

  private pathFor({ uri, languageId }: TextDocument): string | undefined {
    const { scheme, fsPath, path: named } = URI.parse(uri);
    if (scheme === 'file') return isProgram(fsPath) || COMPONENT.test(fsPath) ? realPath(fsPath) : undefined;
    if (scheme !== 'untitled') return undefined;
    const ending = ENDINGS[languageId];
    if (ending === undefined) return undefined;
    // An editor may give it the path that it will have.
    if (isProgram(named) && existsSync(dirname(named))) return realPath(named);
    const name =
      basename(named)
        .replace(/[^\w.-]+/g, '-')
        .toLowerCase() || 'untitled';
    return join(this.roots[0] ?? process.cwd(), extname(name) === ending ? name : `${name}${ending}`);
  }

  private rootOf(path: string): string {
    const around = this.roots.filter((root) => path.startsWith(root + sep));
    return around.sort((a, b) => b.length - a.length)[0] ?? dirname(path);
  }
}

/** The text of a file with `\n` for all line ends, as it is executed. */
export function textOf(document: TextDocument): string {
  return document.getText().replace(/\r\n?/g, '\n');
}

function isProgram(path: string): boolean {
  return (EXTENSIONS as readonly string[]).includes(extname(path).toLowerCase()) && !/\.d\.[cm]?ts$/.test(path);
}

/** Links on the way lead where they lead, also for a file that is not there yet, or no more. */
export function realPath(path: string): string {
  let there = resolve(path);
  let rest = '';
  while (!statSync(there, { throwIfNoEntry: false }) && dirname(there) !== there) {
    rest = join(basename(there), rest);
    there = dirname(there);
  }
  return join(realpathSync(there), rest);
}
