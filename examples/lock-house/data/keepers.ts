/** Keepers by initials, and the lock that each keeps. */
const KEEPERS: Record<string, string> = { alder: 'A. M.', birch: 'T. R.', cress: 'J. O.', dun: 'S. W.', elm: 'L. F.' };

export function keeperAt(lock: string): string {
  return KEEPERS[lock] ?? 'nobody';
}
