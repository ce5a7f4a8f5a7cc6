/**
 * Loaded before anything else in threads and processes that a live program
 * starts: what they load by themselves is instrumented, takes changes and
 * answers questions.
 */
import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createRequire, Module as NodeModule, register } from 'node:module';
import { connect } from 'node:net';
import { pathToFileURL } from 'node:url';
import { isAbsolute } from 'node:path';
import vm from 'node:vm';
import { isMainThread, MessageChannel, receiveMessageOnPort, threadId, type MessagePort } from 'node:worker_threads';
import { EmbeddedTarget } from '../../runtime/embedded.js';
import type { FromGuest, FromParticipant, ToGuest } from '../../wire/guests.js';
import { Channel } from './channel.js';
import { nodeInsight } from './introspection.js';
import { stoppedLoops } from './loops.js';
import { INVITATION, STACKS } from '../../wire/constants.js';
import { isLocalFile } from './modules/commonjs.js';
import type { HooksData, ScriptAsk } from './participant-hooks.js';
import { holdEngine } from './holding/engine.js';
import { OWN_BASE, OWN_PATH } from './own-files.js';
import type { FromThread } from './pausing/guest-beside.js';
import { standingThread } from './pausing/standing.js';
import { watchProcess } from './process-events.js';
import { entryUrl } from './entries.js';

// What is used below while this file is loaded stands above it.
/**
 * Milliseconds that a module waits for what is asked of it before it runs. Whom the session waits for may wait for this
 * process.
 */
const FIRST_MS = 2_000;
/** Milliseconds after which a development server has read its configuration. */
const ASKS_MS = 10_000;

const invitation = process.env[INVITATION];
/** The program itself has its modules from its session; it only passes the invitation on. */
const isProgram = isMainThread && /[\\/]process-main\.js$/.test(process.argv[1] ?? '');
/** In the thread of the hooks that are about to be registered, which loads this file too. */
const HOOKS = 'USHER_ANVIL_HOOKS';
if (invitation !== undefined && !isProgram && process.env[HOOKS] === undefined)
  takePart(JSON.parse(invitation) as { path: string; token: string });

function takePart({ path, token }: { path: string; token: string }): void {
  const id = randomBytes(9).toString('base64url');
  const label = isMainThread ? `process ${process.pid}` : `thread ${threadId}`;
  // Neither keeps the program alive.
  const socket = connect(path).unref();
  const channel = new Channel(socket, (data) => handle(data as ToGuest));
  const pauses = new MessageChannel();
  const asks = new Int32Array(new SharedArrayBuffer(4));
  let goesOn = false;
  const handle = (message: ToGuest): void => {
    if (message.type === 'goes-on') goesOn = true;
    else embedded.handle(message);
  };
  const sayBeside = (message: FromThread): void => pauses.port1.postMessage(message);
  const send = (message: FromGuest): void => {
    // Its own socket waits for the event loop.
    if (embedded.isStill) sayBeside({ type: 'say', message });
    else channel.send(message);
  };
  const loops = stoppedLoops();
  const { setInterval: interval, clearInterval: clear, setImmediate: immediate } = globalThis;
  const { setTimeout, clearTimeout, setInterval, clearInterval } = globalThis;
  const timers = { setTimeout, clearTimeout, setInterval, clearInterval };
  const standing = standingThread<ToGuest>({
    originals: {
      ...{ builtin: createRequire(OWN_PATH), later: immediate, now: performance.now.bind(performance) },
      ...{ wait: Atomics.wait.bind(Atomics), load: Atomics.load.bind(Atomics) },
    },
    send: sayBeside,
    port: pauses.port1,
    handle,
    isMain: isMainThread,
  });
  const embedded = new EmbeddedTarget({
    introspection: nodeInsight,
    now: () => performance.now(),
    later: (callback) => void immediate(callback),
    send,
    isOwnFile: (file) =>
      file.startsWith(OWN_BASE) || file.startsWith(OWN_PATH) || file.startsWith('node:internal/') || file === 'node:vm',
    console,
    every(ms, callback) {
      const timer = interval(callback, ms).unref();
      return () => clear(timer);
    },
    resume: () => loops.resume(),
    globals: { process, Buffer },
    load: (specifier, _url, file) => importer(file)(specifier),
    holds: holdEngine({ timers }, (error) => void embedded.fail(error, 'uncaught')),
    pauses: standing.pauses,
    tellPause: standing.tell,
    asksFirst: () => asks[0] === 1,
    waitFirst(message) {
      goesOn = false;
      standing.waitFor(
        (bell) => sayBeside({ type: 'waits', message, bell }),
        () => goesOn,
        FIRST_MS,
      );
    },
    // Scripts have paths as their names, of which it makes addresses.
    nameInDebugger: (name) => (isAbsolute(name) ? pathToFileURL(name).href : name),
  });
  channel.send({ type: 'join', token, id, label, role: 'program' } satisfies FromParticipant);
  embedded.install();
  Object.defineProperty(globalThis, Symbol.for(STACKS), { value: embedded.target.parts.stacks });

  // As in the program itself, an error that nobody catches ends nothing once the event loop has turned.
  let turned = false;
  setTimeout(() => (turned = true), 0).unref();
  immediate(() => (turned = true)).unref();
  let told = true;
  let failed = false;
  watchProcess({
    uncaught(error, kind) {
      // Nobody is told any more, and nobody mends it: errors end it, as they would any process.
      if (!turned || !told) return false;
      failed = true;
      if (embedded.fail(error, kind) && kind === 'uncaught') loops.note();
      return true;
    },
    leaving() {
      standing.end();
      if (!failed || process.exitCode !== undefined) return undefined;
      return (process.exitCode = 1);
    },
  });
  socket.once('close', () => (told = false));
  const { port1, port2 } = new MessageChannel();
  port1.unref();
  pauses.port1.on('message', handle).unref();
  process.env[HOOKS] = '1';
  const data: HooksData = {
    path,
    token,
    id,
    label,
    port: port2,
    pauses: pauses.port2,
    isMain: isMainThread,
    asks: asks.buffer,
  };
  register(entryUrl('participant-hooks'), { data, transferList: [port2, pauses.port2] });
  delete process.env[HOOKS];
  serveScripts(port1);
  if (isMainThread) joinServers();
}

/** A development server for pages that this process makes takes the plugin, where its configuration has none. */
function joinServers(): void {
  let asked = false;
  const add = async (config: object, command: string): Promise<object> => {
    asked = true;
    // Its test runner resolves a configuration as well.
    if (command !== 'serve' || process.env.VITEST !== undefined) return config;
    const { default: plugin } = (await import(`${OWN_BASE}vite/index.js`)) as {
      default: (options: { added: true }) => unknown;
    };
    const { plugins = [] } = config as { plugins?: unknown[] };
    return { ...config, plugins: [...plugins, plugin({ added: true })] };
  };
  Object.defineProperty(globalThis, Symbol.for('usher-anvil/vite@1'), { value: add });
  // Its code may be written in another way one day: then the person is told, and not left without values.
  if (/[\\/](?:\.bin[\\/]vite|vite[\\/]bin[\\/]vite\.js)$/.test(process.argv[1] ?? ''))
    setTimeout(() => {
      if (!asked) process.stderr.write('usher-anvil: this Vite server has to be given the plugin usher-anvil/vite\n');
    }, ASKS_MS).unref();
}

/** Scripts of the person are compiled from what the session has of them, in the engine's own loader. */
function serveScripts(port: MessagePort): void {
  // This file is nothing of the program.
  const cache = (NodeModule as unknown as { _cache: Record<string, unknown> })._cache;
  for (const file of Object.keys(cache)) delete cache[file];
  const prototype = NodeModule.prototype as unknown as {
    _compile(code: string, file: string, ...rest: unknown[]): unknown;
  };
  const { _compile: compile } = prototype;
  const { wait } = Atomics;
  const ask = (file: string): string | undefined => {
    const wake = new Int32Array(new SharedArrayBuffer(4));
    port.postMessage({ url: pathToFileURL(file).href, wake } satisfies ScriptAsk);
    if (wait(wake, 0, 0, PATIENCE_MS) === 'timed-out') return undefined;
    return (receiveMessageOnPort(port) as { message: string | undefined } | undefined)?.message;
  };
  prototype._compile = function _compile(code, file, ...rest) {
    const served =
      rest[0] !== 'module' && isLocalFile(file, OWN_PATH) && !file.endsWith('.json') && isAsItStands(file, code)
        ? ask(file)
        : undefined;
    return compile.call(this, served ?? code, file, ...rest);
  };
}

/** Milliseconds in which the session has to give the code of a script. */
const PATIENCE_MS = 5_000;

/** What is to be compiled is what the file holds: nothing else has changed it on the way. */
function isAsItStands(file: string, code: string): boolean {
  try {
    return readFileSync(file, 'utf8').replace(/^\uFEFF/, '') === code || /\.[cm]?tsx?$/i.test(file);
  } catch {
    return false;
  }
}

function importer(file: string): (specifier: string) => Promise<object> {
  const script = new vm.Script('(specifier) => import(specifier)', {
    filename: file,
    importModuleDynamically: vm.constants.USE_MAIN_CONTEXT_DEFAULT_LOADER,
  });
  const run = script.runInThisContext() as (specifier: string) => Promise<object>;
  return async (specifier) => {
    // The engine warns once of an option it calls experimental; that warning is not the program's.
    const { emitWarning } = process;
    process.emitWarning = () => undefined;
    try {
      return await run(specifier);
    } finally {
      process.emitWarning = emitWarning;
    }
  };
}
