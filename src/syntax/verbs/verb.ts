/**
 * What a mark's verb is. A verb is plain data and pure functions: what it takes,
 * what is reported at each visit, and how its samples are told in a line.
 */
export interface Verb {
  /** As it is written, without the colon. */
  name: string;
  /** Whether an expression over `it` may, must or must not stand behind the colon; or plain `text`. */
  expression: 'none' | 'optional' | 'required' | 'text';
  /**
   * What one visit reports: the `value` (of the expression, where there is
   * one); the value only when the expression `holds`; or the `time` that the
   * marked expression took, in milliseconds; or the value that was `kept` from
   * an earlier run, in place of evaluating the expression.
   */
  reports: 'value' | 'holds' | 'time' | 'kept';
  /** The view in which the samples are shown. */
  view?: 'plot' | 'table';
  /** One sentence for help. */
  about: string;
  /**
   * The samples in a few words, where their last values say too little. Numbers of the samples taken; `total` is the
   * exact sum of a timed mark.
   */
  tell?(numbers: readonly number[], facts: { visits: number; total?: number; runMs: number }): string;
}
