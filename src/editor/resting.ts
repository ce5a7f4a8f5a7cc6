/** What is done once nobody has done anything for a while: memory that was needed for a moment is given back. */
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';

/** Milliseconds without an edit after which memory is given back, and after which pads give up their threads. */
const COLLECT_MS = 20_000;
const SLEEP_MS = 10 * 60_000;

export class Resting {
  private timers: NodeJS.Timeout[] = [];

  /** @param sleep called when pads are to give up their threads */
  constructor(private readonly sleep: () => void) {}

  /** Somebody has done something. */
  touched(): void {
    this.end();
    this.timers = [setTimeout(collect, COLLECT_MS), setTimeout(this.sleep, SLEEP_MS)];
    for (const timer of this.timers) timer.unref();
  }

  end(): void {
    for (const timer of this.timers) clearTimeout(timer);
  }
}

/** The engine keeps what it once had for the next burst; between bursts others need it more. */
function collect(): void {
  setFlagsFromString('--expose-gc');
  (runInNewContext('gc') as () => void)();
}
