/** Samples in typed columns that grow, until they are handed over. */
import { Tag, type SampleColumns } from '../../wire/samples.js';
import type { Value } from '../../wire/value.js';
import * as own from '../originals.js';
import { SHALLOW, SMALL, WIDE, type Previewer } from '../preview.js';
import type { KnownObjects } from './known-objects.js';
import type { RetainedValues } from '../retained-values.js';

/** Object previews in one run before they become smaller. */
const MANY_PREVIEWS = 5_000;

/** What is said of a sample besides its value. */
export interface SampleKind {
  /** The object may have changed since: it is read at the end of its statement. */
  late: boolean;
  /** The value was thrown. */
  failed: boolean;
  /** More of it is shown than of others. */
  wide: boolean;
}

export class SampleRows {
  /** Samples taken since the run began. */
  taken = 0;
  /** Samples that wait to be handed over. */
  rows = 0;
  /** Set where the same objects come again and again. */
  known: KnownObjects | undefined;
  private previews = 0;
  private site = new Int32Array(256);
  private visit = new Float64Array(256);
  private moment = new Float64Array(256);
  private tag = new Uint8Array(256);
  private number = new Float64Array(256);
  private rest: (Value | string)[] = [];

  constructor(
    private readonly previewer: Previewer,
    private readonly holder: RetainedValues,
  ) {}

  add(moment: number, site: number, visit: number, value: unknown, { late, failed, wide }: SampleKind): void {
    if (this.rows === this.site.length) this.grow();
    const row = this.rows++;
    this.taken++;
    this.site[row] = site;
    this.visit[row] = visit;
    this.moment[row] = moment;
    let tag: Tag = Tag.Rest;
    switch (failed ? 'object' : typeof value) {
      case 'number':
        tag = Tag.Number;
        this.number[row] = value as number;
        break;
      case 'undefined':
        tag = Tag.Undefined;
        break;
      case 'boolean':
        tag = value ? Tag.True : Tag.False;
        break;
      default:
        if (value === null && !failed) tag = Tag.Null;
        else {
          this.number[row] = this.rest.length;
          if (typeof value === 'string' && !failed && value.length <= SHALLOW.text) own.append(this.rest, value);
          else {
            const same = late || failed || wide ? 0 : this.sameAs(value);
            if (same > 0) {
              tag = Tag.Same;
              this.number[row] = same;
              break;
            }
            this.holder.hold(moment, 0, value, true);
            const preview = this.previewer.take(value, wide ? WIDE : ++this.previews > MANY_PREVIEWS ? SMALL : SHALLOW);
            if (this.known && own.isObject(value)) this.known.told(value, preview);
            if (late && preview.type === 'object') preview.late = true;
            if (failed) preview.failed = true;
            own.append(this.rest, preview);
          }
        }
    }
    this.tag[row] = tag;
  }

  private sameAs(value: unknown): number {
    return this.known && own.isObject(value) ? this.known.sameAs(value) : 0;
  }

  /** Hands over what waits; undefined when nothing does. */
  hand(): SampleColumns | undefined {
    if (this.rows === 0) return undefined;
    const columns: SampleColumns = {
      site: this.site.slice(0, this.rows),
      visit: this.visit.slice(0, this.rows),
      moment: this.moment.slice(0, this.rows),
      tag: this.tag.slice(0, this.rows),
      number: this.number.slice(0, this.rows),
      rest: this.rest,
      ...(this.known?.takeForgot() ? { forget: true as const } : {}),
    };
    this.rows = 0;
    this.rest = [];
    return columns;
  }

  private grow(): void {
    const size = this.site.length * 2;
    const widen = <T extends Int32Array | Float64Array | Uint8Array>(from: T, to: T): T => {
      to.set(from as never);
      return to;
    };
    this.site = widen(this.site, new Int32Array(size));
    this.visit = widen(this.visit, new Float64Array(size));
    this.moment = widen(this.moment, new Float64Array(size));
    this.tag = widen(this.tag, new Uint8Array(size));
    this.number = widen(this.number, new Float64Array(size));
  }
}
