/** Results of tests that hold over re-executions: nothing they come from has changed. */
import type { RawTest } from '../wire/reports.js';
import type { TestOrder } from '../wire/runs.js';
import type { Linked } from './linked.js';
import type { Run } from './runs.js';

interface Results {
  totalMs: number;
  /** A test's result with those of its subtests, by what they depend on. */
  byKey: Map<string, { site: number; tests: RawTest[] }>;
}

/** Milliseconds of all tests together from which on results are reused. */
const WORTH_REUSING = 100;

export class TestResults {
  /** Those of the last run that had all its tests. */
  private results: Results | undefined;

  /** Results of the last run that the tests of a new text can have again. */
  reusable(linked: Linked): TestOrder | undefined {
    const { results } = this;
    // What takes no time is better run: then its lines have their values.
    if (!results || results.totalMs < WORTH_REUSING) return undefined;
    const reuse: TestOrder['reuse'] = [];
    for (const { site, key } of linked.tests) {
      const known = key === undefined ? undefined : results.byKey.get(key);
      if (known)
        reuse.push({
          site,
          tests: known.tests.map((test) => ({ ...test, site: test.site < 0 ? -1 : test.site - known.site + site })),
        });
    }
    return reuse.length > 0 ? { reuse } : undefined;
  }

  /** Takes the results of a run that had all its tests. */
  take(run: Run): void {
    const byKey: Results['byKey'] = new Map();
    const bySite = new Map<number, RawTest>();
    const inside = new Map<number, RawTest[]>();
    let totalMs = 0;
    for (const test of run.tests.values()) {
      if (test.parent < 0) {
        totalMs += test.durationMs;
        bySite.set(test.site, test);
      } else inside.set(test.parent, [...(inside.get(test.parent) ?? []), test]);
    }
    for (const { site, key } of run.linked.tests) {
      const root = bySite.get(site);
      if (!root || key === undefined) continue;
      const tests: RawTest[] = [];
      const take = (test: RawTest, parent: number): void => {
        const at = tests.push({ ...test, parent }) - 1;
        for (const child of inside.get(test.id) ?? []) take(child, at);
      };
      take(root, -1);
      // What failed is looked at, and runs each time.
      if (tests.every((test) => test.passed && test.error === undefined)) byKey.set(key, { site, tests });
    }
    this.results = { byKey, totalMs };
  }
}
