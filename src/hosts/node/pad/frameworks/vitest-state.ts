/** What Vitest's code finds in a thread that its main process has begun; here there is none. */
import { existsSync, readFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import type { FrameworkSettings } from '../../../../wire/runs.js';
import type { Loose } from './parts.js';

/** Parts of Vitest take it when they are loaded: there is one for all runs of a thread. */
let made: Loose | undefined;

/** Puts what Vitest's code asks for where it looks; before its modules are loaded, for some do that at once. */
export function putWorkerState(file: string, settings?: FrameworkSettings): Loose {
  made ??= workerState(file);
  Object.assign(made, { filepath: file });
  Object.assign(made.config as Loose, configOf(file), settings?.config, unchanged(settings));
  (made.environment as Loose).name = settings?.environment?.name ?? 'node';
  Object.assign(made.ctx as Loose, { files: [{ filepath: file }] });
  Object.defineProperty(globalThis, '__vitest_worker__', { value: made, writable: true, configurable: true });
  return made;
}

/** What is ours to say, whatever the settings are. */
function unchanged(settings: FrameworkSettings | undefined): Loose {
  const { snapshotOptions } = (settings?.config ?? {}) as { snapshotOptions?: Loose };
  return {
    setupFiles: [],
    allowOnly: true,
    passWithNoTests: true,
    snapshotOptions: { ...READING, ...(snapshotOptions ? { snapshotFormat: snapshotOptions.snapshotFormat } : {}) },
  };
}

/** What holds where the project's settings say nothing. */
function configOf(file: string): Loose {
  const root = dirname(file);
  return {
    root,
    mode: 'test',
    name: '',
    globals: true,
    testTimeout: 5_000,
    hookTimeout: 10_000,
    teardownTimeout: 10_000,
    maxConcurrency: 5,
    retry: 0,
    repeats: 0,
    bail: 0,
    isolate: true,
    logHeapUsage: false,
    chaiConfig: {},
    expect: {},
    benchmark: {},
    tags: [],
    tagsFilter: undefined,
    strictTags: false,
    experimental: { viteModuleRunner: true, importDurations: { limit: 0, print: false, thresholds: {} } },
    diffOptions: {},
    fakeTimers: { loopLimit: 10_000, shouldClearNativeTimers: true },
    sequence: { shuffle: false, concurrent: false, hooks: 'stack', setupFiles: 'parallel', seed: 0 },
  };
}

/** @param file of tests */
function workerState(file: string): Loose {
  const config = configOf(file);
  return {
    config,
    filepath: file,
    ctx: { pool: 'threads', config, files: [{ filepath: file }] },
    environment: { name: 'node', viteEnvironment: 'ssr' },
    evaluatedModules: {
      getModuleById: () => undefined,
      invalidateModule: () => undefined,
      idToModuleMap: new Map(),
      urlToIdModuleMap: new Map(),
      fileToModulesMap: new Map(),
    },
    resolvingModules: new Set(),
    moduleExecutionInfo: new Map(),
    moduleCache: new Map(),
    durations: { environment: 0, prepare: 0 },
    providedContext: {},
    metaEnv: process.env,
    onCleanup: () => undefined,
    onCancel: () => undefined,
    rpc: new Proxy({}, { get: () => () => Promise.resolve() }),
  };
}

/** Where snapshots lie; written are none. */
function readingOnly(): Loose {
  return {
    getVersion: () => '1',
    getHeader: () => '// Vitest Snapshot v1',
    resolvePath: (file: string) => Promise.resolve(join(dirname(file), '__snapshots__', `${basename(file)}.snap`)),
    resolveRawPath: (file: string, raw: string) => Promise.resolve(join(dirname(file), raw)),
    readSnapshotFile: (path: string) => Promise.resolve(existsSync(path) ? readFileSync(path, 'utf8') : null),
    prepareDirectory: () => Promise.resolve(),
    saveSnapshotFile: () => Promise.resolve(),
    removeSnapshotFile: () => Promise.resolve(),
  };
}

/** New ones pass, as in Vitest's own run on a person's machine; none is ever written. */
const READING: Loose = {
  updateSnapshot: 'new',
  expand: false,
  snapshotFormat: { printBasicPrototype: false, escapeString: false },
  snapshotEnvironment: readingOnly(),
};
