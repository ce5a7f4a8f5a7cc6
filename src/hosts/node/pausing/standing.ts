/** A thread that stands still: it is told by a bell in shared memory that somebody has said something. */
import vm from 'node:vm';
import { receiveMessageOnPort, type MessagePort } from 'node:worker_threads';
import type { PauseEngine } from '../../../runtime/pausing/engine.js';
import type { FromPad, ToPad } from '../../../wire/messages.js';
import type { PauseNews } from '../../../wire/pausing.js';
import type { Originals } from '../pad/originals.js';
import type { BesideRequest } from './beside.js';
import { MainThreadDebugger } from './main-thread.js';
import { passedBy } from './passed-by.js';
import { ThreadDebugger } from './thread-debugger.js';

/** Milliseconds after which it looks for messages without having been told. */
const LOOK_MS = 1_000;

/**
 * @param ownFiles folders of ours, as addresses and as paths
 * @param handle takes what the session says
 * @param isMain it is the main thread of its process, with the relay beside it
 */
export function standingThread(
  originals: Originals,
  port: MessagePort,
  ownFiles: readonly string[],
  handle: (message: ToPad) => void,
  isMain: boolean,
): { pauses: PauseEngine; tell(news: PauseNews): void; end(): void } {
  const { wait, load, send, builtin, later } = originals;
  const compile = (code: string, filename: string): unknown => new vm.Script(code, { filename }).runInThisContext();
  let bell = new Int32Array(new SharedArrayBuffer(4));
  const next = (): void => {
    const rung = load(bell, 0);
    const received = receiveMessageOnPort(port) as { message: ToPad } | undefined;
    if (received) handle(received.message);
    else wait(bell, 0, rung, LOOK_MS);
  };
  const ask = (request: BesideRequest): void => send({ type: 'beside', request });
  const thread = { builtin, later, passedBy: passedBy(ownFiles), wait: next };
  const main = isMain ? new MainThreadDebugger({ ...thread, load, now: originals.now, ask }) : undefined;
  return {
    pauses: main ?? new ThreadDebugger({ ...thread, compile }),
    end: () => main?.end(),
    tell(news) {
      const message: FromPad = { type: 'pausing', news };
      if (news.is === 'paused') {
        bell = new Int32Array(new SharedArrayBuffer(4));
        message.bell = bell.buffer;
      }
      send(message);
    },
  };
}
