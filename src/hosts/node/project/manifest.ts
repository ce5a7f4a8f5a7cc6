/** What is wrong with the `package.json` of a project, or with a package that is installed. */
import { existsSync, readFileSync, statSync } from 'node:fs';
import { basename, dirname, join, relative } from 'node:path';
import { AnvilError } from '../../../syntax/problems.js';
import { jsonProblem } from '../../../syntax/json-problem.js';

/** The nearest `package.json` at or above a folder, where it is no JSON. */
export function wrongManifest(folder: string): { file: string; message: string } | undefined {
  for (let at = folder; ; at = dirname(at)) {
    const file = join(at, 'package.json');
    let text: string | undefined;
    try {
      text = readFileSync(file, 'utf8');
      JSON.parse(text);
      return undefined;
    } catch (error) {
      if (text !== undefined) return { file, message: jsonProblem(text, (error as Error).message) };
      // None here.
    }
    if (dirname(at) === at || basename(at) === 'node_modules') return undefined;
  }
}

/**
 * Looks at what the engine reads before it starts anything.
 *
 * @throws AnvilError `E_PROJECT` where the nearest `package.json` is no JSON
 */
export function checkProject(folder: string): void {
  const wrong = wrongManifest(folder);
  if (wrong)
    throw new AnvilError('E_PROJECT', `${wrong.file} ${wrong.message}. Nothing can start here until it is mended.`);
}

/**
 * What is missing of a package that is installed, with what to do; undefined where nothing is that can be told.
 *
 * @param folder of the package
 */
export function brokenPackage(folder: string, specifier: string, name: string): string | undefined {
  const mend = 'It is installed only in part. Install it again: npm install';
  if (!existsSync(join(folder, 'package.json')))
    // Without one a folder may be a package all the same, of its files.
    return specifier === name && !existsSync(join(folder, 'index.js'))
      ? `the package '${name}' has no package.json in ${folder}. ${mend}`
      : undefined;
  let main: unknown;
  try {
    const manifest = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')) as Record<string, unknown>;
    if (manifest.exports !== undefined) return undefined;
    main = manifest.main ?? 'index.js';
  } catch {
    return `the package.json of '${name}' in ${folder} is no JSON. ${mend}`;
  }
  if (specifier !== name || typeof main !== 'string') return undefined;
  const path = join(folder, main);
  const candidates = [
    path,
    `${path}.js`,
    `${path}.json`,
    `${path}.node`,
    join(path, 'index.js'),
    join(folder, 'index.js'),
  ];
  if (candidates.some((one) => statSync(one, { throwIfNoEntry: false })?.isFile())) return undefined;
  return `the package '${name}' has no ${relative(folder, path)} in ${folder}. ${mend}`;
}
