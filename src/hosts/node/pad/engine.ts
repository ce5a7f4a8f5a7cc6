/** What only Node can tell the runtime. */
import { AsyncLocalStorage } from 'node:async_hooks';
import { dirname } from 'node:path';
import { pathToFileURL } from 'node:url';
import { resolve as resolveImport } from 'import-meta-resolve';
import vm from 'node:vm';
import * as own from '../../../runtime/originals.js';
import type { TargetEngine } from '../../../runtime/target-engine.js';
import type { HoldNews } from '../../../wire/holding.js';
import type { Batch } from '../../../wire/reports.js';
import { nodeInsight } from '../introspection.js';
import { importMetaHasMain, importNow, namespaceShell, requiredModule } from '../modules/now.js';
import { OWN_BASE, OWN_PATH } from '../own-files.js';
import type { Asking } from './asking.js';
import { whileLoading } from './frameworks/package-calls.js';
import type { ImportFrom } from './importing.js';
import { entriesEngine } from '../entries/engine.js';
import { holdEngine } from '../holding/engine.js';
import type { StandingThread } from '../pausing/standing.js';
import { STOP_NAME } from '../pausing/thread-debugger.js';
import { inputEngine } from '../../../runtime/input-engine.js';
import type { Originals } from './originals.js';
import { Pace } from './pace.js';

/** Of Node: its test runner differs. */
const MAJOR = Number(process.versions.node.split('.')[0]);

export interface EngineParts {
  originals: Originals;
  live: boolean;
  importer: (from: string) => ImportFrom;
  asking: Asking;
  /** An import failed: it may be an add-on that needs the main thread. */
  noteAddon(error: unknown): void;
  /** Of a live program. */
  resume(): string[];
  listen(on: boolean): void;
  /** Stops the thread, and tells of it. */
  standing: StandingThread;
  /** An error that nobody caught. */
  uncaught(error: unknown): void;
}

export function nodeEngine({
  originals,
  live,
  importer,
  asking,
  noteAddon,
  resume,
  listen,
  standing,
  uncaught,
}: EngineParts): TargetEngine {
  let storage: AsyncLocalStorage<object> | undefined;
  const { timers, send } = originals;
  const pace = new Pace(originals);
  return {
    introspection: nodeInsight,
    now: originals.now,
    later: (callback) => void originals.later(callback),
    send: (batch) => {
      if (batch.steps) pace.beforeSending();
      const paced = batch.steps ? { pace: pace.taken.buffer } : {};
      send({ type: 'batch', batch, ...paced }, buffersOf(batch));
    },
    isOwnFile: (file) =>
      file.startsWith(OWN_BASE) ||
      file.startsWith(OWN_PATH) ||
      file === 'node:vm' ||
      file === STOP_NAME ||
      file.startsWith('node:internal/worker') ||
      file.startsWith('node:internal/main'),
    console: live ? undefined : console,
    ...(live ? { ownConsole: console } : {}),
    every(ms, callback) {
      const timer = timers.setInterval(callback, ms);
      timer.unref();
      return () => timers.clearInterval(timer);
    },
    compile(code, name) {
      const script = new vm.Script(code, {
        filename: name,
        importModuleDynamically: vm.constants.USE_MAIN_CONTEXT_DEFAULT_LOADER,
      });
      return script.runInThisContext() as (...args: unknown[]) => unknown;
    },
    async load(specifier, from) {
      try {
        return await whileLoading(() => importer(from)(specifier));
      } catch (error) {
        noteAddon(error);
        throw error;
      }
    },
    loadNow(specifier, from) {
      try {
        return whileLoading(() => importNow(specifier, from));
      } catch (error) {
        noteAddon(error);
        throw error;
      }
    },
    namespace: namespaceShell,
    tellsMissing: true,
    get metaHasMain() {
      return importMetaHasMain();
    },
    required: requiredModule,
    resolveUrl: (specifier, from) => resolveImport(specifier, pathToFileURL(from).href),
    cells(unit, count) {
      const shared = new SharedArrayBuffer(Math.max(1, count) * 8);
      send({ type: 'cells', unit, cells: shared });
      return new Float64Array(shared, 0, count);
    },
    resolve: (specifier, from) => asking.resolve(specifier, from),
    resolveSync: (specifier, from) => asking.resolveNow(specifier, from),
    extended: (file, from) => send({ type: 'live', event: { is: 'extension', file, from } }),
    resume,
    listen,
    ...stopping(originals, live, standing, uncaught),
    globals: { process, Buffer },
    urlOf: (file) => pathToFileURL(file).href,
    dirname,
    todoInside: MAJOR >= 22,
    awaitsSubtests: MAJOR >= 24,
    scope: {
      // Following a value over awaits costs every promise a little: only programs with tests pay it.
      run: (value, work) => (storage ??= new AsyncLocalStorage<object>()).run(value, work),
      get: () => storage?.getStore(),
    },
    input: inputEngine(() => (originals.builtin('csv-parse/sync') as typeof import('csv-parse/sync')).parse as never),
    timerOver: (handle) => (handle as { _destroyed?: boolean } | undefined)?._destroyed === true,
    timeout(ms, callback) {
      const timer = timers.setTimeout(callback, ms);
      timer.unref();
      return () => timers.clearTimeout(timer);
    },
    builtin: (name) => originals.builtin(name) as Record<string, unknown>,
  };
}

/** What stopping, and holding calls that fail, need of the engine. */
function stopping(
  originals: Originals,
  live: boolean,
  { pauses, tell }: EngineParts['standing'],
  uncaught: (error: unknown) => void,
): Pick<TargetEngine, 'pauses' | 'tellPause' | 'holds' | 'tellHold' | 'entries'> {
  const { send } = originals;
  return {
    pauses,
    tellPause: tell,
    ...(live
      ? {
          entries: entriesEngine(),
          holds: holdEngine(originals, uncaught),
          tellHold: (news: HoldNews): void => send({ type: 'holding', news }),
        }
      : {}),
  };
}

const { isView } = ArrayBuffer;

/** What of a batch goes over, and is not copied. */
function buffersOf(batch: Batch): ArrayBuffer[] {
  const list: ArrayBuffer[] = [];
  // A pad may have replaced `push`, or set what an index does.
  const add = (columns: object): void => {
    for (const name in columns) {
      const column = (columns as Record<string, unknown>)[name];
      if (isView(column)) own.append(list, column.buffer as ArrayBuffer);
    }
  };
  if (batch.samples) add(batch.samples);
  if (batch.steps) {
    add(batch.steps.steps);
    add(batch.steps.entered);
    add(batch.steps.left);
    add(batch.steps.wrote);
  }
  const counts = batch.counts ?? [];
  for (let i = 0; i < counts.length; i++) own.append(list, counts[i]!.cells.buffer as ArrayBuffer);
  return list;
}
