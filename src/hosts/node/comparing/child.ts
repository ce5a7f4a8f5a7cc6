/** Inside of a process that calls ways of a comparison: the person's plain code, and nothing around it. */
import { performance, PerformanceObserver } from 'node:perf_hooks';
import { pathToFileURL } from 'node:url';
import { equalityOf, type Inputs, type Way } from '../../../compare/equality.js';
import { differencesApart } from '../../../compare/sameness.js';
import { Previewer } from '../../../runtime/preview.js';
import type { ComparedAnswer, LoadedWay, ToCompared } from '../../../wire/comparing.js';
import { nodeInsight } from '../introspection.js';

type Namespace = Record<string, unknown>;

/** Calls of one batch at most: each input is made before the clock runs. */
const MOST_CALLS = 200_000;
/** Milliseconds of a batch while it gets warm, and how long that may take. */
const WARM_BATCH_MS = 5;
const WARM_MS = 600;
/** Batches of which the last ones have to be as fast as each other. */
const STILL = 5;

interface Timed {
  way: Way;
  /** Gives what it is called with. */
  input: () => unknown;
  isAsync: boolean;
  /** Calls of a millisecond, as far as is known. */
  pace: number;
}

export class Compared {
  private timed: Timed | undefined;
  private collections = 0;
  /** What calls give goes here: so none of them can be left out. */
  sink: unknown;

  constructor() {
    new PerformanceObserver((list) => {
      this.collections += list.getEntries().length;
    }).observe({ entryTypes: ['gc'] });
  }

  async answer(asked: ToCompared): Promise<ComparedAnswer> {
    try {
      switch (asked.do) {
        case 'load':
          return await this.load(asked.way, asked.data, asked.size);
        case 'warm':
          await this.warm(this.loaded());
          return { is: 'warm' };
        case 'batch': {
          const ns = await this.batch(this.loaded(), asked.ms);
          // Collections are told a little later.
          await new Promise((done) => setImmediate(done));
          const { collections } = this;
          this.collections = 0;
          return { is: 'batch', ns, collections };
        }
        case 'memory':
          return { is: 'memory', ...(await this.memory(this.loaded())) };
        case 'equal':
          return { is: 'equal', ...(await this.equal(asked)) };
      }
    } catch (error) {
      return { is: 'failed', why: error instanceof Error ? `${error.name}: ${error.message}` : String(error) };
    }
  }

  private loaded(): Timed {
    if (!this.timed) throw new Error('no way is loaded');
    return this.timed;
  }

  private async load(loaded: LoadedWay, data: string, size: number | undefined): Promise<ComparedAnswer> {
    const way = await wayOf(loaded);
    const { input, sized } = await dataOf(data);
    const made = size === undefined || !sized ? await fresh(input, way) : (): unknown => sized(size);
    const first = way(made());
    this.sink = first;
    this.timed = { way, input: made, isAsync: isThenable(first), pace: 1 };
    if (this.timed.isAsync) await first;
    return { is: 'loaded', isSized: sized !== undefined };
  }

  /** Calls it until its times stand still. */
  private async warm(timed: Timed): Promise<void> {
    const times: number[] = [];
    for (const end = performance.now() + WARM_MS; performance.now() < end;) {
      times.push(await this.batch(timed, WARM_BATCH_MS));
      const last = times.slice(-STILL);
      if (times.length > STILL * 2 && Math.max(...last) < Math.min(...last) * 1.1) break;
    }
    await new Promise((done) => setImmediate(done));
    this.collections = 0;
  }

  /** @returns nanoseconds of one call */
  private async batch(timed: Timed, ms: number): Promise<number> {
    const { way, input, isAsync } = timed;
    const calls = Math.max(1, Math.min(MOST_CALLS, Math.round(timed.pace * ms)));
    const inputs: unknown[] = [];
    for (let i = 0; i < calls; i++) inputs.push(input());
    let sink: unknown;
    const began = performance.now();
    if (isAsync) for (let i = 0; i < calls; i++) sink = await way(inputs[i]);
    else for (let i = 0; i < calls; i++) sink = way(inputs[i]);
    const took = performance.now() - began;
    this.sink = sink;
    timed.pace = calls / Math.max(took, 0.001);
    return (took * 1e6) / calls;
  }

  /** What one call adds to the heap: the middle of some rounds in which it did not shrink. */
  private async memory(timed: Timed): Promise<{ bytes?: number }> {
    const { way, input, isAsync } = timed;
    const found: number[] = [];
    for (let round = 0; round < 20; round++) {
      const calls = Math.max(1, Math.min(1_000, Math.round(timed.pace)));
      const inputs = Array.from({ length: calls }, input);
      const kept = new Array<unknown>(calls);
      const before = process.memoryUsage().heapUsed;
      for (let i = 0; i < calls; i++) kept[i] = isAsync ? await way(inputs[i]) : way(inputs[i]);
      const grown = process.memoryUsage().heapUsed - before;
      this.sink = kept;
      if (grown >= 0) found.push(grown / calls);
    }
    found.sort((a, b) => a - b);
    const middle = found[found.length >> 1];
    return middle === undefined ? {} : { bytes: Math.round(middle) };
  }

  private async equal(
    asked: Extract<ToCompared, { do: 'equal' }>,
  ): Promise<Omit<Extract<ComparedAnswer, { is: 'equal' }>, 'is'>> {
    const [baseline, candidate] = [await wayOf(asked.baseline), await wayOf(asked.candidate)];
    const { input, inputs, generate } = await dataOf(asked.data);
    const given: Inputs['given'] = [input, ...inputs.map((one) => () => one)];
    return equalityOf(
      baseline,
      candidate,
      { given, most: asked.most, ...(generate ? { generate } : {}) },
      {
        previewer: new Previewer(nodeInsight),
        introspection: nodeInsight,
        copy: structuredClone,
        now: () => performance.now(),
        patienceMs: asked.patienceMs,
      },
    );
  }
}

/** What a way changes is given fresh to each call: a copy, where it is no function that makes it. */
async function fresh(input: () => unknown, way: Way): Promise<() => unknown> {
  const given = input();
  if (typeof given !== 'object' || given === null || input() !== given) return input;
  let copy: unknown;
  try {
    copy = structuredClone(given);
    await way(copy);
  } catch {
    return input;
  }
  const previewer = new Previewer(nodeInsight);
  const changed = differencesApart(given, copy, previewer, nodeInsight).list.length > 0;
  return changed ? (): unknown => structuredClone(given) : input;
}

/** What a module exports; of a script, what it has put into `module.exports`. */
async function exportsOf(module: string): Promise<Namespace> {
  const found = (await import(pathToFileURL(module).href)) as Namespace;
  const { default: whole } = found;
  const isScript = Object.keys(found).length === 1 && typeof whole === 'object' && whole !== null;
  return isScript ? { default: whole, ...whole } : found;
}

async function wayOf({ module, name }: LoadedWay): Promise<Way> {
  const found = (await exportsOf(module))[name];
  if (typeof found !== 'function') throw new TypeError(`it exports no function named ${name}`);
  return found as Way;
}

/** What ways are called with: the exports `data`, `inputs`, `generate` and `sized` of a module. */
async function dataOf(module: string): Promise<{
  input: () => unknown;
  inputs: readonly unknown[];
  generate: Inputs['generate'] | undefined;
  sized: ((size: number) => unknown) | undefined;
}> {
  const { data, inputs, generate, sized } = await exportsOf(module);
  return {
    input: typeof data === 'function' ? (data as () => unknown) : () => data,
    inputs: typeof inputs === 'object' && inputs !== null ? [...(inputs as Iterable<unknown>)] : [],
    generate: typeof generate === 'function' ? (generate as NonNullable<Inputs['generate']>) : undefined,
    sized: typeof sized === 'function' ? (sized as (size: number) => unknown) : undefined,
  };
}

function isThenable(value: unknown): value is PromiseLike<unknown> {
  return typeof (value as PromiseLike<unknown> | undefined)?.then === 'function';
}
