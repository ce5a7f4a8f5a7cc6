/** Puts the parts of a target together: each is given those it reports to. */
import { PadConsole } from './console.js';
import { Controls } from './controls.js';
import { Disguises } from './disguises.js';
import { ErrorReader } from './errors.js';
import { Input, type InputSource } from './input.js';
import { LiveChanges } from './live-changes.js';
import { Registry } from './modules/registry.js';
import { Opener } from './opener.js';
import * as own from './originals.js';
import { Entries } from './entries/entries.js';
import { Holding } from './holding/holding.js';
import { Snapshots } from './holding/snapshots.js';
import { PointsEngine } from './pausing/points-engine.js';
import { Pauses } from './pausing/pauses.js';
import { Reporter } from './reports/reporter.js';
import { Requests } from './requests.js';
import { ShownValues } from './shown.js';
import { Stacks } from './stacks.js';
import type { TargetEngine } from './target-engine.js';
import type { Framework } from './tests/framework.js';
import { testModule } from './tests/module.js';
import { ReportedTests } from './tests/reported.js';
import { TestRunner } from './tests/runner.js';
import { Timers } from './timers.js';
import { Waits } from './waits.js';

export interface TargetParts {
  reporter: Reporter;
  stacks: Stacks;
  console: PadConsole;
  tests: TestRunner;
  /** Tests that a framework of the project runs. */
  reported: ReportedTests;
  registry: Registry;
  errors: ErrorReader;
  opener: Opener;
  controls: Controls;
  waits: Waits;
  timers: Timers;
  disguises: Disguises;
  shown: ShownValues;
  requests: Requests;
  changes: LiveChanges;
  pauses: Pauses;
  holding: Holding;
  entries: Entries;
}

/**
 * @param source the data that `input` reads
 * @param framework the test framework that runs the pad
 * @param begin the engine's time at which the run began, in milliseconds
 */
export function targetParts(
  engine: TargetEngine,
  source: () => InputSource | undefined,
  framework: () => Framework | undefined,
  begin: () => number,
): TargetParts {
  const now = (): number => engine.now();
  const place = { site: -1, test: -1 };
  const reporter = new Reporter(engine.introspection, (batch) => engine.send(batch), now);
  const isOwnFile = (file: string): boolean => engine.isOwnFile(file);
  const stacks = engine.stacks ?? new Stacks(isOwnFile, (path) => engine.urlOf(path));
  const errors = new ErrorReader(reporter.previewer, stacks, engine.introspection, reporter.holder);
  const console = new PadConsole(reporter, stacks, place, now);
  const tests = new TestRunner(reporter, stacks, errors, place, engine);
  const reported = new ReportedTests(reporter, errors, place, now);
  const shown = new ShownValues(reporter, stacks, engine);
  const waits = new Waits(engine.introspection, now);
  const disguises = new Disguises();
  const timers = new Timers(
    stacks,
    now,
    engine.timerOver && ((handle) => engine.timerOver!(handle)),
    (made, original) => disguises.set(made, original),
  );
  reporter.hooks.caught = (error) => stacks.restored(error);
  reporter.hooks.pending = () => ({ waits: waits.pending(begin()), timers: timers.active() });
  const controls = new Controls(reporter, stacks, errors, now);
  const input = new Input(
    source,
    () => engine.input,
    (text) => shown.note(text),
  );
  const padExports = shown.moduleExports();
  const more: Record<string, unknown> = { ...controls.moduleExports(), input: input.moduleExports() };
  for (const name of own.keys(more)) padExports[name] = more[name];
  const platform = testModule(tests);
  const testsOf = (specifier: string): Record<string, unknown> => {
    const given = specifier === 'node:test' ? platform : framework()?.modules[specifier];
    if (!given) throw new own.ErrorCopy(`${specifier} cannot run tests here: parts of it are not installed`);
    return given;
  };
  const registry = new Registry(engine, { reporter, stacks, place, waits }, testsOf, padExports);
  registry.patches.setClock({ now, later: (callback) => engine.later(callback) });
  const native = own.functionText;
  const opener = new Opener(reporter.holder, reporter.previewer, {
    introspection: engine.introspection,
    now,
    sourceOf: (value) => registry.texts.sourceOf(native(value as () => void)),
    textOf: (value) => native(value as () => void),
  });
  const requests = new Requests(reporter, errors);
  const snapshots = new Snapshots(reporter, stacks);
  const holding = new Holding({
    ...{ engine: engine.holds, reporter, stacks, errors, snapshots },
    evaluate: (file, code) => registry.patches.evaluate(file, code),
    tell: (news) => engine.tellHold?.(news),
  });
  const entries = new Entries(engine.entries, reporter, stacks, now);
  reporter.hooks.entries = () => entries.tell();
  registry.patches.entries = entries;
  registry.patches.hold = (version, step, current) => {
    const { holds, stands, takesPart, file } = step;
    const made = takesPart ? entries.wrap(version, takesPart) : version;
    const known = stands ? pauses.known(made, { ...stands, file }, holds !== undefined) : made;
    if (!holds) return known;
    return holding.wrap(known, { ...holds, file }, (self, args) => own.apply(current?.() ?? known, self, args));
  };
  const points = engine.points && new PointsEngine(engine.points, stacks);
  const pauses = new Pauses({
    ...{ engine: engine.pauses ?? points, reporter, stacks, errors, holding, snapshots },
    evaluate: (file, code) => registry.patches.evaluate(file, code),
    tell: (news) => engine.tellPause?.(news),
  });
  registry.observed.pauses = pauses;
  const changes = new LiveChanges(engine, registry, reporter, errors, console, entries);
  return {
    reporter,
    stacks,
    console,
    tests,
    reported,
    registry,
    errors,
    opener,
    controls,
    waits,
    timers,
    shown,
    disguises,
    requests,
    changes,
    pauses,
    holding,
    entries,
  };
}
