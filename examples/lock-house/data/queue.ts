/** Barges that wait below the first lock. */
import type { Barge } from '../rules.js';

export const queue: Barge[] = [
  { name: 'Heron', length: 21, cargo: 'slate', tonnes: 18 },
  { name: 'Teal', length: 12, cargo: 'lime', tonnes: 6 },
  { name: 'Kestrel', length: 16, cargo: 'grain', tonnes: 11 },
];

export function bargeNamed(name: string): Barge | undefined {
  return queue.find((barge) => barge.name === name);
}

/** How many wait then. */
export function wait(barge: Barge): number {
  return queue.push(barge);
}

export function leave(name: string): { left: string; waiting: number } | undefined {
  const at = queue.findIndex((barge) => barge.name === name);
  if (at < 0) return undefined;
  queue.splice(at, 1);
  return { left: name, waiting: queue.length };
}
