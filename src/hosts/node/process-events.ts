/**
 * What Node tells a program of its end and of errors that nobody caught, seen
 * before the program's own listeners and without being one of them.
 */

type Emit = (event: string | symbol, ...args: unknown[]) => boolean;

export interface ProcessEvents {
  /**
   * Nothing is left to do, and the thread ends unless something keeps it. `tell`
   * lets the program know, as Node does; what it gives is true where a listener
   * has begun something new.
   */
  drained?(tell: () => Promise<boolean>): void;
  /** Called when `exit` is told, before the program's listeners; may give another code for it. */
  leaving?(): number | undefined;
  /** An error that the program does not handle; false leaves it to Node. */
  uncaught(error: unknown, kind: 'uncaught' | 'rejection'): boolean;
}

export interface ProcessEnd {
  /** Tells the program of its exit, once: its exit code afterwards. */
  exit(code?: number): number;
  /** Lets the program's own listeners take an error; false where it has none. */
  handled(error: unknown): boolean;
}

/** Watches the events of this thread's process. */
export function watchProcess(events: ProcessEvents): ProcessEnd {
  const holder = Object.getPrototypeOf(process) as object;
  const inherited = process.emit.bind(process) as Emit;
  const nextTick = process.nextTick.bind(process);
  const microtask = queueMicrotask;
  const state = process as unknown as { _exiting?: boolean };
  let checking = false;

  const tell = (): Promise<boolean> => {
    // What keeps the loop going, as far as Node lists it: more of it afterwards is what a listener has begun.
    const before = process.getActiveResourcesInfo().length;
    const busy = (): boolean => process.getActiveResourcesInfo().length > before;
    inherited('beforeExit', process.exitCode ?? 0);
    if (busy()) return Promise.resolve(true);
    // What a listener put off to the end of its turn, and what that put off.
    return new Promise((resolve) => nextTick(() => microtask(() => nextTick(() => resolve(busy())))));
  };

  const emit: Emit = (event, ...args) => {
    switch (event) {
      case 'beforeExit':
        if (!events.drained) break;
        if (!checking) {
          checking = true;
          try {
            events.drained(tell);
          } finally {
            checking = false;
          }
        }
        return true;
      case 'exit':
        return inherited(event, events.leaving?.() ?? args[0]);
      case 'uncaughtException':
        return inherited(event, ...args) || events.uncaught(args[0], 'uncaught');
      case 'unhandledRejection':
        return inherited(event, ...args) || events.uncaught(args[0], 'rejection');
    }
    return inherited(event, ...args);
  };
  Object.defineProperty(holder, 'emit', {
    value: function (this: unknown, event: string | symbol, ...args: unknown[]): boolean {
      return emit(event, ...args);
    },
    writable: true,
    configurable: true,
    enumerable: false,
  });

  return {
    exit(code) {
      if (code !== undefined) process.exitCode = code;
      if (state._exiting !== true) {
        state._exiting = true;
        process.emit('exit', Number(process.exitCode ?? 0));
      }
      return Number(process.exitCode ?? 0);
    },
    handled: (error) => inherited('uncaughtException', error, 'uncaughtException'),
  };
}
