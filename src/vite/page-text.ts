/** The page's side as one text, which the development server gives to its pages. */
import { fileURLToPath } from 'node:url';
import { buildSync } from 'esbuild';

/** Its address; every instrumented module imports it first. */
export const PAGE = '/@usher-anvil/page';

/** The page's side. Debuggers pass over it: a line that is printed is shown where it is printed. */
export function pageText(): { code: string; map: string } {
  const made = buildSync({
    stdin: {
      contents: `import { startPage } from './page.js';
if (import.meta.hot) startPage({ send: (event, data) => import.meta.hot.send(event, data), on: (event, listener) => import.meta.hot.on(event, listener) }, [${JSON.stringify(PAGE)}, '/@vite/client'], import.meta.url);`,
      resolveDir: fileURLToPath(new URL('../hosts/browser', import.meta.url)),
    },
    bundle: true,
    write: false,
    format: 'esm',
    target: 'es2022',
    outfile: 'page.js',
    sourcemap: 'external',
  });
  const text = (suffix: string): string => made.outputFiles.find((file) => file.path.endsWith(suffix))!.text;
  const map = JSON.parse(text('.map')) as { sources: string[] };
  const ignoreList = map.sources.map((_, index) => index);
  // The name in the standard (ECMA-426), and the one that older debuggers read.
  return { code: text('page.js'), map: JSON.stringify({ ...map, ignoreList, x_google_ignoreList: ignoreList }) };
}
