/** Tests that a framework of the project runs: what it tells of them becomes reports like those of our own runner. */
import type { RawError, RawTest } from '../../wire/reports.js';
import type { ErrorReader } from '../errors.js';
import * as own from '../originals.js';
import type { ConsolePlace } from '../probes.js';
import type { Reporter } from '../reports/reporter.js';
import { takeIds } from './node.js';

/** What is told of a test or suite. */
export interface Told {
  name: string;
  /** The suite around it; one that passed by itself has failed where a test in it has. */
  parent?: object | undefined;
  suite: boolean;
  state: RawTest['state'];
  /** Where the framework does not say, it is measured. */
  durationMs?: number;
  failure?: RawTest['failure'];
  reason?: string | undefined;
  leftOut?: RawTest['leftOut'];
  /** As {@link ReportedTests.read} gave it. */
  error?: RawError | undefined;
}

interface Known {
  id: number;
  site: number;
  path: string[];
  name: string;
  raw: RawTest | undefined;
  flushes: number;
  /** Milliseconds of the engine's clock. */
  began: number;
  around: Known | undefined;
  /** Of a suite: the tests in it that have failed, by number. */
  failed: Map<number, true>;
}

export class ReportedTests {
  /** By whatever object the framework has for each. */
  private readonly known = own.safeMap<object, Known>();
  private readonly sites = own.safeWeakMap<object, { site: number }>();

  constructor(
    private readonly reporter: Reporter,
    private readonly errors: ErrorReader,
    private readonly place: ConsolePlace,
    private readonly now: () => number,
  ) {}

  /** Site of the call that declares a test just now, or -1; told once. */
  takeSite(): number {
    const { test = -1 } = this.place;
    this.place.test = -1;
    return test;
  }

  /** A test or suite was declared by the call at a site. */
  declared(test: object, site: number): void {
    if (site >= 0) this.sites.set(test, { site });
  }

  /** Reads what a test threw, when it throws it: frameworks change errors later. */
  read(thrown: unknown): RawError {
    return this.errors.read(thrown, 'thrown', ++this.reporter.clock);
  }

  /** An error that belongs to no test. */
  failed(thrown: unknown): void {
    this.reporter.addError(this.read(thrown));
  }

  tell(test: object, told: Told): void {
    const known = this.knownOf(test, told);
    const parent = told.parent && this.known.get(told.parent);
    let { state, failure, reason } = told;
    const { error, leftOut } = told;
    if (!told.suite) this.count(known, state === 'failed');
    else if (state === 'passed' && own.mapSize(known.failed) > 0) {
      state = 'failed';
      failure = 'subtests';
      reason = `${own.mapSize(known.failed)} in it failed`;
    }
    const raw: RawTest = {
      moment: ++this.reporter.clock,
      id: known.id,
      parent: parent ? parent.id : -1,
      name: told.name,
      path: known.path,
      state,
      // What is to do without a body has not failed.
      passed: state === 'passed' || state === 'todo',
      durationMs: told.durationMs ?? (state === 'running' ? 0 : this.now() - known.began),
      suite: told.suite,
      site: known.site,
    };
    if (failure) raw.failure = failure;
    if (error) raw.error = error;
    if (reason !== undefined) raw.reason = reason;
    if (leftOut) raw.leftOut = leftOut;
    this.reporter.asked.reached?.note(raw);
    if (known.raw && known.flushes === this.reporter.flushes) Object.assign(known.raw, raw);
    else {
      known.raw = raw;
      known.flushes = this.reporter.flushes;
      this.reporter.addTest(raw);
    }
  }

  /** Suites in which a test has failed have failed with it. */
  private count(test: Known, isFailed: boolean): void {
    for (let at = test.around; at; at = at.around) {
      if (isFailed) at.failed.set(test.id, true);
      else at.failed.delete(test.id);
    }
  }

  private knownOf(test: object, { name, parent }: Told): Known {
    let known = this.known.get(test);
    if (!known) {
      const around = parent && this.known.get(parent);
      const path: string[] = [];
      if (around) {
        for (let i = 0; i < around.path.length; i++) own.append(path, around.path[i]!);
        own.append(path, around.name);
      }
      const site = this.sites.get(test)?.site ?? -1;
      const counted = { failed: own.safeMap<number, true>(), around: around || undefined };
      known = { id: takeIds(1) + 1, site, path, name, raw: undefined, flushes: -1, began: this.now(), ...counted };
      this.known.set(test, known);
    }
    return known;
  }
}
