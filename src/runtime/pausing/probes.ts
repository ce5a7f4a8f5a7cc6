/** What code with breakpoints calls. */
import type { There } from './engine.js';
import type { Pauses } from './pauses.js';

type Evaluate = There['evaluate'];

export type StopProbes = Pick<Pauses, 'meet' | 'meetReturn' | 'message' | 'failed' | 'step' | 'asking' | 'forget'>;

/** By the suffixes of their names in code. */
export function stopProbes(
  pauses: StopProbes | undefined,
  unit: number,
  functions: number,
): {
  I(id: number, evaluate?: Evaluate, names?: string): void;
  U(id: number, value: unknown, guard?: (() => unknown) | 0, evaluate?: Evaluate, names?: string): unknown;
  D(id: number, parts: unknown[]): void;
  o: Uint8Array | undefined;
  Q(of: number, evaluate: Evaluate, names: string, isInner?: boolean): void;
  j(id: number, error: unknown): void;
} {
  return {
    I: (id, evaluate, names) => pauses?.meet(id, thereOf(evaluate, names)),
    U: (id, value, guard, evaluate, names) =>
      pauses ? pauses.meetReturn(id, value, guard || undefined, thereOf(evaluate, names)) : value,
    D: (id, parts) => pauses?.message(id, parts),
    o: pauses?.asking(unit, functions),
    Q: (of, evaluate, names, isInner = false) => pauses?.step(of, evaluate, names, isInner),
    j: (id, error) => pauses?.failed(id, error),
  };
}

function thereOf(evaluate: Evaluate | undefined, names: string | undefined): There | undefined {
  return evaluate && names !== undefined ? { evaluate, names } : undefined;
}
