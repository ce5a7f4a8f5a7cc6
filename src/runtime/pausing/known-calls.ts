/** Calls of functions whose versions ask before each of their statements: where each stands that is on the stack. */
import { FUNCTIONS_OF_UNIT, NO_FUNCTION } from '../../wire/constants.js';
import * as own from '../originals.js';
import type { Callable } from '../patches/modules.js';
import type { Stacks } from '../stacks.js';
import type { EnginePlace, SteppingFunction, There, Threw } from './engine.js';

/** A function, and where its last call stands: at the statement that asked last. */
interface Known extends SteppingFunction {
  evaluate: There['evaluate'] | undefined;
  names: string;
  /** How often it has asked, and the time at some of them. */
  asked: number;
  askedAt: number;
  /** It asks so often that it does so only while a step is on its way: where its calls stand is not known. */
  isHot: boolean;
}

/** A call on the stack, and where an earlier one of the same function stands. */
interface Entered {
  known: Known;
  before: Pick<Known, 'evaluate' | 'names'>;
}

const NOBODY: SteppingFunction = { of: NO_FUNCTION, name: '', file: '', first: 0, last: 0, isAsync: false };

/** So many statements within so many milliseconds are too many: each costs some tens of nanoseconds. */
const OFTEN = 2_048;
const OFTEN_MS = 10;

/** Functions of former versions that are known: calls of them may wait for something. */
const MOST_GONE = 1_000;

export class KnownCalls {
  private readonly functions = own.safeMap<number, Known>();
  /** Those of versions that are used no more, the oldest first. */
  private gone: number[] = [];
  private readonly flags = own.safeMap<number, Uint8Array>();
  private isAsking = false;
  /** Calls that are on the stack, the outermost first. */
  private readonly entered: Entered[] = [];
  /** Where {@link of} calls a version. */
  private callPlace: EnginePlace | undefined;

  constructor(
    private readonly stacks: Stacks,
    private readonly host: { isOwnFile(file: string): boolean; now(): number },
  ) {}

  /**
   * The version, with its calls known.
   *
   * @param threw told of what a call throws; of an async function nobody else may have the promise that it gives
   */
  of(made: Callable, fn: SteppingFunction, threw?: Threw): Callable {
    let known = this.functions.get(fn.of);
    if (!known)
      this.functions.set(
        fn.of,
        (known = { ...fn, evaluate: undefined, names: '', asked: 0, askedAt: 0, isHot: false }),
      );
    const one = known;
    const { entered } = this;
    return function (this: unknown, ...args: unknown[]): unknown {
      if (one.isHot) return own.apply(made, this, args);
      const depth = entered.length;
      own.append(entered, { known: one, before: { evaluate: one.evaluate, names: one.names } });
      one.evaluate = undefined;
      try {
        const given = own.apply(made, this, args);
        const there = threw && one.isAsync ? complete(one) : undefined;
        if (there)
          void own.promiseThen(given as Promise<unknown>, undefined, (error: unknown) => threw!(error, one, there));
        return given;
      } catch (error) {
        const there = threw && complete(one);
        if (there) threw!(error, one, there);
        throw error;
      } finally {
        const { before } = entered[depth]!;
        one.evaluate = before.evaluate;
        one.names = before.names;
        entered.length = depth;
      }
    };
  }

  /** The call of a function that runs has come to a statement. */
  at(of: number, evaluate: There['evaluate'], names: string, isInner: boolean): void {
    const known = this.functions.get(of);
    if (!known) return;
    if (!isInner) {
      known.evaluate = evaluate;
      known.names = names;
    }
    if (++known.asked % OFTEN === 0) this.often(known);
  }

  private often(known: Known): void {
    const now = this.host.now();
    const isHot = now - known.askedAt < OFTEN_MS;
    known.askedAt = now;
    if (!isHot || this.isAsking) return;
    known.isHot = true;
    known.evaluate = undefined;
    this.flag(known);
  }

  private flag({ of, isHot }: Known): void {
    const flags = this.flags.get(own.floor(of / FUNCTIONS_OF_UNIT));
    if (flags) flags[of % FUNCTIONS_OF_UNIT] = this.isAsking || !isHot ? 1 : 0;
  }

  /** Flags of the functions of a new unit. */
  asking(unit: number, functions: number): Uint8Array {
    const flags = new own.Uint8ArrayOwn(functions);
    for (let i = 0; i < functions; i++) flags[i] = 1;
    this.flags.set(unit, flags);
    return flags;
  }

  /** A step is on its way, or no longer: all functions ask, also those that do so very often. */
  ask(on: boolean): void {
    if (this.isAsking === on) return;
    this.isAsking = on;
    this.functions.forEach((known) => {
      if (!known.isHot) return;
      if (!on) known.evaluate = undefined;
      this.flag(known);
    });
  }

  isAsync(of: number): boolean {
    return this.functions.get(of)?.isAsync === true;
  }

  /** There are others for a unit's versions; calls of those may still run, and wait. */
  forget(unit: number): void {
    const { functions, gone } = this;
    this.flags.delete(unit);
    functions.forEach((_, of) => {
      if (own.floor(of / FUNCTIONS_OF_UNIT) === unit) own.append(gone, of);
    });
    const rest = gone.length - MOST_GONE;
    if (rest <= 0) return;
    this.gone = [];
    for (let i = 0; i < gone.length; i++)
      if (i < rest) functions.delete(gone[i]!);
      else own.append(this.gone, gone[i]!);
  }

  /**
   * What evaluates code in a frame of the stack; undefined where nothing does. Calls of ours stand on the stack right
   * behind the versions that they call.
   */
  standingAt(places: readonly EnginePlace[], frame: number): There | undefined {
    this.callPlace ??= this.findCallPlace();
    let further = 0;
    for (let at = 0; at <= frame; at++) if (this.isCall(places[at]!)) further++;
    const call = this.entered[this.entered.length - 1 - further];
    if (places[frame + 1] && this.isCall(places[frame + 1]!)) return call && this.whereStands(call, further);
    // What waited goes on by itself: nobody has called it.
    for (let at = frame + 1; at < places.length; at++) if (!this.host.isOwnFile(places[at]!.file)) return undefined;
    return this.goneOn(places[frame]!);
  }

  private findCallPlace(): EnginePlace | undefined {
    let places: EnginePlace[] = [];
    this.of(() => void (places = this.stacks.places(4, true)), NOBODY)();
    this.functions.delete(NOBODY.of);
    // Behind `take` and `places`, and the function that called them.
    return places[3];
  }

  private isCall({ file, line, character }: EnginePlace): boolean {
    const { callPlace } = this;
    return file === callPlace?.file && line === callPlace.line && character === callPlace.character;
  }

  /** Where a call on the stack stands: a later one of the same function remembers it. */
  private whereStands({ known }: Entered, further: number): There | undefined {
    for (let at = this.entered.length - further; at < this.entered.length; at++)
      if (this.entered[at]!.known === known) return complete(this.entered[at]!.before);
    return complete(known);
  }

  /** The innermost async function that is known around a place, where there is just one. */
  private goneOn(place: EnginePlace): There | undefined {
    const found = this.stacks.locate(place, undefined);
    if (found === undefined || found === 'point' || !found.version) return undefined;
    const { file, line } = found.frame;
    let best: Known | undefined;
    let isOnly = true;
    this.functions.forEach((one) => {
      if (one.file !== file || one.first > line || one.last < line || one.evaluate === undefined) return;
      const size = one.last - one.first;
      const least = best ? best.last - best.first : Infinity;
      if (size === least) isOnly = false;
      if (size >= least) return;
      best = one;
      isOnly = true;
    });
    return best?.isAsync && isOnly ? complete(best) : undefined;
  }
}

function complete({ evaluate, names }: Pick<Known, 'evaluate' | 'names'>): There | undefined {
  return evaluate && { evaluate, names };
}
