/**
 * Loaded before anything else in threads and processes that a live program
 * starts: what they load by themselves is instrumented, takes changes and
 * answers questions.
 */
import { randomBytes } from 'node:crypto';
import { register } from 'node:module';
import { connect } from 'node:net';
import { fileURLToPath } from 'node:url';
import vm from 'node:vm';
import { isMainThread, threadId } from 'node:worker_threads';
import { EmbeddedTarget, type ToEmbedded } from '../../runtime/embedded.js';
import { Channel } from './channel.js';
import { nodeInsight } from './insight.js';
import { stoppedLoops } from './loops.js';
import { INVITATION } from './messages.js';
import type { FromParticipant } from './participants.js';
import { entryUrl } from './entries.js';

const OWN_BASE = new URL('../../', import.meta.url).href;
const OWN_PATH = fileURLToPath(OWN_BASE);

const invitation = process.env[INVITATION];
/** The program itself has its modules from its session; it only passes the invitation on. */
const isProgram = isMainThread && /[\\/]process-main\.js$/.test(process.argv[1] ?? '');
if (invitation !== undefined && !isProgram) takePart(JSON.parse(invitation) as { path: string; token: string });

function takePart({ path, token }: { path: string; token: string }): void {
  const id = randomBytes(9).toString('base64url');
  const label = isMainThread ? `process ${process.pid}` : `thread ${threadId}`;
  // Neither keeps the program alive.
  const socket = connect(path).unref();
  const channel = new Channel(socket, (data) => embedded.handle(data as ToEmbedded));
  const send = (message: FromParticipant): void => channel.send(message);
  const loops = stoppedLoops();
  const { setInterval: interval, clearInterval: clear, setImmediate: immediate } = globalThis;
  const embedded = new EmbeddedTarget({
    insight: nodeInsight,
    now: () => performance.now(),
    later: (callback) => void immediate(callback),
    send,
    isOwnFile: (file) => file.startsWith(OWN_BASE) || file.startsWith(OWN_PATH) || file.startsWith('node:internal/') || file === 'node:vm',
    console,
    every(ms, callback) {
      const timer = interval(callback, ms).unref();
      return () => clear(timer);
    },
    resume: () => loops.resume(),
    globals: { process, Buffer },
    load: (specifier, _url, file) => importer(file)(specifier),
  });
  send({ type: 'join', token, id, label, role: 'program' });
  embedded.install();

  // As in the program itself, an error that nobody catches is told, and ends nothing.
  const thrown = (error: unknown): void => {
    process.exitCode = 1;
    embedded.fail(error, 'uncaught');
    loops.note();
  };
  const rejected = (reason: unknown): void => {
    process.exitCode = 1;
    embedded.fail(reason, 'rejection');
  };
  process.on('uncaughtException', thrown);
  process.on('unhandledRejection', rejected);
  // Nobody is told any more, and nobody mends it: errors end it, as they would any process.
  socket.once('close', () => {
    process.off('uncaughtException', thrown);
    process.off('unhandledRejection', rejected);
  });
  register(entryUrl('participant-hooks'), { data: { path, token, id } });
}

function importer(file: string): (specifier: string) => Promise<object> {
  const script = new vm.Script('(specifier) => import(specifier)', { filename: file, importModuleDynamically: vm.constants.USE_MAIN_CONTEXT_DEFAULT_LOADER });
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
