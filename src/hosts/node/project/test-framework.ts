/** The test framework of a project, and where the parts of it lie that run tests. */
import { readFileSync, statSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import type { FrameworkName } from '../../../syntax/tests.js';
import type { FrameworkPlace, FrameworkSettings } from '../../../wire/runs.js';
import { settingsOf } from './framework-settings.js';

const NAMES: readonly FrameworkName[] = ['vitest', 'jest', 'mocha', 'jasmine'];

interface Manifest {
  scripts?: Record<string, unknown>;
  dependencies?: Record<string, unknown>;
  devDependencies?: Record<string, unknown>;
  [name: string]: unknown;
}

/** Milliseconds for which settings that were read are taken to be the same. */
const SETTINGS_MS = 1_000;

/** Finds frameworks; what was found holds as long as the manifests around stay the same. */
export class TestFrameworks {
  private readonly settings = new Map<string, { at: number; settings: FrameworkSettings | undefined }>();
  private readonly found = new Map<string, { stamp: string; place: FrameworkPlace | undefined }>();

  /** @param careful settings that have to be executed to be known are left alone */
  constructor(private readonly careful = false) {}

  /**
   * The framework of a file, with its parts; undefined where there is none, or it is not installed.
   *
   * @param name the one that it imports; undefined for the one that the project uses
   */
  of(file: string, name: FrameworkName | undefined): FrameworkPlace | undefined {
    const place = this.installed(file, name);
    if (!place || this.careful) return place;
    const settings = this.settingsOf(place.name, file);
    if (!settings) return place;
    return { ...place, settings, ...(settings.gap === undefined ? {} : { gap: settings.gap }) };
  }

  private settingsOf(name: FrameworkName, file: string): FrameworkSettings | undefined {
    const known = this.settings.get(file);
    const now = Date.now();
    if (known && now - known.at < SETTINGS_MS) return known.settings;
    const settings = settingsOf(name, file);
    this.settings.set(file, { at: Date.now(), settings });
    return settings;
  }

  private installed(file: string, name: FrameworkName | undefined): FrameworkPlace | undefined {
    const folder = dirname(file);
    const key = `${folder}\n${name ?? ''}`;
    const known = this.found.get(key);
    const stamp = stampOf(folder);
    if (known?.stamp === stamp) return known.place;
    const used = name ?? frameworkIn(folder);
    const packages = used && partsOf(used, file);
    const place = used && packages ? { name: used, packages } : undefined;
    this.found.set(key, { stamp, place });
    return place;
  }
}

/** Differs when a manifest around the folder does. */
function stampOf(folder: string): string {
  const stamps: string[] = [];
  eachManifest(folder, (path) => {
    const { mtimeMs, size } = statSync(path);
    stamps.push(`${path} ${mtimeMs} ${size}`);
    return undefined;
  });
  return stamps.join('\n');
}

/** The nearest that a manifest around the folder names: in its scripts, its settings, then what is installed. */
function frameworkIn(folder: string): FrameworkName | undefined {
  return eachManifest(folder, (path) => {
    const manifest = JSON.parse(readFileSync(path, 'utf8')) as Manifest;
    const { test, ...others } = manifest.scripts ?? {};
    for (const script of [test, ...Object.values(others)]) {
      const found =
        typeof script === 'string' ? NAMES.find((name) => new RegExp(`\\b${name}\\b`).test(script)) : undefined;
      if (found) return found;
    }
    const installed = { ...manifest.dependencies, ...manifest.devDependencies };
    return NAMES.find((name) => name in installed || manifest[name] !== undefined);
  });
}

/** Calls `look` with the manifests from a folder up, until it finds something; those that cannot be read are passed over. */
function eachManifest<T>(folder: string, look: (path: string) => T | undefined): T | undefined {
  for (let at = folder; ; at = dirname(at)) {
    try {
      const found = look(join(at, 'package.json'));
      if (found !== undefined) return found;
    } catch {
      // None here, or none that can be read.
    }
    if (dirname(at) === at) return undefined;
  }
}

/** The parts of a framework, in the order in which they are loaded; undefined where it is not installed. */
function partsOf(name: FrameworkName, file: string): FrameworkPlace['packages'] | undefined {
  try {
    switch (name) {
      case 'jest':
        return jestParts(file);
      case 'vitest': {
        const main = createRequire(file).resolve('vitest/package.json');
        return [
          { specifier: 'vitest', from: file },
          { specifier: '@vitest/runner', from: main },
        ];
      }
      case 'mocha':
        createRequire(file).resolve('mocha');
        return [{ specifier: 'mocha', from: file }];
      case 'jasmine':
        return [{ specifier: 'jasmine-core', from: through(file, ['jasmine']) ?? file }];
    }
  } catch {
    return undefined;
  }
}

/**
 * The framework's own way from its main package to what runs one file. Package managers that keep each package to
 * itself let a package see only what it names itself.
 */
function jestParts(file: string): FrameworkPlace['packages'] | undefined {
  const config = through(file, ['jest', 'jest-cli', 'jest-config']) ?? file;
  const circus = through(config, ['jest-circus']);
  if (circus === undefined) return undefined;
  const runtime = through(circus, ['jest-runtime']) ?? through(config, ['jest-runner', 'jest-runtime']) ?? circus;
  return [
    { specifier: 'jest-circus', from: config },
    // Until 27, what expects had no package of its own.
    { specifier: through(circus, ['@jest/expect']) === undefined ? 'expect' : '@jest/expect', from: circus },
    { specifier: 'jest-snapshot', from: circus },
    { specifier: 'jest-mock', from: runtime },
    { specifier: '@jest/fake-timers', from: runtime },
  ];
}

/** The main file of the last of some packages, each resolved from the one before it. */
function through(from: string, packages: readonly string[]): string | undefined {
  let at = from;
  try {
    for (const one of packages) at = createRequire(at).resolve(one);
    return at;
  } catch {
    return undefined;
  }
}
