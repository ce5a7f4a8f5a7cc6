/** A thread that stands still: it is told by a bell in shared memory that somebody has said something. */
import vm from 'node:vm';
import { receiveMessageOnPort, type MessagePort } from 'node:worker_threads';
import type { PauseEngine } from '../../../runtime/pausing/engine.js';
import type { PauseNews } from '../../../wire/pausing.js';
import type { Originals } from '../pad/originals.js';
import { OWN_FILES } from '../own-files.js';
import type { BesideRequest } from './beside.js';
import { MainThreadDebugger } from './main-thread.js';
import { passedBy } from './passed-by.js';
import { ThreadDebugger } from './thread-debugger.js';

/** Milliseconds after which it looks for messages without having been told. */
const LOOK_MS = 1_000;

/** What a thread says of its pauses. The bell is rung for each message to it while it stands. */
export type FromStanding =
  { type: 'pausing'; news: PauseNews; bell?: SharedArrayBuffer } | { type: 'beside'; request: BesideRequest };

export interface StandingParts<Message> {
  originals: Pick<Originals, 'wait' | 'load' | 'builtin' | 'later' | 'now'>;
  /** Says something to the thread beside this one, without waiting for anything. */
  send(message: FromStanding): void;
  /** Where that says what this one has to hear while it stands. */
  port: MessagePort;
  handle(message: Message): void;
  /** It is the main thread of its process: the one beside it drives its debugger. */
  isMain: boolean;
}

export interface StandingThread {
  pauses: PauseEngine;
  tell(news: PauseNews): void;
  /**
   * Waits, and takes what it is told meanwhile.
   *
   * @param say tells of the bell
   * @param isOver asked behind each message
   * @param mostMs milliseconds after which it goes on by itself
   */
  waitFor(say: (bell: SharedArrayBuffer) => void, isOver: () => boolean, mostMs: number): void;
  /** The process ends. */
  end(): void;
}

export function standingThread<Message>({
  originals,
  send,
  port,
  handle,
  isMain,
}: StandingParts<Message>): StandingThread {
  const { wait, load, builtin, later, now } = originals;
  const compile = (code: string, filename: string): unknown => new vm.Script(code, { filename }).runInThisContext();
  let bell = new Int32Array(new SharedArrayBuffer(4));
  const next = (ms = LOOK_MS): void => {
    const rung = load(bell, 0);
    const received = receiveMessageOnPort(port) as { message: Message } | undefined;
    if (received) handle(received.message);
    else wait(bell, 0, rung, ms);
  };
  const ask = (request: BesideRequest): void => send({ type: 'beside', request });
  const newBell = (): SharedArrayBuffer => {
    bell = new Int32Array(new SharedArrayBuffer(4));
    return bell.buffer;
  };
  const thread = { builtin, later, passedBy: passedBy(OWN_FILES), wait: () => next() };
  const main = isMain ? new MainThreadDebugger({ ...thread, load, now, ask }) : undefined;
  return {
    pauses: main ?? new ThreadDebugger({ ...thread, compile }),
    end: () => main?.end(),
    tell(news) {
      if (news.is === 'paused') send({ type: 'pausing', news, bell: newBell() });
      else send({ type: 'pausing', news });
    },
    waitFor(say, isOver, mostMs) {
      say(newBell());
      const until = now() + mostMs;
      for (let left = mostMs; !isOver() && left > 0; left = until - now()) next(left);
    },
  };
}
