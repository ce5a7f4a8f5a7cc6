/** What a target tells of a run, and what comes of it. */
import { RecordBuilder } from '../record/builder.js';
import type { Stop } from '../record/record.js';
import type { RawStop } from '../wire/runs.js';
import type { CleanRuns } from './clean-runs.js';
import type { Dials } from './dials.js';
import type { HostKind, RunSink } from './host.js';
import type { Hosts } from './hosts.js';
import { overdue } from './limit.js';
import type { PadPausing } from './pausing/pad-pausing.js';
import type { Linker } from './linker.js';
import type { Looks } from './looks.js';
import type { SessionOptions } from './options.js';
import type { OwnTests } from './own-tests.js';
import type { Repeating } from './repeating.js';
import type { Run } from './runs.js';
import type { Showing } from './showing.js';
import { stopOf } from './stop.js';
import type { Surroundings } from './surroundings.js';
import type { TestResults } from './test-results.js';

/** Milliseconds after its tests for which the run of a file may go on, where it runs once. */
const LEFT_MS = 400;

/** What a session has over its runs. `repeating`: at depth `steps`. */
export interface OverRuns {
  results: TestResults;
  own: OwnTests;
  clean: CleanRuns;
  repeating: Repeating | undefined;
}

/** The session of a run. */
export interface RunOwner {
  linker: Linker;
  hosts: Hosts;
  showing: Showing;
  looks: Looks;
  around: Surroundings;
  dials: Dials;
  tests: OverRuns;
  options: SessionOptions;
  pausing: PadPausing;
  /** Calls back after some milliseconds. */
  after(ms: number, callback: () => void): void;
  isCurrent(run: Run): boolean;
  /** Starts it once more, in a process of its own. */
  startAgain(run: Run): void;
  end(run: Run, stop: Stop, raw?: RawStop): void;
  endOf(run: Run): void;
}

export function sinkOf(run: Run, kind: HostKind, owner: RunOwner): RunSink {
  const { linked } = run;
  const live = (): boolean => owner.isCurrent(run);
  /** Nothing of it is pending any more. */
  let isIdle = false;
  const ended = (): void => {
    run.limit?.();
    const isWhole = !run.kept && !run.quick;
    if (!isWhole) owner.tests.clean.ended();
    const waits = isWhole ? owner.tests.own.ended(run) : undefined;
    if (waits) void waits.then(() => owner.endOf(run));
    else owner.endOf(run);
  };
  return {
    batch: (batch) => {
      if (!live()) return;
      if (batch.kept) owner.around.kept.take(run, batch.kept);
      for (const gate of batch.gates ?? []) owner.around.note(gate);
      for (const test of batch.tests ?? []) run.tests.set(test.id, test);
      run.builder.add(batch);
      const { repeating } = owner.tests;
      if (batch.outside) repeating?.take(run, batch.outside);
      if (repeating?.isAtEnd(run)) {
        owner.end(run, repeating.stop!);
        return;
      }
      if (!run.quiet && !run.repeats) owner.showing.soon(run);
    },
    settled: (durationMs) => {
      if (!live()) return;
      run.settled = true;
      owner.dials.runEnded(run);
      run.durationMs = durationMs;
      if (!run.order?.alone && !run.quick) owner.tests.results.take(run);
      // Most pads are done altogether a moment later: one record then, in place of two.
      if (!run.repeats) owner.showing.after(run, 2);
      // What tests leave running ends with them, as in their framework; nobody is there to look at it.
      if (owner.options.alone && linked.framework && run.tests.size > 0)
        owner.after(LEFT_MS, () => {
          if (!live() || isIdle) return;
          run.handle?.cancel();
          ended();
        });
    },
    idle: () => {
      if (!live()) return;
      isIdle = true;
      ended();
    },
    kept: () => {
      if (live()) run.kept = true;
    },
    stopped: (raw) => {
      if (!live()) return;
      const stop = stopOf(run.linked.program, raw);
      owner.end(run, raw.reason === 'time-limit' ? overdue(run, owner.options.timeLimitMs) : stop, raw);
    },
    needsProcess: (what) => {
      if (!live() || kind !== 'worker') return;
      owner.hosts.needed = what;
      run.handle?.cancel();
      run.builder = new RecordBuilder(linked.program, run.builder.stepsBytes);
      if (owner.options.target === 'worker')
        owner.end(run, {
          reason: 'crashed',
          message: `the pad needs a process of its own: a worker has no ${what}. Run it with --process.`,
        });
      else owner.startAgain(run);
    },
    result: (result) => {
      run.result = result;
    },
    looked: (ask, answer) => owner.looks.answer(ask, answer),
    pausing: (news) => {
      if (live()) owner.pausing.take(news);
    },
    answered: (ask, answer) => owner.pausing.answered(ask, answer),
    resolve: (specifier, from) => {
      const { link, modules, program } = owner.linker.extend(run.linked, specifier, from);
      run.linked = { ...run.linked, program };
      run.builder.extend(program);
      return { link, modules };
    },
  };
}
