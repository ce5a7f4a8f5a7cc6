/** Holding calls of the platform until a person lets them through. */
import { receiveMessageOnPort, type MessagePort } from 'node:worker_threads';
import type { Target } from '../../../runtime/target.js';
import type { Originals } from '../pad/originals.js';

/** Milliseconds between two looks for messages while a call is held. */
const LOOK_MS = 15;

export class Holding {
  /** Above 0 while a call that was let through is under way: what it does inside is its own. */
  private through = 1;
  private readonly sleep = new Int32Array(new SharedArrayBuffer(4));

  /**
   * @param handle takes what the session says while the thread stands still
   * @param end tells the session that nobody can let anything through, and ends the thread
   */
  constructor(
    private readonly originals: Originals,
    private readonly port: MessagePort,
    private readonly target: () => Target,
    private readonly handle: (message: never) => void,
    private readonly end: (what: string) => void,
  ) {}

  /** The pad begins: from now on its calls are held. Until then, what is loaded ahead is let be. */
  begin(): void {
    this.through = 0;
  }

  get isThrough(): boolean {
    return this.through > 0;
  }

  /** Does something that was let through. */
  pass<Result>(action: () => Result): Result {
    this.through++;
    try {
      return action();
    } finally {
      this.through--;
    }
  }

  /** Stands still until it is let through; everything that was computed before can be looked at meanwhile. */
  now(what: string, detail?: string): void {
    const target = this.target();
    let open = false;
    target.parts.controls.hold(what, detail, () => (open = true));
    target.flush();
    if (!open) this.end(what);
    while (!open) {
      const received = receiveMessageOnPort(this.port) as { message: never } | undefined;
      if (received) this.handle(received.message);
      else this.originals.wait(this.sleep, 0, 0, LOOK_MS);
    }
  }

  /** Resolves when it is let through; everything else goes on. */
  later(what: string, detail?: string): Promise<void> {
    return new Promise((resolve) => this.target().parts.controls.hold(what, detail, resolve));
  }
}
