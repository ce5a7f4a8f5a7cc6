/** Packages of a page: bundled on the spot, those of one program together, so that what two of them share is there once. */
import { createHash } from 'node:crypto';
import { dirname, resolve } from 'node:path';
import { build, type BuildFailure, type Loader, type OutputFile, type Plugin } from 'esbuild';
import { buildForPage } from './node-modules.js';
import type { Bundled, Wanted } from './frame-way.js';

/** Bundles that are kept. */
const MOST = 8;
const PICTURES = ['.png', '.jpg', '.jpeg', '.gif', '.webp', '.svg', '.wasm', '.woff', '.woff2', '.ttf'];
export const LOADERS: Record<string, Loader> = {
  ...Object.fromEntries(PICTURES.map((extension) => [extension, 'dataurl'] as const)),
  '.css': 'css',
  '.txt': 'text',
  '.md': 'text',
  '.html': 'text',
};

/** Modules that are imported from one folder under one name are the same. */
export function keyOf({ specifier, from }: Wanted): string {
  return `${specifier}\n${dirname(from)}`;
}

export class PagePackages {
  /** Bundles by what they are made of. */
  private readonly known = new Map<string, Promise<Bundled>>();
  private readonly texts = new Map<string, { key: string; bytes: Uint8Array }>();

  /** @param path begins the addresses that are given */
  constructor(private readonly path: string) {}

  /** Bundles what a program imports. Packages that cannot be bundled are told, and the others are there. */
  bundle(wanted: readonly Wanted[]): Promise<Bundled> {
    const list = [...new Map(wanted.map((one) => [keyOf(one), one])).values()];
    if (list.length === 0) return Promise.resolve({ packages: {}, broken: {} });
    const key = list.map(keyOf).sort().join('\n\n');
    let made = this.known.get(key);
    if (!made) {
      this.known.set(key, (made = this.make(list, key)));
      // One that failed may be there the next time.
      void made.then(({ broken }) => {
        if (Object.keys(broken).length > 0) this.known.delete(key);
      });
      if (this.known.size > MOST) this.forget(this.known.keys().next().value!);
    }
    return made;
  }

  private forget(key: string): void {
    this.known.delete(key);
    for (const [path, text] of this.texts) if (text.key === key) this.texts.delete(path);
  }

  /** The text at an address. */
  textAt(path: string): Uint8Array | undefined {
    return this.texts.get(path)?.bytes;
  }

  private async make(list: readonly Wanted[], key: string): Promise<Bundled> {
    const { good, made: files = [], broken } = await bundledWithoutBroken(list, bundled);
    const result: Bundled = {
      packages: {},
      broken: Object.fromEntries(broken.map(({ one, why }) => [keyOf(one), why])),
    };
    const name = createHash('sha256').update(key).digest('base64url').slice(0, 12);
    for (const { path, contents } of files)
      this.texts.set(`${this.path}${name}/${path.replace(/^.*[\\/]/, '')}`, { key, bytes: contents });
    good.forEach((one, index) => (result.packages[keyOf(one)] = `${this.path}${name}/package-${index}.js`));
    return result;
  }
}

/**
 * Bundles together what can be bundled.
 *
 * @param bundle throws a failure of the bundler
 * @returns `made` where there is something that can; why the others cannot, in a sentence each
 */
export async function bundledWithoutBroken<W extends Wanted, T>(
  list: readonly W[],
  bundle: (list: readonly W[]) => Promise<T>,
): Promise<{ good: readonly W[]; made?: T; broken: { one: W; why: string }[] }> {
  try {
    return { good: list, made: await bundle(list), broken: [] };
  } catch {
    // Those that can be bundled by themselves can be bundled together.
    const good: W[] = [];
    const broken: { one: W; why: string }[] = [];
    for (const one of list) {
      try {
        await bundle([one]);
        good.push(one);
      } catch (error) {
        broken.push({ one, why: whyOf(error as BuildFailure, one.specifier) });
      }
    }
    return good.length > 0 ? { good, made: await bundle(good), broken } : { good, broken };
  }
}

async function bundled(list: readonly Wanted[]): Promise<OutputFile[]> {
  return buildForPage({
    entryPoints: Object.fromEntries(list.map((_, index) => [`package-${index}`, `wanted:${index}`])),
    bundle: true,
    splitting: true,
    format: 'esm',
    platform: 'browser',
    target: 'es2022',
    outdir: resolve('/bundled'),
    define: { 'process.env.NODE_ENV': '"development"', global: 'globalThis' },
    loader: LOADERS,
    logLevel: 'silent',
    plugins: [wantedModules(list), sheets],
  });
}

/** A module for each that is wanted, which hands on all that it exports, whatever kind of module it is. */
export function wantedModules(list: readonly Wanted[]): Plugin {
  return {
    name: 'wanted',
    setup({ onResolve, onLoad }) {
      onResolve({ filter: /^wanted:/ }, ({ path }) => ({ path: path.slice('wanted:'.length), namespace: 'wanted' }));
      onLoad({ filter: /.*/, namespace: 'wanted' }, ({ path }) => {
        const { specifier, from } = list[Number(path)]!;
        return {
          contents: `import * as all from ${JSON.stringify(specifier.replace(/[?#].*$/, ''))};\nexport { all };`,
          resolveDir: dirname(from),
        };
      });
    },
  };
}

/** A style sheet that is imported comes into the document. */
export const sheets: Plugin = {
  name: 'sheets',
  setup({ onLoad }) {
    onLoad({ filter: /\.css$/ }, async ({ path }) => {
      const { outputFiles } = await build({
        ...{ entryPoints: [path], bundle: true, write: false, loader: LOADERS, logLevel: 'silent' },
      });
      const text = JSON.stringify(outputFiles[0]!.text);
      return {
        contents: `const sheet = document.createElement('style');\nsheet.textContent = ${text};\ndocument.head.append(sheet);\nexport default ${text};`,
        loader: 'js',
      };
    });
  },
};

function whyOf({ errors, message }: BuildFailure, specifier: string): string {
  const [first] = errors ?? [];
  const at = first?.location ? ` (${first.location.file}:${first.location.line})` : '';
  return `'${specifier}' cannot be bundled for a page: ${first?.text ?? message}${at}`;
}
