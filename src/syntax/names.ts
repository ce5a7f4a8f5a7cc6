/** Names that somebody may have meant. */

/** The name in `names` closest to `wanted`, if it is close. */
export function nearest(wanted: string, names: Iterable<string>): string | undefined {
  let best: string | undefined;
  let least = Math.max(1, Math.floor(wanted.length / 3)) + 1;
  for (const name of names) {
    const distance = editDistance(wanted.toLowerCase(), name.toLowerCase(), least);
    if (distance < least) {
      least = distance;
      best = name;
    }
  }
  return best;
}

/**
 * Edits between two names, where two neighbours that changed places are one (optimal string alignment), cut off at
 * `limit`.
 */
function editDistance(a: string, b: string, limit: number): number {
  if (Math.abs(a.length - b.length) >= limit) return limit;
  let before: number[] = [];
  let previous = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const current = [i];
    for (let k = 1; k <= b.length; k++) {
      let least = Math.min(previous[k]! + 1, current[k - 1]! + 1, previous[k - 1]! + (a[i - 1] === b[k - 1] ? 0 : 1));
      if (i > 1 && k > 1 && a[i - 1] === b[k - 2] && a[i - 2] === b[k - 1]) least = Math.min(least, before[k - 2]! + 1);
      current[k] = least;
    }
    before = previous;
    previous = current;
  }
  return previous[b.length]!;
}
