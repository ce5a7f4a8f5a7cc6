/**
 * Two ways to order barges through a lock, compared while one of them is written: as a pad, `usher-anvil open
 * planner/compared.ts`. The baseline takes the shortest wait by going through the list each time; the other one keeps
 * the list sorted.
 */
import { compare } from 'usher-anvil/pad';

interface Waiting {
  name: string;
  minutes: number;
}

/** Who goes first, one after the other. */
export function bySearching(waiting: Waiting[]): string[] {
  const left = [...waiting];
  const order: string[] = [];
  while (left.length > 0) {
    let best = 0;
    for (let i = 1; i < left.length; i++) if (left[i]!.minutes < left[best]!.minutes) best = i;
    order.push(left.splice(best, 1)[0]!.name);
  }
  return order;
}

export function bySorting(waiting: Waiting[]): string[] {
  return [...waiting].sort((one, other) => one.minutes - other.minutes).map(({ name }) => name);
}

const barges = (size: number, random: () => number): Waiting[] =>
  Array.from({ length: size }, (_, i) => ({ name: `barge ${i}`, minutes: Math.floor(random() * 40) }));

const steady = (size: number): Waiting[] => barges(size, () => 0.618 * ((size * 7) % 3));

compare({ bySearching, bySorting }, () => steady(60), {
  generate: (random) => barges(Math.floor(random() * 12), random),
  sized: steady,
});
