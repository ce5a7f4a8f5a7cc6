/** Times in words. */

/** `0.2 ms`, `12 ms`, `1.4 s`. */
export function durationText(ms: number): string {
  if (ms >= 1000) return `${(ms / 1000).toFixed(1)} s`;
  return ms >= 10 ? `${Math.round(ms)} ms` : `${ms.toFixed(1)} ms`;
}

/** `3 s`, `4 min`, `2 h`. */
export function ageText(ms: number): string {
  if (ms < 1_000) return 'less than 1 s';
  const s = Math.round(ms / 1000);
  return s < 90 ? `${s} s` : s < 5_400 ? `${Math.round(s / 60)} min` : `${Math.round(s / 3600)} h`;
}
