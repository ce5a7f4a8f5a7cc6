import { PatchTable } from '#dist/runtime/patches/table.js';
import type { Step } from '#dist/wire/steps.js';

const FILE = '/canal/chamber.ts';

/** A module as its code registers it: `level` is its variable, `fill` calls through slot 0. */
function chamber(): { patches: PatchTable; fill(): unknown; clock: { now: number; run(): void } } {
  const patches = new PatchTable();
  const jobs: (() => void)[] = [];
  const clock = { now: 0, run: () => jobs.splice(0).forEach((job) => job()) };
  patches.setClock({ now: () => clock.now, later: (job) => void jobs.push(job) });
  const namespace = {};
  const $m = patches.moduleExports(FILE, namespace) as {
    table(slots: object[]): unknown[];
    hook(evaluate: (code: string) => unknown): void;
    due(ticks: Int32Array): void;
    ticks: Int32Array;
  };
  const slot: { f0: (() => unknown) | undefined } = { f0: undefined };
  $m.table([slot]);

  const module = new Function(
    '$m',
    'slot',
    'let level = 4; $m.hook((code) => eval(code)); return () => slot.f0 !== undefined ? slot.f0() : level;',
  ) as (face: object, slot: object) => () => unknown;
  return { patches, fill: module($m, slot), clock };
}

const later = (code: string): Step => ({
  kind: 'function',
  file: FILE,
  name: 'fill',
  slot: 0,
  code,
  each: false,
  self: false,
});
const assign = (code: string): Step => ({
  kind: 'value',
  file: FILE,
  name: 'level',
  access: '({get:()=>level,set:(v)=>{level=v}})',
  how: 'assign',
  code,
});

test('a plan is applied whole, and taken back whole', () => {
  const { patches, fill } = chamber();
  expect(patches.apply([later('(() => level * 2)'), assign('(6)')])).toEqual({ filled: 0 });
  expect(fill()).toBe(12);
  expect(patches.undo()).toBe(true);
  expect(fill()).toBe(4);
  expect(patches.undo()).toBe(false);
});

test('a step that throws takes back those before it, and says which it was', () => {
  const { patches, fill } = chamber();
  const { failed } = patches.apply([assign('(6)'), later('(missing)')]);
  expect(failed).toMatchObject({ step: 1, error: { message: 'missing is not defined' } });
  expect(fill()).toBe(4);
  expect(patches.canUndo).toBe(false);
});

test('a version that reports lies over the one the program has, and a change takes it away', () => {
  const { patches, fill } = chamber();
  patches.apply([later('(() => "changed")')]);
  expect(patches.observe({ steps: [later('(() => "reports")')], release: [] }).failed).toEqual([]);
  expect(fill()).toBe('reports');
  patches.observe({ steps: [], release: [{ file: FILE, slots: [0] }] });
  expect(fill()).toBe('changed');
  patches.observe({ steps: [later('(() => "reports")')], release: [] });
  patches.apply([later('(() => "changed again")')]);
  expect(fill()).toBe('changed again');
});

test('versions that report are put in place as far as the time lasts, and at least one', () => {
  const { patches, fill } = chamber();
  const none = { ...later('(() => "reports")'), slot: 1 };
  expect(patches.observe({ steps: [later('(() => "reports")'), none, none], release: [] }, () => false)).toEqual({
    failed: [],
    taken: 1,
  });
  expect(fill()).toBe('reports');
  let left = 2;
  expect(patches.observe({ steps: [none, none, none], release: [] }, () => --left > 0).taken).toBe(2);
});

describe('the watchdog', () => {
  test('stops patched code that holds the thread, and takes the change back', () => {
    const { patches, fill, clock } = chamber();
    const stopped: number[] = [];
    patches.onStopped = (serial) => stopped.push(serial);
    patches.apply([later('(() => { for (;;) $m.due($m.ticks) })')]);
    const reads = runningClock(clock, 400);
    expect(() => fill()).toThrow('ran for more than 3 s without an end, and was stopped; the last change is undone');
    expect(reads()).toBeGreaterThan(5);
    expect(stopped).toEqual([1]);
    expect(fill()).toBe(4);
  });

  test('lets a job have its time anew when the one before it has ended', () => {
    const { patches, fill, clock } = chamber();
    patches.apply([later('(() => ($m.due($m.ticks), "done"))')]);
    for (let job = 0; job < 5; job++) {
      clock.now += 10_000;
      expect(fill()).toBe('done');
      clock.run();
    }
  });

  test('has its patience set', () => {
    const { patches, fill, clock } = chamber();
    patches.patience = 50;
    patches.apply([later('(() => { for (;;) $m.due($m.ticks) })')]);
    runningClock(clock, 30);
    expect(() => fill()).toThrow('ran for more than 0.05 s');
  });
});

/** Lets a clock go on with each look at it. Gives how often it was looked at. */
function runningClock(clock: { now: number }, step: number): () => number {
  let at = clock.now;
  let reads = 0;
  Object.defineProperty(clock, 'now', { get: () => (reads++, (at += step)) });
  return () => reads;
}

test('what reported twice is released to what was there before, also where that was nothing', () => {
  const { patches, fill } = chamber();
  for (const said of ['once', 'twice']) {
    patches.observe({ steps: [later(`(() => "${said}")`)], release: [] });
    expect(fill()).toBe(said);
  }
  patches.observe({ steps: [], release: [{ file: FILE, slots: [0] }] });
  expect(fill()).toBe(4);
});
