/**
 * Modules of Node in a page: those that a browser can answer are packages that do the same; of the others there is what
 * can be imported, and says so when it is called. Many packages ask for more than they use.
 */
import { createRequire, isBuiltin } from 'node:module';
import { isAbsolute } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build, type BuildOptions, type OutputFile, type Plugin } from 'esbuild';

const require = createRequire(import.meta.url);

/** By the names of modules, without `node:`: what does the same. */
const ANSWERS: Record<string, string> = {
  assert: 'assert/',
  'assert/strict': 'assert/',
  buffer: 'buffer/',
  events: 'events/',
  path: 'path-browserify',
  'path/posix': 'path-browserify',
  process: 'process/browser.js',
  querystring: 'querystring-es3',
  stream: 'readable-stream',
  string_decoder: 'string_decoder/',
  url: 'url/',
  util: 'util/',
};

const nameOf = (specifier: string): string => specifier.replace(/^node:/, '');

/** True for a module of Node that a browser can answer. */
export function isAnswered(specifier: string): boolean {
  return isBuiltin(specifier) && Object.hasOwn(ANSWERS, nameOf(specifier));
}

/** Globals of Node, for packages that are written for it. */
const GLOBALS = fileURLToPath(new URL('node-globals.js', import.meta.url));

/** @param used called for each module of Node that is wanted */
function nodeModules(used: () => void): Plugin {
  return {
    name: 'node-modules',
    setup(bundling) {
      bundling.onResolve({ filter: /^[a-z]/ }, async ({ path, importer, resolveDir, kind, pluginData }) => {
        if (!isBuiltin(path) || pluginData === bundling) return undefined;
        if (!path.startsWith('node:')) {
          // A package of that name, or what a manifest says for browsers, comes first.
          const found = await bundling.resolve(path, { importer, resolveDir, kind, pluginData: bundling });
          const isFile = found.namespace === 'file' && isAbsolute(found.path);
          if (found.errors.length === 0 && isFile) return found;
          // A manifest says that a browser has nothing of it.
          if (found.errors.length === 0 && !found.external) return { path, namespace: 'nothing' };
        }
        used();
        const answer = ANSWERS[nameOf(path)];
        return answer === undefined
          ? { path: nameOf(path), namespace: 'absent' }
          : { path: require.resolve(answer), namespace: 'file' };
      });
      bundling.onLoad({ filter: /.*/, namespace: 'nothing' }, () => ({ contents: 'module.exports = {};' }));
      bundling.onLoad({ filter: /.*/, namespace: 'absent' }, ({ path }) => ({ contents: absent(path) }));
    },
  };
}

/** A module whose parts can be had, and do nothing but say that they are missing. */
function absent(name: string): string {
  return `const part = (path) => {
  const say = () => { throw new Error(path + ' is of a module of Node, and this is a page: it is not there. Run the pad in Node, or do without.'); };
  const made = new Proxy(function () {}, {
    get: (own, key) => typeof key === 'symbol' || key === 'then' || key === '__esModule' ? undefined : key === 'prototype' || Object.hasOwn(own, key) ? own[key] : part(path + '.' + key),
    getPrototypeOf: () => made,
    has: () => true,
    apply: say,
    construct: say,
  });
  return made;
};
module.exports = part(${JSON.stringify(name)});`;
}

/**
 * Bundles for a page; packages that are written for Node find what a browser has of it.
 *
 * @throws BuildFailure as the bundler does
 */
export async function buildForPage(options: BuildOptions): Promise<OutputFile[]> {
  let isForNode = false;
  const plugins = [...(options.plugins ?? []), nodeModules(() => (isForNode = true))];
  const { outputFiles } = await build({ ...options, plugins, write: false });
  // Whoever asks for none of its modules finds out by its globals that this is no Node.
  if (!isForNode) return outputFiles;
  const inject = [...(options.inject ?? []), GLOBALS];
  const define = { ...options.define, __dirname: '"/"', __filename: '"/index.js"' };
  return (await build({ ...options, plugins, inject, define, write: false })).outputFiles;
}
