/**
 * Loaded before anything else in threads and processes that a live program
 * starts: what they load by themselves is instrumented, and takes changes.
 */
import { randomBytes } from 'node:crypto';
import { register } from 'node:module';
import { connect } from 'node:net';
import vm from 'node:vm';
import { isMainThread, threadId } from 'node:worker_threads';
import { Boxes } from '../../runtime/boxes.js';
import { PatchTable } from '../../runtime/patches.js';
import type { ParticipantAnswer, ParticipantChange } from '../../session/live.js';
import { Channel } from './channel.js';
import type { FromParticipant, ToParticipant } from './participants.js';

const invitation = process.env.USHER_ANVIL_LIVE;
/** The program itself has its modules from its session; it only passes the invitation on. */
const isProgram = isMainThread && /[\\/]process-main\.js$/.test(process.argv[1] ?? '');
if (invitation !== undefined && !isProgram) takePart(JSON.parse(invitation) as { path: string; token: string });

function takePart({ path, token }: { path: string; token: string }): void {
  const id = randomBytes(9).toString('base64url');
  const label = isMainThread ? `process ${process.pid}` : `thread ${threadId}`;
  const patches = new PatchTable();
  const boxes = new Boxes();
  patches.clock(
    () => performance.now(),
    (callback) => void setImmediate(callback),
  );
  // Neither keeps the program alive.
  const socket = connect(path).unref();
  const send = (message: FromParticipant): void => channel.send(message);
  const channel = new Channel(socket, (data) => {
    const message = data as ToParticipant;
    if (message.type === 'change') void apply(message.change).then((answer) => send({ type: 'changed', ask: message.ask, answer }));
  });
  send({ type: 'join', token, id, label, role: 'program' });
  patches.onStopped = () => send({ type: 'undone' });

  // As in the program itself, an error that nobody catches is told, and ends nothing.
  const report = (error: unknown): void => {
    process.exitCode = 1;
    send({ type: 'error', ...told(error), stack: error instanceof Error ? String(error.stack) : '' });
  };
  process.on('uncaughtException', report);
  process.on('unhandledRejection', report);

  const seen = new Set<string>();
  const scope = globalThis as unknown as Record<symbol, unknown>;
  scope[Symbol.for('usher-anvil/live@1')] = (file: string, version: number, meta?: { url: string }): Record<string, unknown> => {
    if (seen.has(file)) patches.renew(file);
    seen.add(file);
    send({ type: 'executed', file, version });
    return { ...patches.face(file, boxes.of(file)), meta, import: importer(file) };
  };
  register(new URL('./participant-hooks.js', import.meta.url), { data: { path, token, id } });

  async function apply(change: ParticipantChange): Promise<ParticipantAnswer> {
    try {
      if (change.do === 'undo') {
        patches.undo();
        return { objects: 0 };
      }
      for (const { file, name, specifier, target } of change.links) {
        const namespace = await importer(file)(specifier);
        patches.lateOf(file)[name] = target === undefined ? namespace : boxes.joined(namespace, target);
      }
      const { failed, filled } = patches.apply(change.steps);
      return failed ? { failed: { step: failed.step, ...told(failed.error) }, objects: 0 } : { objects: filled };
    } catch (error) {
      return { failed: { step: -1, ...told(error) }, objects: 0 };
    }
  }
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

function told(error: unknown): { name: string; message: string } {
  return error instanceof Error ? { name: error.name, message: error.message } : { name: '', message: String(error) };
}
