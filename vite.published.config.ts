import react from '@vitejs/plugin-react';
import { existsSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { defineConfig, type Plugin } from 'vite';

const source = fileURLToPath(new URL('src', import.meta.url));
const platform = resolve(source, 'published/platform');
/** Modules of the workbench that need Node, and what stands in their place in a page. */
const INSTEAD: Record<string, string> = {
  'hosts/node/index': 'sessions',
  'hosts/node/files': 'files',
  'hosts/node/alive': 'alive',
  'hosts/node/project/additions': 'additions',
  'hosts/node/project/languages': 'languages',
  'hosts/node/saving': 'saving',
  'hosts/node/saved-files': 'saved-files',
  'hosts/node/types': 'types',
  'hosts/node/packages': 'packages',
  'hosts/node/package-versions': 'package-versions',
  'hosts/node/comparing/pad-ways': 'comparing',
  'hosts/pages/index': 'pages',
  'workbench/two-texts': 'two-texts',
  'workbench/serves': 'live-parts',
  'workbench/page-view': 'page-view',
  'workbench/prompt': 'live-parts',
  'syntax/page-text': 'page-text',
  'server/start/examples': 'examples',
  'server/start/templates': 'templates',
  'server/targets': 'targets',
  'server/share': 'share',
  'server/workbench/live-actions': 'live-server',
  'server/workbench/live-subject': 'live-server',
  'server/workbench/entries': 'live-server',
  'server/workbench/slower': 'live-server',
  'server/workbench/last-pages': 'live-server',
  'workbench/start-page': 'live-parts',
};

function instead(): Plugin {
  return {
    name: 'instead',
    enforce: 'pre',
    resolveId(specifier, importer) {
      if (specifier === 'node:path') return this.resolve('pathe');
      if (specifier.startsWith('node:')) return resolve(platform, `${specifier.slice(5)}.ts`);
      if (!importer || !specifier.startsWith('.')) return null;
      const path = resolve(dirname(importer), specifier.replace(/\.js$/, ''));
      const name = INSTEAD[path.slice(source.length + 1)];
      if (name !== undefined)
        return resolve(platform, existsSync(resolve(platform, `${name}.tsx`)) ? `${name}.tsx` : `${name}.ts`);
      for (const extension of ['.ts', '.tsx'])
        if (specifier.endsWith('.js') && existsSync(path + extension)) return path + extension;
      return null;
    },
  };
}

/** The library of schemas can write them as JSON Schema as well: what does that gives nothing here. */
function withoutJsonSchema(): Plugin {
  return {
    name: 'without-json-schema',
    transform(code, id) {
      if (!/[\\/]zod[\\/]v4[\\/]core[\\/](?:to-json-schema|json-schema-(?:processors|generator))\.js$/.test(id))
        return null;
      const names = [...code.matchAll(/^export (?:const|function|class) (\w+)/gm)].map(([, name]) => name);
      return {
        code: `const none = () => () => undefined;\n${names.map((name) => `export const ${name} = none;`).join('\n')}`,
        map: null,
      };
    },
  };
}

export default defineConfig({
  root: 'src/published',
  base: './',
  plugins: [instead(), withoutJsonSchema(), react()],
  // The same components, by a library that does the same in a tenth of the bytes.
  resolve: {
    alias: [
      { find: /^react-dom\/client$/, replacement: 'preact/compat/client' },
      { find: /^react-dom$/, replacement: 'preact/compat' },
      { find: /^react\/jsx-runtime$/, replacement: 'preact/jsx-runtime' },
      { find: /^@codemirror\/lang-(?:html|css)$/, replacement: resolve(platform, 'no-language.ts') },
      { find: /^react$/, replacement: 'preact/compat' },
      { find: /^uplot$/, replacement: resolve(platform, 'uplot.ts') },
    ],
  },
  build: {
    outDir: '../../dist/published',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false },
    chunkSizeWarningLimit: 4000,
    rollupOptions: {
      output: { entryFileNames: 'page.js', assetFileNames: 'page[extname]', codeSplitting: false },
    },
  },
});
