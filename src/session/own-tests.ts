/** The project's own test framework beside a pad's run of its tests: when it runs, and what it says. */
import type { OwnRun } from '../record/record.js';
import type { OwnRunHandle } from './host.js';
import type { Linker } from './linker.js';
import type { SessionOptions, SessionParts } from './options.js';
import type { Run } from './runs.js';

/** Milliseconds after a run in which nobody may have typed. */
const REST_MS = 800;

export class OwnTests {
  private handle: OwnRunHandle | undefined;
  private waiting: (() => void) | undefined;

  constructor(
    private readonly options: Pick<SessionOptions, 'file' | 'ownRuns'>,
    private readonly parts: Pick<SessionParts, 'clock' | 'ownRuns'>,
    private readonly linker: Pick<Linker, 'isSaved' | 'unsavedTexts'>,
    private readonly changed: (run: Run) => void,
  ) {}

  cancel(): void {
    this.waiting?.();
    this.waiting = undefined;
    this.handle?.cancel();
    this.handle = undefined;
  }

  /** Why a run's tests are left to the framework; undefined where the pad runs them. */
  instead({ linked }: Run): string | undefined {
    return this.parts.ownRuns ? linked.framework?.gap : undefined;
  }

  /** A run has come to its end. Gives a promise where something has to be there before that is told. */
  ended(run: Run): Promise<void> | undefined {
    const { ownRuns } = this.options;
    if (!ownRuns || !run.linked.framework || !this.parts.ownRuns || run.tests.size === 0 || !this.mayRun(run))
      return undefined;
    if (ownRuns === 'at-end') return this.begin(run);
    this.waiting = this.parts.clock.after(REST_MS, () => void this.begin(run));
    return undefined;
  }

  private mayRun({ linked }: Run): boolean {
    return this.parts.ownRuns!.takesUnsaved(linked.framework!) || this.linker.isSaved(linked);
  }

  /** Runs the tests of a run by the framework. */
  async begin(run: Run, instead?: string): Promise<void> {
    const framework = run.linked.framework!;
    const base = { framework: framework.name, differing: 0, ...(instead === undefined ? {} : { instead }) };
    const tell = (own: OwnRun, results?: Parameters<typeof run.builder.ownRun>[1]): void => {
      run.builder.ownRun(own, results);
      this.changed(run);
    };
    this.waiting = undefined;
    if (instead !== undefined && !this.mayRun(run)) {
      tell({ ...base, state: 'failed', problem: 'the text has to be saved first' });
      return;
    }
    const { clock, ownRuns } = this.parts;
    const began = clock.now();
    const texts = this.linker.unsavedTexts(run.linked);
    const files = run.linked.program.files.map((one) => one.file);
    const handle = (this.handle = ownRuns!.start(framework, this.options.file, texts, files));
    tell({ ...base, state: 'running' });
    try {
      const results = await handle.results;
      if (this.handle === handle) tell({ ...base, state: 'done', durationMs: clock.now() - began }, results);
    } catch (error) {
      if (this.handle === handle) tell({ ...base, state: 'failed', problem: (error as Error).message });
    }
  }
}
