/** The five locks of the Wenlow Canal, from the sea up. */
export interface Lock {
  name: string;
  /** Metres from the lower to the upper pound. */
  rise: number;
  /** Kilometres from the sea. */
  at: number;
}

export const locks: readonly Lock[] = [
  { name: 'Alder', rise: 4.2, at: 2.5 },
  { name: 'Birch', rise: 6.1, at: 5.5 },
  { name: 'Cress', rise: 5.4, at: 9 },
  { name: 'Dun', rise: 8.3, at: 12.5 },
  { name: 'Elm', rise: 7, at: 15.5 },
];

/** Kilometres from the sea to the upper end. */
export const LENGTH = 18;

/** Height of the water, in metres, at a place between locks. */
export function heightAt(km: number): number {
  let height = 0;
  for (const lock of locks) if (km > lock.at) height += lock.rise;
  return height;
}
