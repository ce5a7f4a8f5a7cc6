/** Guards the ways in which a pad can end or leave its thread: the session is told first. */
import type { PadData } from '../../../wire/messages.js';
import type { Originals } from './originals.js';

const GUARDED = ['exit', 'abort', 'kill', 'reallyExit'] as const;

export interface WaysOut {
  /** The program has called for its end. */
  asked(): void;
  /** Lets the program hear of its end. Gives the code it ends with. */
  exitCode(code: number | undefined): number | undefined;
  /** Tells the session why this thread is about to end, and waits until it knows. */
  leave(reason: 'exit' | 'abort' | 'killed', code?: number | string): void;
}

export function guardWaysOut(
  originals: Originals,
  place: PadData['place'],
  ways: WaysOut,
  disguise: (made: object, original: object) => void,
): void {
  const all = process as unknown as Record<(typeof GUARDED)[number], object>;
  const before = GUARDED.map((name) => all[name]);
  process.exit = ((code?: number | string | null) => {
    ways.asked();
    const given = ways.exitCode(code === undefined || code === null ? undefined : Number(code));
    ways.leave('exit', given);
    return originals.exit(given);
  }) as typeof process.exit;
  process.abort = () => {
    ways.leave('abort');
    if (place === 'process') originals.abort();
    return originals.exit(134);
  };
  process.kill = (pid, signal) => {
    if (
      pid === process.pid &&
      signal !== 0 &&
      (place === 'worker' || process.listenerCount(String(signal ?? 'SIGTERM')) === 0)
    )
      ways.leave('killed', typeof signal === 'number' ? signal : (signal ?? 'SIGTERM'));
    return originals.kill(pid, signal);
  };
  (process as unknown as { reallyExit: (code?: number) => never }).reallyExit = (code) => {
    // Called by the engine's own exit too, which has been told of then.
    ways.leave('exit', code ?? 0);
    return originals.reallyExit(code);
  };
  GUARDED.forEach((name, index) => disguise(all[name], before[index]!));
  if (place === 'worker') {
    for (const name of ['chdir', 'setuid', 'setgid', 'seteuid', 'setegid', 'setgroups', 'initgroups'] as const) {
      Object.defineProperty(process, name, {
        value: {
          [name](): never {
            originals.send({ type: 'needs-process', what: `process.${name}` });
            throw new Error(`process.${name} needs a process of its own`);
          },
        }[name],
        configurable: true,
        writable: true,
      });
    }
  }
}
