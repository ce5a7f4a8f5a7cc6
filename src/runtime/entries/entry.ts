/** One call that came from outside: what is known of it so far. */
import type { EntryKind, RawEntry, RawExchange, RawPart } from '../../wire/entries.js';
import * as own from '../originals.js';
import type { RequestBegin, RequestEnd } from './engine.js';

/** Functions of one entry that are told. */
const MOST_PARTS = 2_000;
const MOST_EXCHANGES = 500;
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

  /** The next call is to be timed. */
  get isTimed(): boolean {
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

export class Entry {
  method: string | undefined;
  url: string | undefined;
  /** Of the address, without what stands behind `?`. */
  path = '';
  name: string | undefined;
  of: number | undefined;
  ms: number | undefined;
  failed = false;
  isOver = false;
  /** Number of the question that it answers. */
  asked: number | undefined;
  private status: number | undefined;
  private readonly parts = own.safeMap<number, Part>();
  private list: Part[] = [];
  private more = 0;
  private readonly exchanges: RawExchange[] = [];
  private begun: RequestBegin | undefined;
  private ended: RequestEnd | undefined;
  private readonly began = Date.now();

  /** @param start the engine's time, in milliseconds */
  constructor(
    readonly id: number,
    readonly kind: EntryKind,
    readonly start: number,
  ) {}

  take(begin: RequestBegin): void {
    this.begun = begin;
    this.method = begin.method;
    this.url = begin.url;
    const at = own.indexOf(begin.url, '?');
    this.path = at < 0 ? begin.url : own.slice(begin.url, 0, at);
  }

  end(end: RequestEnd): void {
    this.ended = end;
    this.status = end.status;
    this.failed = end.broken || (end.status ?? 0) >= 500;
  }

  /** A function takes part, called by another one. */
  part(of: number, by: number): Part {
    let part = this.parts.get(of);
    if (!part) {
      part = new Part(of, by);
      if (this.list.length >= MOST_PARTS) this.more++;
      else {
        this.parts.set(of, part);
        own.append(this.list, part);
      }
    }
    return part;
  }

  /** Something is sent or read. Undefined where there was too much of it. */
  exchange(is: RawExchange['is'], text: string, by: number): RawExchange | undefined {
    if (this.exchanges.length >= MOST_EXCHANGES) return undefined;
    const made: RawExchange = { is, text, after: this.list.length, by, state: 'open' };
    own.append(this.exchanges, made);
    return made;
  }

  told(): RawEntry {
    const { id, kind, method, url, name, of, began, ms, status, failed, more, begun, ended, asked } = this;
    const parts: RawPart[] = [];
    for (let i = 0; i < this.list.length; i++) own.append(parts, this.list[i]!.told());
    const exchanges: RawExchange[] = [];
    for (let i = 0; i < this.exchanges.length; i++) own.append(exchanges, { ...this.exchanges[i]! });
    return {
      ...{ id, kind, began, failed, parts, exchanges },
      ...(method === undefined ? {} : { method }),
      ...(url === undefined ? {} : { url: own.slice(url, 0, 16_384) }),
      ...(name === undefined ? {} : { name }),
      ...(of === undefined ? {} : { of }),
      ...(ms === undefined ? {} : { ms }),
      ...(status === undefined ? {} : { status }),
      ...(more > 0 ? { more } : {}),
      ...(begun ? { given: { headers: begun.headers, ...(ended?.given ? { body: ended.given } : {}) } } : {}),
      ...(ended?.answer
        ? { answer: { headers: ended.answer.headers, ...(ended.answer.body ? { body: ended.answer.body } : {}) } }
        : {}),
      ...(begun?.port === undefined ? {} : { port: begun.port }),
      ...(begun?.secure ? { secure: true as const } : {}),
      ...(asked === undefined ? {} : { asked }),
    };
  }

  /** What stands for all that are the same. */
  get counted(): { status: number | undefined } {
    return { status: this.status };
  }
}
