/** Packages of a published pad, bundled into one script for a page. */
import { isBuiltin } from 'node:module';
import { dirname } from 'node:path';
import type { Wanted } from '../../hosts/pages/frame-way.js';
import { buildForPage, isAnswered } from '../../hosts/pages/node-modules.js';
import { bundledWithoutBroken, LOADERS, sheets, wantedModules } from '../../hosts/pages/packages.js';
import { packageImports } from '../../syntax/imports.js';
import { outlineOfText } from '../../syntax/outlined.js';

/** Answered by the page itself. */
const ANSWERED = /^(?:node:)?assert(?:\/strict)?$/;

/**
 * @param files whose imports are looked at
 * @param nameOf the path of a file in the page
 * @param more what is wanted besides
 * @returns the specifiers; a script that declares an object `packages`, by specifier and folder; and why those that are
 * missing in it are, by the same
 */
export async function publishPackages(
  files: readonly string[],
  textOf: (file: string) => string,
  nameOf: (path: string) => string,
  more: readonly Wanted[] = [],
): Promise<{ names: string[]; code: string; broken?: Record<string, string> }> {
  const wanted = new Map<string, Wanted & { key: string }>();
  const want = (specifier: string, from: string): void => {
    if (ANSWERED.test(specifier)) return;
    const key = `${specifier}\n${nameOf(dirname(from)).replace(/\/$/, '')}`;
    wanted.set(key, { key, specifier, from });
  };
  for (const file of files) {
    if (/\.json$/.test(file)) continue;
    const text = textOf(file);
    for (const { specifier } of [...packageImports(file, text), ...required(text), ...ofNode(text, file)])
      want(specifier, file);
  }
  for (const { specifier, from } of more) want(specifier, from);
  const { good, made, broken } = await bundledWithoutBroken([...wanted.values()], bundled);
  return {
    names: [...new Set(good.map(({ specifier }) => specifier))],
    code: made ?? '',
    ...(broken.length === 0 ? {} : { broken: Object.fromEntries(broken.map(({ one, why }) => [one.key, why])) }),
  };
}

/** @throws a failure of the bundler */
async function bundled(list: readonly (Wanted & { key: string })[]): Promise<string> {
  if (list.length === 0) return '';
  const entry = [
    ...list.map((_, index) => `import { all as package${index} } from 'wanted:${index}';`),
    `export const all = { ${list.map(({ key }, index) => `${JSON.stringify(key)}: package${index}`).join(', ')} };`,
  ].join('\n');
  const [made] = await buildForPage({
    stdin: { contents: entry, resolveDir: dirname(list[0]!.from), loader: 'js' },
    ...{ bundle: true, format: 'iife', globalName: 'bundled', platform: 'browser', target: 'es2022' },
    define: { 'process.env.NODE_ENV': '"production"', global: 'globalThis' },
    minify: true,
    logLevel: 'silent',
    loader: LOADERS,
    plugins: [wantedModules(list), sheets],
  });
  return `${made!.text};var packages=bundled.all;`;
}

/** Modules of Node that a browser can answer. */
function ofNode(text: string, file: string): { specifier: string }[] {
  return (outlineOfText(text, file)?.imports ?? []).filter(
    ({ specifier, typeOnly }) => !typeOnly && isAnswered(specifier),
  );
}

/** Packages that a script asks for by their names. */
function required(text: string): { specifier: string }[] {
  return [...text.matchAll(/\brequire\(\s*(['"])([^'"]+)\1\s*\)/g)].flatMap(([, , specifier]) =>
    /^[./#]|^usher-anvil\//.test(specifier!) || (isBuiltin(specifier!) && !isAnswered(specifier!))
      ? []
      : [{ specifier: specifier! }],
  );
}
