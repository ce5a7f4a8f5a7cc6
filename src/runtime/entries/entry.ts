/** One call that came from outside: what is known of it so far. */
import type { EntryKind, RawEntry, RawExchange } from '../../wire/entries.js';
import * as own from '../originals.js';
import type { RequestBegin, RequestEnd } from './engine.js';
import { Parts } from './parts.js';

const MOST_EXCHANGES = 500;
const MOST_URL = 16_384;

export class Entry {
  /** Where it is no request: the function that was called, and what else is known. */
  called: { of: number; name: string | undefined } | undefined;
  ms: number | undefined;
  failed = false;
  /** Number of the question that it answers. */
  asked: number | undefined;
  readonly parts = new Parts();
  private readonly exchanges: RawExchange[] = [];
  private ended: RequestEnd | undefined;
  private readonly began = Date.now();

  /**
   * @param start the engine's time, in milliseconds
   * @param begun of a request
   */
  constructor(
    readonly id: number,
    readonly kind: EntryKind,
    readonly start: number,
    private readonly begun?: RequestBegin,
  ) {}

  get method(): string | undefined {
    return this.begun?.method;
  }

  /** Of the address, without what stands behind `?`. */
  get path(): string {
    const url = this.begun?.url ?? '';
    const at = own.indexOf(url, '?');
    return at < 0 ? url : own.slice(url, 0, at);
  }

  get status(): number | undefined {
    return this.ended?.status;
  }

  /** A request that was answered: what goes on is something else. */
  get isOver(): boolean {
    return this.ended !== undefined;
  }

  end(end: RequestEnd): void {
    this.ended = end;
    this.failed = end.broken || (end.status ?? 0) >= 500;
  }

  /** Something is sent or read. Undefined where there was too much of it. */
  exchange(is: RawExchange['is'], text: string, by: number): RawExchange | undefined {
    if (this.exchanges.length >= MOST_EXCHANGES) return undefined;
    const made: RawExchange = { is, text, after: this.parts.count, by, state: 'open' };
    own.append(this.exchanges, made);
    return made;
  }

  told(): RawEntry {
    const { id, kind, called, began, ms, status, failed, begun, ended, asked } = this;
    const { more } = this.parts;
    const exchanges: RawExchange[] = [];
    for (let i = 0; i < this.exchanges.length; i++) own.append(exchanges, { ...this.exchanges[i]! });
    return {
      ...{ id, kind, began, failed, parts: this.parts.told(), exchanges },
      ...(begun ? { method: begun.method, url: own.slice(begun.url, 0, MOST_URL) } : {}),
      ...(called ? { of: called.of, ...(called.name === undefined ? {} : { name: called.name }) } : {}),
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
}
