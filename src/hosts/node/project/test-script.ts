/** The script by which a project runs its test framework. */
import { existsSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, resolve } from 'node:path';
import type { FrameworkName } from '../../../syntax/tests.js';

export interface TestScript {
  /** The folder of the manifest that has it, or the nearest one. */
  folder: string;
  /** What stands behind the framework's name. */
  words: string[];
  /** Variables that stand before it: `NODE_ENV=test`. */
  env: Record<string, string>;
}

/** The nearest script around a file that names a framework; one without words where there is none. */
export function testScript(file: string, framework: string): TestScript {
  let nearest: string | undefined;
  for (let at = dirname(file); ; at = dirname(at)) {
    try {
      const { scripts = {} } = JSON.parse(readFileSync(join(at, 'package.json'), 'utf8')) as {
        scripts?: Record<string, unknown>;
      };
      nearest ??= at;
      const named = new RegExp(`(?:^|[\\s/])_?${framework}(?:\\.m?js)?(?=\\s|$)`);
      for (const script of [scripts.test, ...Object.values(scripts)])
        if (typeof script === 'string') {
          const part = script.split(/&&|\|\||[;|]/).find((one) => named.test(one));
          if (part !== undefined) return { folder: at, ...parsed(part, named) };
        }
    } catch {
      // None here, or none that can be read.
    }
    if (dirname(at) === at) return { folder: nearest ?? dirname(file), words: [], env: {} };
  }
}

function parsed(part: string, named: RegExp): Pick<TestScript, 'words' | 'env'> {
  const at = named.exec(part)!;
  const env: Record<string, string> = {};
  for (const word of wordsOf(part.slice(0, at.index))) {
    const variable = /^([A-Za-z_]\w*)=(.*)$/.exec(word);
    if (variable) env[variable[1]!] = variable[2]!;
  }
  return { words: wordsOf(part.slice(at.index + at[0].length)), env };
}

/** Words of a line as a shell takes them, as far as quotes go. */
function wordsOf(line: string): string[] {
  return [...line.matchAll(/(?:"[^"]*"|'[^']*'|[^\s"'])+/g)].map(([word]) => word.replace(/["']/g, ''));
}

/** Options that say how tests run; others choose files, or how results are printed. */
const KEPT: Record<FrameworkName, RegExp> = {
  jest: /^(?:-c|--config|--env|--rootDir|--preset|--selectProjects|--globals|--transform|--moduleNameMapper)$/,
  vitest: /^(?:-c|--config|-r|--root|--environment|--project|--mode|--pool)$/,
  mocha:
    /^(?:-r|--require|-u|--ui|-t|--timeout|--config|--opts|--package|--extension|--import|-n|--node-option|--loader|--experimental-loader)$/,
  jasmine: /^(?:--config|--helper|--require)$/,
};
/** Of those without a value. */
const KEPT_ALONE = /^(?:--globals|--exit|--async-only|-A|--injectGlobals|--no-isolate)$/;

/** Those of the words behind a framework's name that say how tests run. */
export function keptOptions(name: FrameworkName, words: readonly string[]): string[] {
  const kept: string[] = [];
  for (const [i, word] of words.entries()) {
    const [option = ''] = word.split('=');
    if (KEPT_ALONE.test(word)) kept.push(word);
    else if (KEPT[name].test(option)) kept.push(word, ...(word.includes('=') ? [] : words.slice(i + 1, i + 2)));
  }
  return kept;
}

/** The file that a framework's command runs. */
export function binOf(name: FrameworkName, file: string): string {
  for (let at = dirname(file); ; at = dirname(at)) {
    const path = join(at, 'node_modules', name, 'package.json');
    if (existsSync(path)) {
      const { bin } = JSON.parse(readFileSync(path, 'utf8')) as { bin?: string | Record<string, string> };
      const relative = typeof bin === 'string' ? bin : (bin?.[name] ?? Object.values(bin ?? {})[0]);
      if (relative !== undefined) return resolve(dirname(path), relative);
    }
    if (dirname(at) === at) break;
  }
  // A package manager that keeps packages elsewhere.
  return createRequire(file).resolve(name);
}
