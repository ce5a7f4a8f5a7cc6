/** A test framework of the project that runs what a pad declares, in the pad's own thread. */

export interface Framework {
  /** What its modules give, by specifier. */
  readonly modules: Readonly<Record<string, Record<string, unknown>>>;
  /**
   * Evaluates the pad and runs its tests; resolves when all have ended.
   *
   * @throws whatever the pad throws while it is evaluated
   */
  run(evaluate: () => Promise<void>): Promise<void>;
  /** Names that it has put into the global object. */
  readonly globals: readonly string[];
  /** One more run may begin in its thread, with its packages. */
  readonly mayRunAgain: boolean;
  /** An error nobody took: true when a test has it now. */
  caught?(error: unknown): boolean;
}
