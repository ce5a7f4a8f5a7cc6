/** What a program takes from outside at depth `steps`: written down in its order, and given again to a repetition. */

export const enum Taken {
  /** Milliseconds since 1970. */
  Date = 0,
  /** Of the engine's clock. */
  Clock = 1,
  Random = 2,
  /** Bytes of `rest`, by their place in it. */
  Bytes = 3,
  /** A turn of the event loop: a timer or immediate fires, by its number. */
  Timer = 4,
  /** A turn: a request has its answer, by its place in `rest`. */
  Answer = 5,
}

export interface Answer {
  /** Number of the request. */
  request: number;
  /** It failed with this message, and an error of this name. */
  error?: string | undefined;
  name?: string | undefined;
  url: string;
  redirected: boolean;
  status: number;
  statusText: string;
  headers: [string, string][];
  body: Uint8Array;
}

/** Rows in the order in which they were taken. */
export interface Outside {
  /** See {@link Taken}. */
  kind: Uint8Array;
  /** What was read, or the number of what it is. */
  number: Float64Array;
  /** Steps of the program before it. */
  steps: Float64Array;
  rest: (Uint8Array | Answer)[];
}
