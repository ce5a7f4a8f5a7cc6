/**
 * The thread beside one that takes part in a live program: that of the hooks of its module loader. It can be heard, and
 * can say something, while the other stands still or is busy.
 */
import type { MessagePort } from 'node:worker_threads';
import type { FromGuest, ToGuest } from '../../../wire/guests.js';
import { OWN_FILES } from '../own-files.js';
import { BesideDebugger } from './beside.js';
import { passedBy } from './passed-by.js';
import type { FromStanding } from './standing.js';

/** What the thread says by its port: of its pauses, and all else while it stands. */
export type FromThread =
  | FromStanding
  | { type: 'say'; message: FromGuest }
  /** It waits until it is told to go on. */
  | { type: 'waits'; message: FromGuest; bell: SharedArrayBuffer };

export class GuestBeside {
  private readonly debugger: BesideDebugger | undefined;
  private bell: Int32Array | undefined;

  /**
   * @param port leads to the thread
   * @param isMain it is the main thread of this process
   * @param say tells the session
   */
  constructor(
    private readonly port: MessagePort,
    isMain: boolean,
    private readonly say: (message: FromGuest) => void,
  ) {
    this.debugger = isMain ? new BesideDebugger(passedBy(OWN_FILES)) : undefined;
    port.on('message', (message: FromThread) => this.hear(message));
    port.unref();
  }

  private hear(message: FromThread): void {
    switch (message.type) {
      case 'pausing':
        this.bell = message.bell && new Int32Array(message.bell);
        this.say({ type: 'pausing', news: message.news });
        break;
      case 'beside':
        void this.debugger?.take(message.request);
        break;
      case 'waits':
        this.bell = new Int32Array(message.bell);
        this.say(message.message);
        break;
      case 'say':
        this.say(message.message);
        break;
    }
  }

  /** Passes on what the session says. A thread that is to stop may be busy: its debugger is asked, and not the thread. */
  take(message: ToGuest): void {
    if (message.type === 'pause' && message.request.do === 'pause' && this.debugger) {
      const { ask } = message;
      void this.debugger.soon().then((answer) => this.say({ type: 'answered', ask, answer }));
      return;
    }
    this.port.postMessage(message);
    if (!this.bell) return;
    Atomics.add(this.bell, 0, 1);
    Atomics.notify(this.bell, 0);
  }

  /** There is nobody any more who could let it go on. */
  letGo(): void {
    if (!this.bell) return;
    this.take({ type: 'goes-on' });
    this.take({ type: 'pause', ask: 0, request: { do: 'go', going: { how: 'on' } } });
  }
}
