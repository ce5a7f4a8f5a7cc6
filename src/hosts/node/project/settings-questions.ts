/** What is asked of each framework about a project's settings, and what its answer means. */
import { isAbsolute, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { resolve as resolveImport } from 'import-meta-resolve';
import { z } from 'zod';
import type { FrameworkName } from '../../../syntax/tests.js';
import type { FrameworkSettings } from '../../../wire/runs.js';
import { binOf } from './test-script.js';
import { JEST_SETTINGS, VITEST_SETTINGS } from './settings-scripts.js';

export interface SettingsQuestion {
  /** A module that writes the answer to the file that is its first argument; behind `args`, the test file. */
  script: string;
  args: string[];
  /** @throws where the answer is none */
  read(answer: unknown): { settings: FrameworkSettings; files: string[] };
}

/** @throws Error where the framework is not installed */
export function settingsQuestion(name: FrameworkName, file: string): SettingsQuestion {
  return name === 'vitest'
    ? {
        script: VITEST_SETTINGS,
        args: [resolveImport('vitest/node', pathToFileURL(file).href)],
        read: (answer) => readVitest(vitestAnswer.parse(answer)),
      }
    : { script: JEST_SETTINGS, args: [binOf(name, file)], read: (answer) => readJest(jestAnswer.parse(answer)) };
}

const record = z.record(z.string(), z.unknown());
const vitestAnswer = z.object({
  config: record,
  environment: z.string().nullish(),
  environmentOptions: record.nullish(),
  setup: z.array(z.string()),
  globalSetup: z.boolean(),
  browser: z.boolean(),
  alias: z.array(
    z.object({
      text: z.string().optional(),
      pattern: z.string().optional(),
      flags: z.string().optional(),
      to: z.string(),
    }),
  ),
  define: record,
  env: record.nullish(),
  root: z.string(),
  files: z.array(z.string()),
});

/** Environments that a pad's thread can have. */
const ENVIRONMENTS = new Set(['node', 'jsdom', 'happy-dom']);

function readVitest(answer: z.infer<typeof vitestAnswer>): { settings: FrameworkSettings; files: string[] } {
  const { config, environment, environmentOptions, setup, globalSetup, browser, alias, define, env, root, files } =
    answer;
  const name = environment ?? 'node';
  const gap = browser
    ? 'its settings have a browser for environment'
    : !ENVIRONMENTS.has(name)
      ? `its environment is ${name}`
      : globalSetup
        ? 'its settings have globalSetup'
        : undefined;
  const optionKey = name === 'happy-dom' ? 'happyDOM' : name;
  return {
    settings: {
      ...(name === 'node' ? {} : { environment: { name, options: optionsFrom(environmentOptions?.[optionKey]) } }),
      setup: setup.map((one) => (isAbsolute(one) ? one : resolve(root, one))),
      mapped: alias.flatMap(mappedAlias),
      assets: 'addresses',
      config: { ...config, root },
      // What is defined by name is there by that name; other expressions are the bundler's alone.
      globals: Object.fromEntries(
        [
          ...Object.entries(define).map(([key, value]): [string, unknown] => [key, defined(value)]),
          // What Vitest has taken out of there, and evaluated.
          ...Object.entries((config.defines ?? {}) as Record<string, unknown>),
        ].filter(([key]) => /^[A-Za-z_$][\w$]*$/.test(key)),
      ),
      env: { ...(env ?? {}), MODE: env?.MODE ?? 'test' },
      ...(gap === undefined ? {} : { gap }),
    },
    files,
  };
}

function optionsFrom(value: unknown): Record<string, unknown> {
  return typeof value === 'object' && value !== null ? (value as Record<string, unknown>) : {};
}

/** Text is an expression: constants among them are what they say. */
function defined(value: unknown): unknown {
  if (typeof value !== 'string') return value;
  try {
    return JSON.parse(value) as unknown;
  } catch {
    return value === 'undefined' ? undefined : value;
  }
}

function mappedAlias({
  text,
  pattern,
  flags,
  to,
}: {
  text?: string | undefined;
  pattern?: string | undefined;
  flags?: string | undefined;
  to: string;
}): FrameworkSettings['mapped'] {
  // Those of the bundler itself lead to its own files.
  if (/@vite|vite\/client|vite\/dist/.test(pattern ?? text ?? '') || /vite\/dist|@vite/.test(to)) return [];
  if (pattern !== undefined) return [{ pattern, flags: flags ?? '', to: [to] }];
  const escaped = text!.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
  return [{ pattern: `^${escaped}(?=/|$)`, flags: '', to: [to.replaceAll('$', '$$$$')] }];
}

const jestConfig = z.looseObject({
  rootDir: z.string(),
  automock: z.boolean().nullish(),
  globals: record.nullish(),
  moduleNameMapper: z.array(z.tuple([z.string(), z.union([z.string(), z.array(z.string())])])).nullish(),
  setupFiles: z.array(z.string()).nullish(),
  setupFilesAfterEnv: z.array(z.string()).nullish(),
  globalSetup: z.string().nullish(),
  testEnvironment: z.string(),
  testEnvironmentOptions: record.nullish(),
  testRunner: z.string().nullish(),
  resolver: z.string().nullish(),
});
const jestAnswer = z.object({ config: jestConfig, global: z.looseObject({ globalSetup: z.string().nullish() }) });

function readJest({ config, global }: z.infer<typeof jestAnswer>): { settings: FrameworkSettings; files: string[] } {
  const { testEnvironment, testRunner, rootDir } = config;
  const name = /jest-environment-(node|jsdom)\b/.exec(testEnvironment)?.[1];
  const gap =
    name === undefined
      ? `its environment is ${testEnvironment.split('/').slice(-2).join('/')}`
      : testRunner && !/circus/.test(testRunner)
        ? 'its settings have a testRunner'
        : (config.globalSetup ?? global.globalSetup)
          ? 'its settings have globalSetup'
          : config.automock
            ? 'its settings have automock'
            : undefined;
  const inRoot = (text: string): string => text.replaceAll('<rootDir>', rootDir);
  return {
    settings: {
      ...(name === 'node' || name === undefined
        ? {}
        : { environment: { name, module: testEnvironment, options: config.testEnvironmentOptions ?? {} } }),
      setup: [...(config.setupFiles ?? []), ...(config.setupFilesAfterEnv ?? [])],
      mapped: (config.moduleNameMapper ?? []).map(([pattern, to]) => ({
        pattern,
        flags: '',
        to: [to].flat().map(inRoot),
      })),
      assets: 'none',
      config: { ...config, ...global, rootDir },
      globals: config.globals ?? {},
      env: {},
      ...(gap === undefined ? {} : { gap }),
    },
    files: [],
  };
}
