/**
 * Loaded before anything else in threads and processes that a live program
 * starts: what they load by themselves is instrumented, takes changes and
 * answers questions.
 */
import { randomBytes } from 'node:crypto';
import { createRequire, register } from 'node:module';
import { connect, type Socket } from 'node:net';
import { pathToFileURL } from 'node:url';
import { isAbsolute } from 'node:path';
import vm from 'node:vm';
import { isMainThread, MessageChannel, threadId } from 'node:worker_threads';
import { EmbeddedTarget } from '../../runtime/embedded.js';
import type { FromGuest, FromParticipant, ToGuest } from '../../wire/guests.js';
import { Channel } from './channel.js';
import { nodeInsight } from './introspection.js';
import { stoppedLoops } from './loops.js';
import { INVITATION, STACKS } from '../../wire/constants.js';
import type { HooksData } from './participant-hooks.js';
import { serveScripts } from './participant-scripts.js';
import { joinServers } from './participant-servers.js';
import { entriesEngine } from './entries/engine.js';
import { holdEngine } from './holding/engine.js';
import { OWN_BASE, OWN_PATH } from './own-files.js';
import type { FromThread } from './pausing/guest-beside.js';
import { standingThread, type StandingThread } from './pausing/standing.js';
import { watchProcess } from './process-events.js';
import { entryUrl } from './entries.js';

// What is used below while this file is loaded stands above it.
/**
 * Milliseconds that a module waits for what is asked of it before it runs. Whom the session waits for may wait for this
 * process.
 */
const FIRST_MS = 2_000;

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
    entries: entriesEngine(),
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

  watchErrors(embedded, loops, socket, standing);
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

/** As in the program itself, an error that nobody catches ends nothing once the event loop has turned. */
function watchErrors(
  embedded: EmbeddedTarget,
  loops: ReturnType<typeof stoppedLoops>,
  socket: Socket,
  standing: StandingThread,
): void {
  let turned = false;
  setTimeout(() => (turned = true), 0).unref();
  setImmediate(() => (turned = true)).unref();
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
