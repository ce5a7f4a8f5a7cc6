/** What watching calls from outside needs of the engine around a target. */
import type { EntryKind, HeaderPairs, EntryBody } from '../../wire/entries.js';

/** Follows a value over everything that is begun while it is set: promises, timers, callbacks. */
export interface EntryContext {
  current(): object | undefined;
  run<T>(value: object, work: () => T): T;
  /** For the rest of the job that runs now, and what is begun in it. */
  enter(value: object): void;
  end(): void;
}

/** What is known when a request begins. */
export interface RequestBegin {
  method: string;
  url: string;
  headers: HeaderPairs;
  port: number | undefined;
  secure: boolean;
  /** The port of whoever asks, where that is this machine. */
  from: number | undefined;
}

/** What is known when it has ended. */
export interface RequestEnd {
  status: number | undefined;
  /** Nobody got an answer. */
  broken: boolean;
  given?: EntryBody | undefined;
  answer?: { headers: HeaderPairs; body?: EntryBody | undefined } | undefined;
}

/** Something that is sent or read while a call is on its way. */
export interface ExchangeNote {
  /** It has come to its end. */
  end(end: { failed: boolean; status?: number; answer?: string; isCut?: boolean }): void;
}

/** Takes what an engine watches. */
export interface EntryTaker {
  /** A request comes in: what runs from here on works for it. The result is told its end, once. */
  request(begin: RequestBegin): (end: () => RequestEnd) => void;
  /** Where nothing came in, and what is sent belongs to nobody, undefined. */
  exchange(is: 'request' | 'query' | 'file', text: string): ExchangeNote | undefined;
}

export interface EntriesEngine {
  /** Absent where nothing can be followed over what waits. */
  context?(): EntryContext;
  /** Watches what comes in; the result ends it. */
  watch?(taker: EntryTaker, panels: readonly string[]): () => void;
  /** Where servers of HTTP listen. */
  ports?(): { port: number; secure: boolean }[];
  /** What is happening in the job that runs now, where the engine tells. */
  around?(): { kind: EntryKind; name: string } | undefined;
}
