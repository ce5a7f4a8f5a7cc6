/** How a project runs its test framework: from its own test script, for one file, with results where we can read them. */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, resolve } from 'node:path';
import type { FrameworkPlace } from '../../../wire/runs.js';
import { testScript } from '../project/test-script.js';
import { JASMINE_REPORTER, MOCHA_REPORTER } from './reporters.js';

export interface OwnCommand {
  args: string[];
  cwd: string;
  env: Record<string, string>;
  /** The file that holds the results afterwards. */
  results: string;
}

/** Options that say how tests run; others choose files, or how results are printed. */
const KEPT: Record<FrameworkPlace['name'], RegExp> = {
  jest: /^(?:-c|--config|--env|--rootDir|--preset|--selectProjects|--globals|--transform|--moduleNameMapper)$/,
  vitest: /^(?:-c|--config|-r|--root|--environment|--project|--mode|--pool)$/,
  mocha:
    /^(?:-r|--require|-u|--ui|-t|--timeout|--config|--opts|--package|--extension|--import|-n|--node-option|--loader|--experimental-loader)$/,
  jasmine: /^(?:--config|--helper|--require)$/,
};
/** Of those without a value. */
const KEPT_ALONE = /^(?:--globals|--exit|--async-only|-A|--injectGlobals|--no-isolate)$/;

/** @throws Error where the framework is not installed */
export function commandOf({ name }: FrameworkPlace, file: string, folder: string): OwnCommand {
  const script = testScript(file, name);
  const cwd = script.folder;
  const bin = binOf(name, file);
  const results = join(folder, 'results.json');
  const kept = keptOptions(name, script.words);
  const env: Record<string, string> = {
    ...script.env,
    NO_COLOR: '1',
    FORCE_COLOR: '0',
    CI: '1',
    NODE_OPTIONS: nodeOptions(script.env),
  };
  switch (name) {
    case 'jest': {
      // New snapshots are never written by us.
      const own = [
        '--ci',
        '--json',
        `--outputFile=${results}`,
        '--coverage=false',
        '--passWithNoTests',
        '--runTestsByPath',
        file,
      ];
      return { args: [bin, ...kept, ...own], cwd, env, results };
    }
    case 'vitest': {
      const own = ['--reporter=json', `--outputFile=${results}`, '--coverage.enabled=false', '--watch=false', file];
      return { args: [bin, 'run', ...kept, ...own], cwd, env, results };
    }
    case 'mocha': {
      const reporter = join(folder, 'reporter.cjs');
      writeFileSync(reporter, MOCHA_REPORTER);
      const own = ['--reporter', reporter, '--reporter-option', `file=${results}`, '--exit', file];
      return { args: [bin, ...kept, ...own], cwd, env, results };
    }
    case 'jasmine': {
      const reporter = join(folder, 'reporter.cjs');
      writeFileSync(reporter, JASMINE_REPORTER);
      return {
        args: [bin, ...kept, '--random=false', `--reporter=${reporter}`, file],
        cwd,
        env: { ...env, ANVIL_RESULTS: results },
        results,
      };
    }
  }
}

function nodeOptions(env: Readonly<Record<string, string>>): string {
  return [process.env.NODE_OPTIONS, env.NODE_OPTIONS].filter(Boolean).join(' ');
}

function keptOptions(name: FrameworkPlace['name'], words: readonly string[]): string[] {
  const kept: string[] = [];
  for (const [i, word] of words.entries()) {
    const [option = ''] = word.split('=');
    if (KEPT_ALONE.test(word)) kept.push(word);
    else if (KEPT[name].test(option)) kept.push(word, ...(word.includes('=') ? [] : words.slice(i + 1, i + 2)));
  }
  return kept;
}

/** The file that a framework's command runs. */
function binOf(name: FrameworkPlace['name'], file: string): string {
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
