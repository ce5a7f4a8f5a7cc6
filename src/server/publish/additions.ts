/** What the project of a published pad adds: languages, marks and views, bundled into one script for a page. */
import { dirname } from 'node:path';
import { build, type BuildFailure } from 'esbuild';
import { additionsFor, configFor } from '../../hosts/node/project/additions.js';
import { type LanguageLook, lookOf } from '../../instrument/made-code.js';
import { AnvilError } from '../../syntax/problems.js';

export interface PublishedAdditions {
  code: string;
  languages: LanguageLook[];
}

/** Kinds that a page has: processes are started where the project is. */
const KINDS = ['languages', 'verbs', 'views'] as const;

/**
 * @returns undefined where the project of a folder adds nothing that a page can have
 * @throws AnvilError `E_NO_PACKAGE` for what cannot be bundled for a page
 */
export async function publishAdditions(folder: string): Promise<PublishedAdditions | undefined> {
  const file = configFor(folder);
  const all = additionsFor(folder);
  const modules = KINDS.flatMap((kind) => all[kind].map(({ from }) => ({ kind, from })));
  if (file === undefined || modules.length === 0) return undefined;
  const lists = KINDS.map(
    (kind) => `${kind}: [${modules.flatMap((one, index) => (one.kind === kind ? [`one${index}`] : [])).join(', ')}]`,
  );
  const entry = [
    ...modules.map(({ from }, index) => `import one${index} from ${JSON.stringify(from)};`),
    `export default { ${lists.join(', ')} };`,
  ].join('\n');
  try {
    const { outputFiles } = await build({
      stdin: { contents: entry, resolveDir: dirname(file), loader: 'js' },
      ...{ bundle: true, write: false, format: 'iife', globalName: 'bundled', platform: 'browser', target: 'es2022' },
      define: { 'process.env.NODE_ENV': '"production"', global: 'globalThis' },
      // A compiler's file for browsers is at times a script that sets a global; its module is none.
      mainFields: ['module', 'browser', 'main'],
      ...{ minify: true, logLevel: 'silent' },
    });
    return {
      code: `${outputFiles[0]!.text};var additions=bundled.default;`,
      languages: all.languages.map(({ plugin }) => lookOf(plugin)),
    };
  } catch (error) {
    const [first] = (error as BuildFailure).errors ?? [];
    throw new AnvilError(
      'E_NO_PACKAGE',
      `What the project adds cannot be had in a page: ${first?.text ?? String(error)}`,
      {
        cause: error,
      },
    );
  }
}
