/** Searching in sorted lists. No library here: it runs inside of targets too. */

/** Index of the last number that is not above `wanted`; 0 where all are. */
export function floorIndex(sorted: ArrayLike<number>, wanted: number): number {
  let low = 0;
  let high = sorted.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (sorted[middle]! <= wanted) low = middle;
    else high = middle - 1;
  }
  return low;
}
