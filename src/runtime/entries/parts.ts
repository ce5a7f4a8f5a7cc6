/** Functions that took part in one call from outside. */
import type { RawPart } from '../../wire/entries.js';
import * as own from '../originals.js';

/** Functions of one entry that are told. */
const MOST_PARTS = 2_000;
/** Calls of one function that are timed; the others are taken to be as long. */
const MOST_TIMED = 256;

/** A function that took part. */
export class Part {
  calls = 0;
  threw = 0;
  /** Calls of it that are active: one inside another is not timed by itself. */
  active = 0;
  private outer = 0;
  private ms = 0;
  private count = 0;

  constructor(
    readonly of: number,
    readonly by: number,
  ) {}

  /** A call that is not inside another one begins. @returns true where it is to be timed */
  begins(): boolean {
    this.outer++;
    return this.count < MOST_TIMED;
  }

  timed(ms: number): void {
    this.ms += ms;
    this.count++;
  }

  told(): RawPart {
    const { of, by, calls, threw, ms, count, outer } = this;
    const isAbout = count > 0 && outer > count;
    return {
      ...{ of, by, calls, ms: isAbout ? (ms * outer) / count : ms },
      ...(threw > 0 ? { threw } : {}),
      ...(isAbout ? { isAbout } : {}),
    };
  }
}

export class Parts {
  private readonly byNumber = own.safeMap<number, Part>();
  private readonly list: Part[] = [];
  /** Functions that are left out. */
  more = 0;

  get count(): number {
    return this.list.length;
  }

  /** A function takes part, called by another one. */
  of(of: number, by: number): Part {
    const known = this.byNumber.get(of);
    if (known) return known;
    const part = new Part(of, by);
    if (this.list.length >= MOST_PARTS) this.more++;
    else {
      this.byNumber.set(of, part);
      own.append(this.list, part);
    }
    return part;
  }

  told(): RawPart[] {
    const parts: RawPart[] = [];
    for (let i = 0; i < this.list.length; i++) own.append(parts, this.list[i]!.told());
    return parts;
  }
}
