/** Inside of a process or thread that calls ways of a comparison: the person's plain code, and nothing around it. */
import { type Introspection, Previewer } from '../runtime/preview.js';
import type { ComparedAnswer, LoadedWay, ToCompared } from '../wire/comparing.js';
import { equalityOf, type Inputs, type Way } from './equality.js';
import { differencesApart } from './sameness.js';

type Namespace = Record<string, unknown>;

/** What it needs of the engine around it. */
export interface ComparedParts {
  /** What a module exports. */
  load(module: string): Promise<Namespace>;
  introspection: Introspection;
  /** Milliseconds from anywhere. */
  now(): number;
  copy(value: unknown): unknown;
  /** Waits until all else has had its turn. */
  rest(): Promise<void>;
  /** Collections of memory since it was asked last, where the engine tells. */
  collections(): number;
  /** Bytes of the heap, where the engine tells. */
  heapUsed?(): number;
}

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
  /** What calls give goes here: so none of them can be left out. */
  sink: unknown;

  constructor(private readonly parts: ComparedParts) {}

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
          await this.parts.rest();
          return { is: 'batch', ns, collections: this.parts.collections() };
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
    const way = await this.wayOf(loaded);
    const { input, sized } = await this.dataOf(data);
    const made = size === undefined || !sized ? await this.fresh(input, way) : (): unknown => sized(size);
    const first = way(made());
    this.sink = first;
    this.timed = { way, input: made, isAsync: isThenable(first), pace: 1 };
    if (this.timed.isAsync) await first;
    return { is: 'loaded', isSized: sized !== undefined };
  }

  /** Calls it until its times stand still. */
  private async warm(timed: Timed): Promise<void> {
    const times: number[] = [];
    const { now, rest, collections } = this.parts;
    for (const end = now() + WARM_MS; now() < end;) {
      times.push(await this.batch(timed, WARM_BATCH_MS));
      const last = times.slice(-STILL);
      if (times.length > STILL * 2 && Math.max(...last) < Math.min(...last) * 1.1) break;
    }
    await rest();
    collections();
  }

  /** @returns nanoseconds of one call */
  private async batch(timed: Timed, ms: number): Promise<number> {
    const { way, input, isAsync } = timed;
    const calls = Math.max(1, Math.min(MOST_CALLS, Math.round(timed.pace * ms)));
    const inputs: unknown[] = [];
    for (let i = 0; i < calls; i++) inputs.push(input());
    let sink: unknown;
    const { now } = this.parts;
    const began = now();
    if (isAsync) for (let i = 0; i < calls; i++) sink = await way(inputs[i]);
    else for (let i = 0; i < calls; i++) sink = way(inputs[i]);
    const took = now() - began;
    this.sink = sink;
    timed.pace = calls / Math.max(took, 0.001);
    return (took * 1e6) / calls;
  }

  /** What one call adds to the heap: the middle of some rounds in which it did not shrink. */
  private async memory(timed: Timed): Promise<{ bytes?: number }> {
    const { way, input, isAsync } = timed;
    const { heapUsed } = this.parts;
    if (!heapUsed) return {};
    const found: number[] = [];
    for (let round = 0; round < 20; round++) {
      const calls = Math.max(1, Math.min(1_000, Math.round(timed.pace)));
      const inputs = Array.from({ length: calls }, input);
      const kept = new Array<unknown>(calls);
      const before = heapUsed();
      for (let i = 0; i < calls; i++) kept[i] = isAsync ? await way(inputs[i]) : way(inputs[i]);
      const grown = heapUsed() - before;
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
    const [baseline, candidate] = [await this.wayOf(asked.baseline), await this.wayOf(asked.candidate)];
    const { input, inputs, generate } = await this.dataOf(asked.data);
    const { introspection, copy, now } = this.parts;
    const given: Inputs['given'] = [input, ...inputs.map((one) => () => one)];
    return equalityOf(
      baseline,
      candidate,
      { given, most: asked.most, ...(generate ? { generate } : {}) },
      {
        previewer: new Previewer(introspection),
        introspection,
        copy,
        now,
        patienceMs: asked.patienceMs,
      },
    );
  }

  /** What a way changes is given fresh to each call: a copy, where it is no function that makes it. */
  private async fresh(input: () => unknown, way: Way): Promise<() => unknown> {
    const { introspection, copy } = this.parts;
    const given = input();
    if (typeof given !== 'object' || given === null || input() !== given) return input;
    let other: unknown;
    try {
      other = copy(given);
      await way(other);
    } catch {
      return input;
    }
    const changed = differencesApart(given, other, new Previewer(introspection), introspection).list.length > 0;
    return changed ? (): unknown => copy(given) : input;
  }

  /** What a module exports; of a script, what it has put into `module.exports`. */
  private async exportsOf(module: string): Promise<Namespace> {
    const found = await this.parts.load(module);
    const { default: whole } = found;
    const isScript = Object.keys(found).length === 1 && typeof whole === 'object' && whole !== null;
    return isScript ? { default: whole, ...whole } : found;
  }

  private async wayOf({ module, name }: LoadedWay): Promise<Way> {
    const found = (await this.exportsOf(module))[name];
    if (typeof found !== 'function') throw new TypeError(`it exports no function named ${name}`);
    return found as Way;
  }

  /** What ways are called with: the exports `data`, `inputs`, `generate` and `sized` of a module. */
  private async dataOf(module: string): Promise<{
    input: () => unknown;
    inputs: readonly unknown[];
    generate: Inputs['generate'] | undefined;
    sized: ((size: number) => unknown) | undefined;
  }> {
    const { data, inputs, generate, sized } = await this.exportsOf(module);
    return {
      input: typeof data === 'function' ? (data as () => unknown) : () => data,
      inputs: typeof inputs === 'object' && inputs !== null ? [...(inputs as Iterable<unknown>)] : [],
      generate: typeof generate === 'function' ? (generate as NonNullable<Inputs['generate']>) : undefined,
      sized: typeof sized === 'function' ? (sized as (size: number) => unknown) : undefined,
    };
  }
}

function isThenable(value: unknown): value is PromiseLike<unknown> {
  return typeof (value as PromiseLike<unknown> | undefined)?.then === 'function';
}
