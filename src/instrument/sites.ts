/**
 * Sites: the places of a text that report.
 *
 * A site has a cell, an index into the module's array of exact counts. Value
 * sites own their cell. Counting sites may share one with a neighbour that is
 * certain to run as often (the first statement of a block and the block).
 */
export type SiteKind =
  | 'statement'
  | 'function'
  | 'branch'
  | 'loop'
  /** Where the last values of a loop are reported; counts nothing. */
  | 'last-values'
  /** A place of depth `steps`: a head of a loop, an object that changes, `this`. Counts nothing and is not shown. */
  | 'step'
  | 'declaration'
  | 'assignment'
  | 'expression'
  | 'return'
  | 'condition'
  | 'default'
  | 'variable'
  | 'item'
  | 'await'
  | 'caught'
  | 'console'
  | 'test'
  | 'stage'
  | 'mark';

/** Kinds that count and have no value. */
export const COUNTING: ReadonlySet<SiteKind> = new Set<SiteKind>(['statement', 'function', 'branch', 'loop']);

export interface Site {
  id: number;
  kind: SiteKind;
  /** Offsets into the original text. */
  start: number;
  end: number;
  /** The bound name, the written target, or how a branch is called: `else branch`. */
  name: string;
  cell: number;
  /** Id of the innermost enclosing function site, or -1 at the top level. */
  within: number;
  /** Id of the innermost enclosing loop body or function, or -1: sites with one owner are sampled together. */
  owner: number;
  /**
   * Cell that counts how often the place is reached; `plus` is one to add, for tests of loops. Both -1 where there is
   * none.
   */
  reach: number;
  plus: number;
  /** For what a `catch` caught: the range of its `try` block. */
  tried?: { start: number; end: number };
  /** What a mark asks for: its verb (empty for a plain value), and its expression. */
  mark?: { verb: string; expression: string; selected?: true };
}
