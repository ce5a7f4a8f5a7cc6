/** Who hears what the program writes, beside where it writes it. */
import type { LiveOutput } from './events.js';
import type { RunningProgram } from './running.js';

export class Outputs {
  private readonly listeners = new Set<(output: LiveOutput) => void>();

  /** @param listen tells the program itself that somebody listens, or nobody */
  constructor(
    private readonly running: RunningProgram,
    private readonly listen: (on: boolean) => void,
    private readonly observes: () => boolean,
  ) {}

  /** Somebody listens. */
  get wanted(): boolean {
    return this.listeners.size > 0;
  }

  /** Returns a function that ends it. */
  add(listener: (output: LiveOutput) => void): () => void {
    if (!this.wanted) this.switch(true);
    this.listeners.add(listener);
    return () => {
      if (this.listeners.delete(listener) && !this.wanted) this.switch(false);
    };
  }

  tell(output: LiveOutput): void {
    for (const listener of this.listeners) listener(output);
  }

  private switch(on: boolean): void {
    this.listen(on);
    if (this.observes()) return;
    for (const { guest } of this.running.targets) if (guest?.console) void guest.change({ do: 'report', on });
  }
}
