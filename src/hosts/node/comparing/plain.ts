/**
 * A file with its local modules as one plain module: what is timed is the person's code as written, and nothing of ours.
 */
import { readFileSync } from 'node:fs';
import { isBuiltin } from 'node:module';
import { dirname, join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Plugin } from 'esbuild';
import { PAD_FACE } from './pad-module.js';
import { AnvilError } from '../../../syntax/problems.js';

/** How a file asks for its own address; put together, for our own build writes that anew. */
const ASKS = ['import', 'meta', 'url'].join('.');
/** A name for that address. */
const OWN_URL = 'usherAnvilOwnUrl';
const LOADERS: Readonly<Record<string, 'ts' | 'tsx' | 'jsx' | 'js' | 'json'>> = {
  ...{ '.ts': 'ts', '.mts': 'ts', '.cts': 'ts', '.tsx': 'tsx', '.jsx': 'jsx' },
  ...{ '.js': 'jsx', '.mjs': 'js', '.cjs': 'js', '.json': 'json' },
};

/** Texts of local files, in place of those on disk; undefined where that one counts. */
export type Texts = (file: string) => string | undefined;

/** Files of which each becomes a module: names of those, without what is behind the last dot, with absolute paths. */
export type Entries = Readonly<Record<string, string>>;

/**
 * Writes each entry as a plain module of its name; what several import is one module for them.
 *
 * @throws AnvilError `E_COMPARE` for code that cannot be put together
 */
export async function writePlain(entries: Entries, folder: string, texts: Texts = () => undefined): Promise<void> {
  const { build } = await import('esbuild');
  const [first] = Object.values(entries);
  const cwd = dirname(first!);
  try {
    await build({
      entryPoints: { ...entries },
      absWorkingDir: cwd,
      bundle: true,
      splitting: true,
      outdir: folder,
      outExtension: { '.js': '.mjs' },
      format: 'esm',
      platform: 'node',
      target: `node${process.versions.node}`,
      logLevel: 'silent',
      define: { [ASKS]: OWN_URL },
      banner: {
        js: `import{createRequire as usherAnvilRequire}from'node:module';const require=usherAnvilRequire(${JSON.stringify(pathToFileURL(first!).href)});`,
      },
      plugins: [packagesApart(), localTexts(texts)],
    });
  } catch (error) {
    const [told] =
      (error as { errors?: { text: string; location: { file: string; line: number } | null }[] }).errors ?? [];
    if (!told) throw error;
    const place = told.location ? ` (${join(cwd, told.location.file)}:${told.location.line})` : '';
    throw new AnvilError('E_COMPARE', `It cannot be compared: ${told.text}${place}`);
  }
}

/** Packages stay what they are, found from the file that imports them. */
function packagesApart(): Plugin {
  return {
    name: 'packages',
    setup({ onResolve, resolve }) {
      onResolve({ filter: /^[^./]/ }, async ({ path, kind, importer, resolveDir, pluginData }) => {
        if (kind === 'entry-point' || pluginData === 'found' || /^[a-z]:[\\/]/i.test(path)) return undefined;
        if (isBuiltin(path)) return { path, external: true };
        // A pad needs not have us installed.
        if (path === 'usher-anvil/pad') return { path: PAD_FACE, external: true };
        const found = await resolve(path, { kind, importer, resolveDir, pluginData: 'found' });
        if (found.errors.length > 0 || found.external || !/[\\/]node_modules[\\/]/.test(found.path)) return found;
        return { path: kind === 'require-call' ? found.path : pathToFileURL(found.path).href, external: true };
      });
    },
  };
}

/** Local files with the texts that count, each knowing where it lies. */
function localTexts(texts: Texts): Plugin {
  return {
    name: 'texts',
    setup({ onLoad }) {
      onLoad({ filter: /\.[mc]?[jt]sx?$|\.json$/ }, ({ path }) => {
        const text = texts(path) ?? readFileSync(path, 'utf8');
        const loader = LOADERS[/\.[^.]+$/.exec(path)![0]] ?? 'js';
        const own = [
          ...(text.includes(ASKS) ? [`const ${OWN_URL}=${JSON.stringify(pathToFileURL(path).href)};`] : []),
          ...(/\b__(?:dir|file)name\b/.test(text) && loader !== 'json'
            ? [`var __filename=${JSON.stringify(path)},__dirname=${JSON.stringify(dirname(path))};`]
            : []),
        ];
        return { contents: own.join('') + text, loader, resolveDir: dirname(path) };
      });
    },
  };
}
