/** How a project runs its test framework: from its own test script, for one file, with results where we can read them. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { FrameworkPlace } from '../../../wire/runs.js';
import { binOf, keptOptions, testScript } from '../project/test-script.js';
import { JASMINE_REPORTER, MOCHA_REPORTER } from './reporters.js';

export interface OwnCommand {
  args: string[];
  cwd: string;
  env: Record<string, string>;
  /** The file that holds the results afterwards. */
  results: string;
}

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
