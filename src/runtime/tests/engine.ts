/** What the runner needs of the engine around it. */

/** What only the engine around a target has. */
export interface TestEngine {
  now(): number;
  /** The value that code runs under, also after its `await`s and in its timers. */
  scope?: { run<T>(value: object, work: () => T): T; get(): object | undefined };
  /** Calls back after `ms` without keeping the program alive; the result cancels. */
  timeout?(ms: number, callback: () => void): () => void;
  /** Newer platforms take what stands in a test that is still to do as to do itself. */
  todoInside?: boolean;
  /** Newer platforms wait for subtests that nobody has waited for. */
  awaitsSubtests?: boolean;
  /** A module of the platform. */
  builtin?(name: string): Record<string, unknown>;
}
