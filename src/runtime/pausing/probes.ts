/** What code with breakpoints calls. */
import type { Pauses } from './pauses.js';

export type StopProbes = Pick<Pauses, 'meet' | 'meetReturn' | 'message' | 'failed'>;

/** By the suffixes of their names in code. */
export function stopProbes(pauses: StopProbes | undefined): {
  I(id: number): void;
  U(id: number, value: unknown): unknown;
  D(id: number, parts: unknown[]): void;
  j(id: number, error: unknown): void;
} {
  return {
    I: (id) => pauses?.meet(id),
    U: (id, value) => (pauses ? pauses.meetReturn(id, value) : value),
    D: (id, parts) => pauses?.message(id, parts),
    j: (id, error) => pauses?.failed(id, error),
  };
}
