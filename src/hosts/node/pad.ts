/**
 * The inside of a pad's thread in Node, the same in a worker and on a main
 * thread: gives the runtime what only Node can tell, and guards the ways in
 * which a pad can end or leave its thread.
 */
import { AsyncLocalStorage } from 'node:async_hooks';
import { readFileSync, writeSync } from 'node:fs';
import { createRequire, syncBuiltinESMExports } from 'node:module';
import { dirname } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { resolve as resolveImport } from 'import-meta-resolve';
import { types } from 'node:util';
import vm from 'node:vm';
import { receiveMessageOnPort, type MessagePort } from 'node:worker_threads';
import type { LookAnswer } from '../../wire/looking.js';
import { Target, type TargetEngine } from '../../runtime/target.js';
import type { ModuleCode, ModuleLink } from '../../wire/modules.js';
import type { Batch } from '../../wire/reports.js';
import { nodeInsight } from './insight.js';
import { fatalText } from './fatal.js';
import { stoppedLoops } from './loops.js';
import { installScripts } from './modules/commonjs.js';
import { importMetaHasMain, importNow, namespaceShell, requiredModule } from './modules/now.js';
import { watchProcess } from './process-events.js';
import { placeRequests, watchRequests, type RequestLog } from './requests.js';
import type { PadResult } from '../../wire/runs.js';
import type { FromPad, PadData, ToPad } from '../../wire/messages.js';

type ImportFrom = (specifier: string) => Promise<Record<string, unknown>>;

const OWN_BASE = new URL('../../', import.meta.url).href;
const OWN_PATH = fileURLToPath(OWN_BASE);

/** Starts the pad's side on `port`; the thread then waits for its one run. */
export function startPad(port: MessagePort, data: PadData): void {
  const real = {
    exit: process.exit.bind(process) as (code?: number) => never,
    reallyExit: (process as unknown as { reallyExit(code?: number): never }).reallyExit.bind(process),
    kill: process.kill.bind(process),
    abort: process.abort.bind(process),
    now: performance.now.bind(performance),
    later: setImmediate,
    wait: Atomics.wait.bind(Atomics),
    post: port.postMessage.bind(port),
    setPrototypeOf: Object.setPrototypeOf,
    setTimeout,
    clearTimeout,
    setInterval,
    clearInterval,
    stderr: (text: string) => void writeSync(2, text),
    builtin: createRequire(import.meta.url),
    readFile: readFileSync,
  };
  let storage: AsyncLocalStorage<object> | undefined;
  const send = (message: FromPad, transfer?: ArrayBuffer[]): void => real.post(message, transfer ?? []);
  const importers = new Map<string, ImportFrom>();
  const waiting = new Map<number, (answer: { link: ModuleLink; modules: ModuleCode[] }) => void>();
  let asks = 0;
  let idle = false;
  let leaving = false;
  let running = false;
  let ended = false;
  let askedResult = false;
  /** Nobody caught an error; the top level never came to its end; the program was told of its exit. */
  let failed = false;
  let unsettled = false;
  let left = false;
  /** The program has called for its end. */
  let asked = false;
  /** The event loop has turned since the program began. */
  let turned = false;

  const engine: TargetEngine = {
    insight: nodeInsight,
    now: real.now,
    later: (callback) => void real.later(callback),
    send: (batch) => send({ type: 'batch', batch }, buffersOf(batch)),
    isOwnFile: (file) =>
      file.startsWith(OWN_BASE) ||
      file.startsWith(OWN_PATH) ||
      file === 'node:vm' ||
      file.startsWith('node:internal/worker') ||
      file.startsWith('node:internal/main'),
    console: data.live ? undefined : console,
    ...(data.live ? { ownConsole: console } : {}),
    every(ms, callback) {
      const timer = real.setInterval(callback, ms);
      timer.unref();
      return () => real.clearInterval(timer);
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
        return await importer(from)(specifier);
      } catch (error) {
        noteAddon(error);
        throw error;
      }
    },
    loadNow(specifier, from) {
      try {
        return importNow(specifier, from);
      } catch (error) {
        noteAddon(error);
        throw error;
      }
    },
    namespace: namespaceShell,
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
    resolve: (specifier, from) =>
      new Promise((resolve) => {
        const ask = ++asks;
        port.ref();
        waiting.set(ask, (answer) => {
          if (!idle) port.unref();
          resolve(answer);
        });
        send({ type: 'resolve', ask, specifier, from });
      }),
    resolveSync(specifier, from) {
      const ask = ++asks;
      const wake = new SharedArrayBuffer(4);
      send({ type: 'resolve', ask, specifier, from, wake });
      real.wait(new Int32Array(wake), 0, 0, 10_000);
      for (let tries = 0; tries < 100; tries++) {
        const received = receiveMessageOnPort(port) as { message: ToPad } | undefined;
        if (!received) {
          real.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 5);
          continue;
        }
        if (received.message.type === 'resolved' && received.message.ask === ask) return received.message.answer;
        handle(received.message);
      }
      throw new Error(`no answer for require('${specifier}')`);
    },
    extended: (file, from) => send({ type: 'live', event: { is: 'extension', file, from } }),
    resume: () => stopped?.resume() ?? [],
    listen: (on) => tee?.(on),
    globals: { process, Buffer },
    urlOf: (file) => pathToFileURL(file).href,
    dirname,
    scope: {
      // Following a value over awaits costs every promise a little: only programs with tests pay it.
      run: (value, work) => (storage ??= new AsyncLocalStorage<object>()).run(value, work),
      get: () => storage?.getStore(),
    },
    input: {
      decode(bytes) {
        try {
          return new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes);
        } catch {
          return undefined;
        }
      },
      csv(text, { separator, header }) {
        const { parse } = real.builtin('csv-parse/sync') as typeof import('csv-parse/sync');
        try {
          return parse(text, {
            delimiter: separator,
            columns: header,
            bom: true,
            skip_empty_lines: true,
            relax_column_count: false,
          }) as unknown[];
        } catch (error) {
          throw Object.assign(new Error((error as Error).message), { line: (error as { lines?: number }).lines });
        }
      },
    },
    timerOver: (handle) => (handle as { _destroyed?: boolean } | undefined)?._destroyed === true,
    timeout(ms, callback) {
      const timer = real.setTimeout(callback, ms);
      timer.unref();
      return () => real.clearTimeout(timer);
    },
    builtin: (name) => real.builtin(name) as Record<string, unknown>,
  };
  const target = new Target(engine);
  const { registry } = target;
  engine.scripts = installScripts(
    {
      codeFor: (file) => (running ? registry.codeFor(file) : undefined),
      run: (file, scope) => registry.script(file, scope),
      requireModule: (file) => registry.requireModule(file),
      given: (specifier, from) => registry.requireGiven(specifier, from),
      resolve(specifier, from) {
        const link = running ? registry.linkOf(specifier, from) : undefined;
        return link?.kind === 'local'
          ? { file: link.target }
          : link?.base !== undefined
            ? { base: link.base }
            : undefined;
      },
      projectFirst: (file) => /\.[cm]?tsx?$/i.test(file),
    },
    OWN_PATH,
  );

  function importer(from: string): ImportFrom {
    let found = importers.get(from);
    if (!found) {
      const script = new vm.Script('(specifier) => import(specifier)', {
        filename: from,
        importModuleDynamically: vm.constants.USE_MAIN_CONTEXT_DEFAULT_LOADER,
      });
      found = script.runInThisContext() as ImportFrom;
      importers.set(from, found);
    }
    return found;
  }

  function noteAddon(error: unknown): void {
    if (data.place !== 'worker' || !types.isNativeError(error)) return;
    if ((error as { code?: string }).code === 'ERR_DLOPEN_FAILED' && /self-register|context-aware/i.test(error.message))
      send({ type: 'needs-process', what: 'native add-on that needs the main thread' });
  }

  /** Tells the session why this thread is about to end, and waits until it knows. */
  function leave(reason: 'exit' | 'abort' | 'killed', code?: number | string): void {
    if (leaving) return;
    leaving = true;
    const frames = target.here();
    target.tests.abandon();
    target.flush();
    const told = new SharedArrayBuffer(4);
    send({ type: 'leaving', reason, frames, told, ...(code === undefined ? {} : { code }) });
    real.wait(new Int32Array(told), 0, 0, 500);
  }

  function guard(): void {
    process.exit = ((code?: number | string | null) => {
      asked = true;
      const given = end.exit(code === undefined || code === null ? undefined : Number(code));
      leave('exit', given);
      return real.exit(given);
    }) as typeof process.exit;
    process.abort = () => {
      leave('abort');
      if (data.place === 'process') real.abort();
      return real.exit(134);
    };
    process.kill = (pid, signal) => {
      if (
        pid === process.pid &&
        signal !== 0 &&
        (data.place === 'worker' || process.listenerCount(String(signal ?? 'SIGTERM')) === 0)
      )
        leave('killed', typeof signal === 'number' ? signal : (signal ?? 'SIGTERM'));
      return real.kill(pid, signal);
    };
    (process as unknown as { reallyExit: (code?: number) => never }).reallyExit = (code) => {
      // Called by the engine's own exit too, which has been told of then.
      leave('exit', code ?? 0);
      return real.reallyExit(code);
    };
    if (data.place === 'worker') {
      for (const name of ['chdir', 'setuid', 'setgid', 'seteuid', 'setegid', 'setgroups', 'initgroups'] as const) {
        Object.defineProperty(process, name, {
          value: () => {
            send({ type: 'needs-process', what: `process.${name}` });
            throw new Error(`process.${name} needs a process of its own`);
          },
          configurable: true,
          writable: true,
        });
      }
    }
  }

  /** Text that goes past the console still belongs to the record. */
  function captureOutput(): void {
    for (const level of ['stdout', 'stderr'] as const) {
      const stream = process[level];
      const decoder = new TextDecoder();
      stream.write = ((chunk: string | Uint8Array, encoding?: unknown, callback?: unknown) => {
        const text = typeof chunk === 'string' ? chunk : decoder.decode(chunk, { stream: true });
        target.console.write(level, text);
        const done = typeof encoding === 'function' ? encoding : callback;
        if (typeof done === 'function') queueMicrotask(() => (done as () => void)());
        return true;
      }) as typeof stream.write;
    }
  }

  /** The same for what is written to the descriptors of standard output and error. */
  function captureDescriptors(): void {
    const fs = real.builtin('node:fs') as { writeSync(fd: number, ...rest: unknown[]): number };
    const { writeSync: write } = fs;
    fs.writeSync = function writeSync(fd, data, ...rest) {
      if (fd !== 1 && fd !== 2) return write.call(fs, fd, data, ...rest);
      let text: string;
      let size: number;
      if (ArrayBuffer.isView(data)) {
        const given =
          typeof rest[0] === 'object' && rest[0] !== null
            ? (rest[0] as { offset?: number; length?: number })
            : { offset: rest[0] as number, length: rest[1] as number };
        const from = given.offset ?? 0;
        const bytes = Buffer.from(data.buffer, data.byteOffset, data.byteLength).subarray(
          from,
          given.length === undefined ? undefined : from + given.length,
        );
        text = bytes.toString();
        size = bytes.length;
      } else {
        text = String(data);
        size = Buffer.byteLength(text, (rest[1] as BufferEncoding | undefined) ?? 'utf8');
      }
      target.console.write(fd === 1 ? 'stdout' : 'stderr', text);
      return size;
    };
    target.disguise(fs.writeSync, write);
    syncBuiltinESMExports();
  }

  async function run(message: Extract<ToPad, { type: 'run' }>): Promise<void> {
    running = true;
    process.argv.splice(1, process.argv.length, message.entry, ...message.argv);
    // From here on only what the pad itself leaves pending keeps the thread going.
    port.unref();
    const { tests, controls, input, result } = message.asked;
    if (
      !data.live &&
      message.modules.some(({ links, dynamic }) =>
        [...links, ...Object.values(dynamic)].some((link) => /^(node:)?https?$/.test(link.specifier)),
      )
    )
      placeRequests(requests, real.builtin, disguise);
    askedResult = result === true;
    if (tests) target.tests.order(tests);
    if (controls) target.controls.order(controls);
    if (input)
      target.source = { name: input.name, read: () => ('bytes' in input ? input.bytes : real.readFile(input.file)) };
    const turn = (): void => void (turned = true);
    real.setTimeout(turn, 0).unref();
    real.later(turn);
    const durationMs = await target.run(message.modules, message.entry);
    ended = true;
    if (result) {
      const made = await resultOf(target, message.entry);
      askedResult = false;
      send({ type: 'result', result: made });
    }
    send({ type: 'settled', durationMs });
    // One more turn, so that the end of the loop is told once more where it was told too early.
    real.later(() => undefined);
    port.unref();
  }

  function handle(message: ToPad): void {
    switch (message.type) {
      case 'ping':
        target.reporter.tick();
        send({ type: 'pong' });
        break;
      case 'run':
        void run(message);
        break;
      case 'resolved':
        waiting.get(message.ask)?.(message.answer);
        waiting.delete(message.ask);
        break;
      case 'look': {
        let answer: LookAnswer;
        try {
          answer = target.look(message.request);
        } catch (error) {
          answer = {
            is: 'gone',
            why: `This value cannot be read: ${error instanceof Error ? error.message : 'unknown reason'}`,
          };
        }
        // A getter that ran may have printed.
        if (message.request.do === 'get') target.flush();
        send({ type: 'looked', ask: message.ask, answer });
        break;
      }
      case 'act':
        if (target.act(message.action) && idle && message.action.do === 'open-gate') {
          idle = false;
          real.later(() => undefined);
          port.unref();
        } else if (idle) send({ type: 'idle' });
        target.flushEnd();
        break;
      case 'change':
        void target.change(message.change).then((answer) => {
          target.flush();
          send({ type: 'changed', ask: message.ask, answer });
        });
        break;
    }
  }

  /** The program has come to the end of what it does, and is told so; its objects stay openable until the session ends the thread. */
  async function drained(tell: () => Promise<boolean>): Promise<void> {
    if (!running || idle) return;
    if (!ended && target.controls.waiting) {
      // It waits at a gate: that is no failure, and the gate can still be opened.
      idle = true;
      target.flushEnd();
      send({ type: 'settled', durationMs: target.elapsed });
      if (askedResult) send({ type: 'result', result: { is: 'failed', why: 'it waits at a gate' } });
      send({ type: 'idle' });
      port.ref();
      return;
    }
    if (!ended) {
      // Something at the top level, or a test, waits for what cannot come: it is told so, and the run comes to its end.
      port.ref();
      unsettled = true;
      target.stuck();
      return;
    }
    port.ref();
    if (!left && (await tell())) {
      port.unref();
      return;
    }
    idle = true;
    if (!left) {
      left = true;
      target.reporter.exitCode = end.exit();
    }
    target.flushEnd();
    if (askedResult)
      send({ type: 'result', result: { is: 'failed', why: 'its default export is a promise that never ends' } });
    send({ type: 'idle' });
  }

  /** A live program goes on after an error that nobody caught, once it runs. */
  function uncaught(error: unknown, kind: 'uncaught' | 'rejection' | 'thrown'): boolean {
    noteAddon(error);
    if (data.live && !turned) {
      endWith(error);
      return true;
    }
    failed = true;
    target.fail(error, kind);
    target.flush();
    if (data.live && kind === 'uncaught') stopped?.note();
    return true;
  }

  /** An error before the first turn of the event loop ends a program, here as everywhere. */
  function endWith(error: unknown): void {
    process.exitCode = 1;
    const text = fatalText(error, target.stacks, (file) => registry.sourceOf(file));
    end.exit();
    real.stderr(text);
    process.exit();
  }

  const end = watchProcess({
    ...(data.live ? {} : { drained: (tell) => void drained(tell) }),
    leaving() {
      if (process.exitCode !== undefined || !(failed || (!asked && (unsettled || !ended)))) return undefined;
      process.exitCode = failed ? 1 : 13;
      // An unsettled top level was told with 0 by older engines.
      return failed ? 1 : Number(process.versions.node.split('.')[0]) >= 22 ? 13 : undefined;
    },
    uncaught,
  });
  engine.uncaught = (error) => end.handled(error) || (uncaught(error, 'thrown'), true);
  engine.unsettled = () => (unsettled = true);
  target.install();
  const stopped = data.live ? stoppedLoops() : undefined;
  const tee = data.live
    ? teeOutput(
        (stream, text, omitted) => send({ type: 'live', event: { is: 'output', stream, text, omitted } }),
        real,
        target.console,
      )
    : undefined;
  target.registry.patches.onStopped = () => send({ type: 'live', event: { is: 'undone' } });
  const requests: RequestLog = {
    begin: (entry, frames) => target.request(entry, frames),
    update: (entry) => target.requested(entry),
    body: (entry, value) => target.requested(entry, { value }),
    failed: (entry, error) => target.requested(entry, undefined, error),
    now: () => real.now(),
    frames: () => target.here(),
  };
  const disguise = (made: object, original: object): void => target.disguise(made, original);
  if (!data.live) watchRequests(requests, disguise);
  guard();
  if (!data.live) {
    captureOutput();
    captureDescriptors();
  }
  if (data.live)
    for (const stream of [process.stdout, process.stderr])
      stream.on('error', (error: NodeJS.ErrnoException) => {
        // Nobody reads what it prints any more: that ends any program which does not listen for it.
        if (stream.listenerCount('error') > 1) return;
        if (error.code === 'EPIPE') real.exit(1);
        target.fail(error, 'uncaught');
      });
  port.on('message', handle);
  // The engine warns once of an option it calls experimental; a pad is not to see a warning that is not its own.
  const { emitWarning } = process;
  process.emitWarning = () => undefined;
  void warm(importer, [{ specifier: 'node:fs', from: OWN_PATH }, ...data.warm]).then(async () => {
    await rehearse(engine, data.rehearsal);
    process.emitWarning = emitWarning;
    send({ type: 'ready' });
  });
}

/** Characters of output that are told at once; more of a flood is counted. */
const MOST_TOLD = 64 * 1024;

/** Tells what the program writes, beside writing it; gives what turns that on and off. */
function teeOutput(
  tell: (stream: 'stdout' | 'stderr', text: string, omitted: number) => void,
  real: { setTimeout: typeof setTimeout },
  record: Target['console'],
): (on: boolean) => void {
  let listening = false;
  for (const stream of ['stdout', 'stderr'] as const) {
    const target = process[stream];
    const write = target.write.bind(target) as (...args: unknown[]) => boolean;
    const decoder = new TextDecoder();
    let piped = false;
    // A thread's own console tells what it writes: here it comes once more.
    target.on('pipe', (source: NodeJS.ReadableStream) => {
      if (source.constructor.name !== 'ReadableWorkerStdio') return;
      source.prependListener('data', () => (piped = true));
      source.on('data', () => (piped = false));
    });
    let text = '';
    let omitted = 0;
    let timer: NodeJS.Timeout | undefined;
    target.write = ((chunk: string | Uint8Array, ...rest: unknown[]) => {
      const part =
        !listening && !record.listening
          ? ''
          : typeof chunk === 'string'
            ? chunk
            : decoder.decode(chunk, { stream: true });
      record.write(stream, part, piped ? 'piped' : 'write');
      if (listening) {
        if (text.length + part.length <= MOST_TOLD) text += part;
        else omitted += part.length;
        timer ??= real.setTimeout(() => {
          timer = undefined;
          const told = text;
          const left = omitted;
          text = '';
          omitted = 0;
          tell(stream, told, left);
        }, 20);
        timer.unref();
      }
      return write(chunk, ...rest);
    }) as typeof target.write;
  }
  return (on) => {
    listening = on;
  };
}

/** The pad's default export as what can be written to a file or a pipe. */
async function resultOf(target: Target, entry: string): Promise<PadResult> {
  try {
    const result = await target.result(entry);
    if (!result) return { is: 'none' };
    const { value } = result;
    if (typeof value === 'string') return { is: 'text', text: value };
    if (ArrayBuffer.isView(value))
      return { is: 'bytes', bytes: new Uint8Array(value.buffer, value.byteOffset, value.byteLength).slice() };
    const text = JSON.stringify(value, null, 2) as string | undefined;
    return text === undefined
      ? {
          is: 'failed',
          why: `its default export is ${typeof value === 'undefined' ? 'undefined' : `a ${typeof value}`}, which is neither text nor JSON`,
        }
      : { is: 'text', text };
  } catch (error) {
    return {
      is: 'failed',
      why: `its default export cannot be written as JSON: ${error instanceof Error ? error.message : String(error)}`,
    };
  }
}

/** Loads what the last run imported. What fails here fails again, and loudly, when the pad imports it. */
async function warm(importer: (from: string) => ImportFrom, packages: PadData['warm']): Promise<void> {
  for (const { specifier, from } of packages) {
    try {
      await importer(from)(specifier);
    } catch {
      // Reported by the run.
    }
  }
}

/** Runs the rehearsal with reports that go nowhere. */
async function rehearse(engine: TargetEngine, modules: ModuleCode[]): Promise<void> {
  if (modules.length === 0) return;
  const stage = new Target({
    ...engine,
    send: () => undefined,
    console: undefined,
    cells: (_unit, count) => new Float64Array(Math.max(1, count)),
  });
  await stage.run(modules, modules[0]!.file);
}

function buffersOf(batch: Batch): ArrayBuffer[] {
  // By index: a pad may have replaced `push`.
  const list: ArrayBuffer[] = [];
  if (batch.samples) {
    const { site, visit, moment, tag, number } = batch.samples;
    list[0] = site.buffer as ArrayBuffer;
    list[1] = visit.buffer as ArrayBuffer;
    list[2] = moment.buffer as ArrayBuffer;
    list[3] = tag.buffer as ArrayBuffer;
    list[4] = number.buffer as ArrayBuffer;
  }
  const counts = batch.counts ?? [];
  for (let i = 0; i < counts.length; i++) list[list.length] = counts[i]!.cells.buffer as ArrayBuffer;
  return list;
}
