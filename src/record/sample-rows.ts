/** The samples of a run, as columns that grow. */
import { type SampleColumns, Tag } from '../wire/samples.js';
import type { Value } from '../wire/value.js';
import type { Samples } from './record.js';

export class SampleRows {
  private length = 0;
  private site = new Int32Array(64);
  private visit = new Float64Array(64);
  private moment = new Float64Array(64);
  private tag = new Uint8Array(64);
  private number = new Float64Array(64);
  private rest: (Value | string)[] = [];
  private restBytes = 0;
  /** By identity: where in `rest` the value is that was told last. */
  private readonly last = new Map<number, number>();

  append(samples: SampleColumns): void {
    const { length } = this;
    this.reserve(length + samples.site.length);
    const shift = this.rest.length;
    if (samples.forget) this.last.clear();
    this.site.set(samples.site, length);
    this.visit.set(samples.visit, length);
    this.moment.set(samples.moment, length);
    this.tag.set(samples.tag, length);
    this.number.set(samples.number, length);
    if (shift > 0)
      for (let i = 0; i < samples.tag.length; i++) if (samples.tag[i] === Tag.Rest) this.number[length + i]! += shift;
    for (const value of samples.rest) {
      this.rest.push(value);
      this.restBytes += bytesOf(value);
    }
    this.putSame(samples, length);
    this.length += samples.site.length;
  }

  /** Objects that are told by their number have the value that was told of them last. */
  private putSame({ tag, number, rest }: SampleColumns, length: number): void {
    for (let row = 0; row < tag.length; row++) {
      if (tag[row] === Tag.Same) {
        const known = this.last.get(number[row]!);
        this.tag[length + row] = known === undefined ? Tag.Undefined : Tag.Rest;
        if (known !== undefined) this.number[length + row] = known;
      } else if (tag[row] === Tag.Rest) {
        const value = rest[number[row]!]!;
        if (typeof value !== 'string' && value.identity !== undefined)
          this.last.set(value.identity, this.number[length + row]!);
      }
    }
  }

  /** Bytes that all this takes, roughly. */
  get bytes(): number {
    return this.length * 29 + this.restBytes;
  }

  /**
   * Those of a moment and after it, as rows of their own.
   *
   * @param asOf an object with what was written to it before the moment
   */
  since(moment: number, asOf: (value: Value) => Value): SampleRows {
    let from = 0;
    while (from < this.length && this.moment[from]! < moment) from++;
    const number = this.number.slice(from, this.length);
    const rest: (Value | string)[] = [];
    const placed = new Int32Array(this.rest.length).fill(-1);
    const place = (old: number): number => {
      if (placed[old]! < 0) placed[old] = rest.push(this.rest[old]!) - 1;
      return placed[old]!;
    };
    for (let i = 0; i < number.length; i++) if (this.tag[from + i] === Tag.Rest) number[i] = place(number[i]!);
    const rows = new SampleRows();
    // What was told before may be told by its number still.
    for (const [identity, at] of this.last) {
      const value = this.rest[at] as Value;
      const now = asOf(value);
      rows.last.set(identity, now === value ? place(at) : rest.push(now) - 1);
    }
    rows.length = number.length;
    rows.site = this.site.slice(from, this.length);
    rows.visit = this.visit.slice(from, this.length);
    rows.moment = this.moment.slice(from, this.length);
    rows.tag = this.tag.slice(from, this.length);
    rows.number = number;
    rows.rest = rest;
    rows.restBytes = this.rest.length === 0 ? 0 : (this.restBytes * rest.length) / this.rest.length;
    return rows;
  }

  /** Rows are only ever appended, so what is returned does not change when more come. */
  soFar(): Samples {
    const { length } = this;
    return {
      length,
      site: this.site.subarray(0, length),
      visit: this.visit.subarray(0, length),
      moment: this.moment.subarray(0, length),
      tag: this.tag.subarray(0, length),
      number: this.number.subarray(0, length),
      rest: this.rest,
    };
  }

  private reserve(size: number): void {
    if (size <= this.site.length) return;
    const room = Math.max(size, this.site.length * 2);
    const widen = <T extends { set(from: T): void }>(from: T, to: T): T => {
      to.set(from);
      return to;
    };
    this.site = widen(this.site, new Int32Array(room));
    this.visit = widen(this.visit, new Float64Array(room));
    this.moment = widen(this.moment, new Float64Array(room));
    this.tag = widen(this.tag, new Uint8Array(room));
    this.number = widen(this.number, new Float64Array(room));
  }
}

/** Bytes that a value takes, roughly. */
function bytesOf(value: Value | string): number {
  if (typeof value === 'string') return 16 + value.length;
  let bytes = 120 + (value.text?.length ?? 0);
  for (const entry of value.entries ?? []) bytes += 60 + bytesOf(entry.value);
  return bytes;
}
