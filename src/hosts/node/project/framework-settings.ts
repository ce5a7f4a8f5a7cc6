/** What a project's settings of its test framework ask for that a pad's thread does not have. */
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { FrameworkName } from '../../../syntax/tests.js';

const FILES: Partial<Record<FrameworkName, RegExp>> = {
  jest: /^jest\.config\.(?:[cm]?[jt]s|json)$/,
  vitest: /^vite(?:st)?\.config\.[cm]?[jt]s$/,
};

/** Settings as they are written, with why tests then need the framework itself. */
const ASKED: readonly [RegExp, (found: string) => string][] = [
  [
    /["']?\b(?:testEnvironment|environment)["']?\s*:\s*["'`]((?!node["'`])[^"'`]+)/,
    (found) => `its environment is ${found}`,
  ],
  [
    /["']?\b(setupFiles|setupFilesAfterEnv|globalSetup|snapshotSerializers|moduleNameMapper|preset)["']?\s*:/,
    (found) => `its settings have ${found}`,
  ],
];

/** Presets that translate files, and ask for nothing else. */
const TRANSLATING = /["']?\bpreset["']?\s*:\s*["'`](?:ts-jest|@swc\/jest)[^"'`]*["'`]/;

/**
 * Why the tests of a file need the framework itself; undefined where its settings ask for nothing of the kind. Settings
 * that are computed are not seen here: then the framework's own results tell of the difference.
 */
export function settingsGap(name: FrameworkName, file: string): string | undefined {
  const text = settingsText(name, file)?.replace(TRANSLATING, '');
  if (text === undefined) return undefined;
  for (const [pattern, words] of ASKED) {
    const found = pattern.exec(text);
    if (found) return words(found[1]!);
  }
  return undefined;
}

/** The text of the nearest settings around a file; comments are left out. */
function settingsText(name: FrameworkName, file: string): string | undefined {
  const pattern = FILES[name];
  if (!pattern) return undefined;
  for (let at = dirname(file); ; at = dirname(at)) {
    try {
      // A file for tests alone comes before one of the bundler.
      const [found] = readdirSync(at)
        .filter((one) => pattern.test(one))
        .sort((a, b) => b.length - a.length);
      if (found !== undefined)
        return readFileSync(join(at, found), 'utf8').replace(/\/\*[\s\S]*?\*\/|(?<=^|[\s,;{}])\/\/.*$/gm, '');
      const { jest } = JSON.parse(readFileSync(join(at, 'package.json'), 'utf8')) as { jest?: unknown };
      if (name === 'jest' && jest !== undefined) return JSON.stringify(jest);
    } catch {
      // Nothing that can be read here.
    }
    if (dirname(at) === at) return undefined;
  }
}
