/** A project's settings of its test framework, as the framework itself reads them. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { stripVTControlCharacters } from 'node:util';
import type { FrameworkName } from '../../../syntax/tests.js';
import type { FrameworkSettings } from '../../../wire/runs.js';
import { stateFile, stateFolder, writeState } from '../state-folder.js';
import { settingsQuestion } from './settings-questions.js';
import { keptOptions, testScript } from './test-script.js';

const FILES: Partial<Record<FrameworkName, RegExp>> = {
  jest: /^jest\.config\.(?:[cm]?[jt]s|json)$/,
  vitest: /^vite(?:st)?\.(?:config|workspace)\.[cm]?[jt]s$/,
};

/** Milliseconds after which a framework that does not answer has no settings. */
const LIMIT_MS = 30_000;

/** Answers are kept in this form. */
const VERSION = 1;

interface Kept {
  version: number;
  stamp: string;
  /** Files that the settings were made of, beside those that are known ahead. */
  files: string[];
  settings: FrameworkSettings;
}

const known = new Map<string, Kept>();

/**
 * The settings that count for a file of tests; undefined where the project has none of its own. To ask a framework takes
 * half a second: its answer is remembered, in the folder for what is, as long as the files around stay the same.
 */
export function settingsOf(name: FrameworkName, file: string): FrameworkSettings | undefined {
  const pattern = FILES[name];
  if (!pattern) return undefined;
  const found = settingsFiles(name, pattern, file);
  const script = testScript(file, name);
  const options = keptOptions(name, script.words);
  if (found.length === 0 && options.length === 0) return undefined;
  const path = stateFile(join(stateFolder(), 'frameworks'), `${name}\n${file}`);
  const kept = known.get(path) ?? readKept(path);
  const stamp = (more: readonly string[]): string =>
    [options.join(' '), ...[...found, ...more].map(stampOf)].join('\n');
  if (kept?.version === VERSION && kept.stamp === stamp(kept.files)) {
    known.set(path, kept);
    return kept.settings;
  }
  const { settings, files } = ask(name, file, script.folder, { ...process.env, ...script.env }, options);
  const fresh: Kept = { version: VERSION, stamp: stamp(files), files, settings };
  known.set(path, fresh);
  try {
    writeState(path, JSON.stringify(fresh));
  } catch {
    // It is asked for again the next time.
  }
  return settings;
}

function readKept(path: string): Kept | undefined {
  try {
    return JSON.parse(readFileSync(path, 'utf8')) as Kept;
  } catch {
    return undefined;
  }
}

function stampOf(file: string): string {
  try {
    const { mtimeMs, size } = statSync(file);
    return `${file} ${mtimeMs} ${size}`;
  } catch {
    return file;
  }
}

/** The nearest files around one that hold settings, and the manifests that may; empty where none does. */
function settingsFiles(name: FrameworkName, pattern: RegExp, file: string): string[] {
  const manifests: string[] = [];
  let found: string[] | undefined;
  for (let at = dirname(file); ; at = dirname(at)) {
    try {
      const names = readdirSync(at);
      const own = names.filter((one) => pattern.test(one)).map((one) => join(at, one));
      if (own.length > 0) found ??= own;
      if (names.includes('package.json')) {
        const path = join(at, 'package.json');
        manifests.push(path);
        const manifest = JSON.parse(readFileSync(path, 'utf8')) as Record<string, unknown>;
        if (name === 'jest' && manifest.jest !== undefined) found ??= [];
      }
      for (const beside of names) if (/^(?:babel\.config\.\w+|\.env.*)$/.test(beside)) manifests.push(join(at, beside));
    } catch {
      // Nothing that can be read here.
    }
    if (dirname(at) === at) return found === undefined ? [] : [...found, ...manifests];
  }
}

function ask(
  name: FrameworkName,
  file: string,
  folder: string,
  env: NodeJS.ProcessEnv,
  options: readonly string[],
): { settings: FrameworkSettings; files: string[] } {
  const own = mkdtempSync(join(tmpdir(), 'usher-anvil-settings-'));
  try {
    const answer = join(own, 'settings.json');
    const { script, args, read } = settingsQuestion(name, file);
    const { stderr } = spawnSync(
      process.execPath,
      ['--input-type=module', '-e', script, '--', answer, ...args, file, ...options],
      {
        cwd: folder,
        env: { ...env, NODE_ENV: env.NODE_ENV ?? 'test', NO_COLOR: '1', CI: '1' },
        encoding: 'utf8',
        timeout: LIMIT_MS,
        maxBuffer: 64e6,
      },
    );
    let text: string;
    try {
      text = readFileSync(answer, 'utf8');
    } catch {
      return { settings: unreadable(why(stderr)), files: [] };
    }
    return read(JSON.parse(text));
  } catch (error) {
    return { settings: unreadable((error as Error).message), files: [] };
  } finally {
    rmSync(own, { recursive: true, force: true });
  }
}

function unreadable(reason: string): FrameworkSettings {
  return { setup: [], mapped: [], config: {}, globals: {}, env: {}, gap: `its settings cannot be read: ${reason}` };
}

function why(printed: string): string {
  const lines = stripVTControlCharacters(printed ?? '').split('\n');
  return (
    lines.find((line) => /\b\w*Error\b/.test(line)) ??
    lines.find((line) => line.trim() !== '') ??
    'no answer'
  ).trim();
}
