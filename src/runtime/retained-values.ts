/**
 * Keeps what was reported within reach, so that it can be opened while the
 * target lives. Small objects are held; when they add up to a lot, later ones
 * only weakly, so that looking at a program does not exhaust its memory.
 */
import * as own from './originals.js';

/** Bytes, roughly, that are held for sure. */
const HELD = 48 * 1024 * 1024;
/** Entries in all; a run reports more only in a flood. */
const MOST = 200_000;
const MOST_RECENT = 20_000;

export class RetainedValues {
  private readonly moments: number[] = [];
  private readonly parts: number[] = [];
  private readonly values: unknown[] = [];
  private readonly weak: boolean[] = [];
  /** Held for those who look only. */
  private readonly passing: boolean[] = [];
  private weight = 0;
  /** In a program that runs on: bytes beyond which what was held first is let go of. */
  most: number | undefined;

  /**
   * Moments of one holder only grow.
   *
   * @param passing the value is held for as long as somebody looks
   */
  hold(moment: number, part: number, value: unknown, passing = false): void {
    const weight = weightOf(value);
    if (this.most !== undefined && (this.weight + weight > this.most || this.values.length >= MOST_RECENT))
      this.forget();
    if (this.values.length >= MOST) return;
    const strong = this.weight + weight <= (this.most ?? HELD);
    if (!strong && typeof value === 'string') return;
    if (strong) this.weight += weight;
    own.append(this.moments, moment);
    own.append(this.parts, part);
    own.append(this.values, strong ? value : new own.WeakRefCopy(value as object));
    own.append(this.weak, !strong);
    own.append(this.passing, passing);
  }

  /** Lets go of the older half. */
  private forget(): void {
    const half = this.values.length >> 1;
    this.keepOnly((index) => index >= half);
  }

  /** Nobody looks any more: lets go of what was held for those who did. */
  letPass(): void {
    this.keepOnly((index) => !this.passing[index]);
  }

  private keepOnly(stays: (index: number) => boolean): void {
    const lists = [this.moments, this.parts, this.values, this.weak, this.passing] as unknown[][];
    let kept = 0;
    for (let i = 0; i < this.values.length; i++) {
      if (!stays(i)) continue;
      for (const list of lists) list[kept] = list[i];
      kept++;
    }
    for (const list of lists) list.length = kept;
    this.weight = 0;
    for (let i = 0; i < this.values.length; i++) if (!this.weak[i]) this.weight += weightOf(this.values[i]);
  }

  /** What was held at a moment; undefined when nothing was, or it is gone. */
  at(moment: number, part: number): { value: unknown } | undefined {
    let low = 0;
    let high = this.moments.length - 1;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.moments[middle]! < moment) low = middle + 1;
      else high = middle;
    }
    for (let i = low; i < this.moments.length && this.moments[i] === moment; i++) {
      if (this.parts[i] !== part) continue;
      const value = this.weak[i] ? own.weakTarget(this.values[i] as WeakRef<object>) : this.values[i];
      return this.weak[i] && value === undefined ? undefined : { value };
    }
    return undefined;
  }
}

/** Bytes that a value takes by itself, very roughly. */
function weightOf(value: unknown): number {
  if (typeof value === 'string') return value.length * 2;
  if (typeof value !== 'object' || value === null) return 100;
  if (own.isArray(value)) return 100 + value.length * 8;
  if (own.typedTag(value) !== undefined) return 100 + own.typedLength(value) * 8;
  return 300;
}
