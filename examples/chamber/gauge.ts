/** A level as a bar of text. */
export function drawGauge(level: number, rise: number): string {
  const width = 24;
  const filled = Math.round((level / rise) * width);
  return `${'#'.repeat(filled)}${'.'.repeat(width - filled)} ${level.toFixed(2)} m`;
}
