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
  private readonly rest: (Value | string)[] = [];

  append(samples: SampleColumns): void {
    const { length } = this;
    this.reserve(length + samples.site.length);
    const shift = this.rest.length;
    this.site.set(samples.site, length);
    this.visit.set(samples.visit, length);
    this.moment.set(samples.moment, length);
    this.tag.set(samples.tag, length);
    this.number.set(samples.number, length);
    if (shift > 0)
      for (let i = 0; i < samples.tag.length; i++) if (samples.tag[i] === Tag.Rest) this.number[length + i]! += shift;
    for (const value of samples.rest) this.rest.push(value);
    this.length += samples.site.length;
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
