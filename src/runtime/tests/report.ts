/** Reports tests: as they begin, as they end, and once more where nothing has changed. */
import type { RawError, RawTest } from '../../wire/reports.js';
import type { ErrorReader } from '../errors.js';
import * as own from '../originals.js';
import type { Reporter } from '../reports/reporter.js';
import { copyOf, pathOf, takeIds, type TestNode } from './node.js';

export class TestReport {
  constructor(
    private readonly reporter: Reporter,
    private readonly errors: ErrorReader,
    private readonly root: TestNode,
  ) {}

  /** Gives the results of an earlier run once more: nothing that they come from has changed. */
  repeat(node: TestNode, known: readonly RawTest[]): Promise<void> {
    const moment = ++this.reporter.clock;
    const shift = takeIds(known.length);
    for (let i = 0; i < known.length; i++) {
      const one = known[i]!;
      this.reporter.addTest({
        ...one,
        moment,
        id: shift + i + 1,
        parent: one.parent < 0 ? -1 : shift + one.parent + 1,
        reused: true,
      });
    }
    node.state.finished = true;
    node.state.passed = true;
    return own.PromiseCopy.resolve();
  }

  /** An error that no test takes. */
  error(error: unknown): void {
    this.reporter.addError(this.errors.read(error, 'thrown', ++this.reporter.clock));
  }

  report(node: TestNode, state: RawTest['state']): void {
    const running = state === 'running';
    const raw: RawTest = {
      moment: ++this.reporter.clock,
      id: node.id,
      parent: node.parent === this.root ? -1 : node.parent!.id,
      name: node.name,
      path: pathOf(node.parent!, this.root),
      state,
      passed: node.state.passed,
      durationMs: running ? 0 : node.state.ended - node.state.started,
      suite: node.suite,
      site: node.reported.site,
    };
    if (node.reported.frame) raw.frame = node.reported.frame;
    if (node.state.leftOut) raw.leftOut = node.state.leftOut;
    if (node.state.reason !== undefined) raw.reason = node.state.reason;
    if (node.reported.notes.length > 0) raw.notes = copyOf(node.reported.notes);
    if (!running && node.state.failure) {
      const { failure, message, thrown } = node.state.failure;
      raw.failure = failure;
      if (message !== '' && state === 'failed') raw.reason = message;
      if (thrown) raw.error = this.errors.read(thrown.value, 'thrown', ++this.reporter.clock);
      else if (failure !== 'subtests') raw.error = this.plain(node, message, raw.moment);
    }
    this.reporter.asked.reached?.note(raw);
    if (node.reported.raw && node.reported.flushes === this.reporter.flushes) Object.assign(node.reported.raw, raw);
    else {
      node.reported.raw = raw;
      node.reported.flushes = this.reporter.flushes;
      this.reporter.addTest(raw);
    }
  }

  /** A failure that nobody threw. */
  private plain(node: TestNode, message: string, moment: number): RawError {
    return { kind: 'thrown', moment, name: '', message, frames: node.reported.frame ? [node.reported.frame] : [] };
  }
}
