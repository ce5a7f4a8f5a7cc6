/** Times of one call, in words. */

/** Nanoseconds in the unit that reads best. */
export function timeText(ns: number): string {
  if (!Number.isFinite(ns)) return '';
  const [value, unit] =
    ns < 1_000 ? [ns, 'ns'] : ns < 1e6 ? [ns / 1_000, 'µs'] : ns < 1e9 ? [ns / 1e6, 'ms'] : [ns / 1e9, 's'];
  return `${value >= 100 ? value.toFixed(0) : value.toPrecision(3)} ${unit}`;
}
