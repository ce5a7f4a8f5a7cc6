/** Asks the session for modules that were not known before the run. */
import { receiveMessageOnPort, type MessagePort } from 'node:worker_threads';
import type { Resolved, ToPad } from '../../../wire/messages.js';
import { Replies } from '../../../wire/replies.js';
import type { Originals } from './originals.js';

/** Milliseconds that `require` waits for an answer. */
const PATIENCE_MS = 10_000;
/** Milliseconds between two looks for an answer that was told to be there, and how often it is looked. */
const LOOK_MS = 5;
const LOOKS = 100;

export class Asking {
  private readonly replies = new Replies<Resolved>();

  /**
   * @param isIdle the program has come to its end: the port keeps the thread
   * @param handle takes other messages that come meanwhile
   */
  constructor(
    private readonly originals: Originals,
    private readonly port: MessagePort,
    private readonly isIdle: () => boolean,
    private readonly handle: (message: ToPad) => void,
  ) {}

  resolve(specifier: string, from: string): Promise<Resolved> {
    this.port.ref();
    return this.replies.ask((ask) => this.originals.send({ type: 'resolve', ask, specifier, from }));
  }

  /** The same for `require`: the thread waits. @throws Error when no answer comes */
  resolveNow(specifier: string, from: string): Resolved {
    const { originals, port } = this;
    const ask = this.replies.number();
    const wake = new SharedArrayBuffer(4);
    originals.send({ type: 'resolve', ask, specifier, from, wake });
    originals.wait(new Int32Array(wake), 0, 0, PATIENCE_MS);
    for (let looks = 0; looks < LOOKS; looks++) {
      const received = receiveMessageOnPort(port) as { message: ToPad } | undefined;
      if (!received) {
        originals.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, LOOK_MS);
        continue;
      }
      if (received.message.type === 'resolved' && received.message.ask === ask) return received.message.answer;
      this.handle(received.message);
    }
    throw new Error(`no answer for require('${specifier}')`);
  }

  answered(ask: number, answer: Resolved): void {
    this.replies.answer(ask, answer);
    if (this.replies.open === 0 && !this.isIdle()) this.port.unref();
  }
}
