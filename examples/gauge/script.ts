/** The script of the gauge: change it here and save, or push a function with `usher-anvil prompt device --in script.ts`. */
export interface Probes {
  upper: number;
  chamber: number;
  lower: number;
}

/** Metres, as the probes feel them; the water ripples. */
export function measure({ upper, chamber, lower }: Probes, clock: number): number[] {
  const ripple = Math.sin(clock / 3) * 0.01;
  return [upper + ripple, chamber + ripple * 3, lower + ripple];
}

/** How far the paddle is to be raised, from 0 to 1. */
export function wanted(probes: Probes, clock: number): number {
  return clock % 400 > 120 && clock % 400 < 300 && probes.chamber < 4.8 ? 1 : 0;
}
