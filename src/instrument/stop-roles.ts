/** Statements that were put into a text so that a function stops there: see `patch/stops.ts`, which puts them. */

/** What one of the statements in such a text becomes. */
export type StopRole =
  | { is: 'stop'; id: number }
  /** A statement begins, in the function of that number, or in one inside of it that has no versions of its own. */
  | { is: 'step'; of: number; isInner: boolean }
  /** `void` of a function that tells whether the breakpoint at the `return` behind it acts, or gives what that prints. */
  | { is: 'guard'; id: number }
  /** An array of what a breakpoint prints. */
  | { is: 'message'; id: number }
  /** In a handler: the condition or message threw what `error` names. */
  | { is: 'failed'; id: number; error: string };

export interface StopPoints {
  /** By the offset of a statement that was put in. */
  roles: ReadonlyMap<number, StopRole>;
  /** Where each thing that was put in begins: nothing in it is counted or shown. */
  roots: ReadonlySet<number>;
  /** Where the `return` of each function begins whose body was an expression: it is not counted. */
  given: ReadonlySet<number>;
  /** By the offset of a function: which breakpoint is asked before it gives a value. */
  returns: ReadonlyMap<number, number>;
  /** The target has no debugger: each stop hands over what evaluates code where it stands, and the names there. */
  evaluates: boolean;
}
