/** What the lock house knows and charges. */
export interface Barge {
  name: string;
  length: number;
  cargo: 'slate' | 'timber' | 'grain' | 'lime';
  tonnes: number;
}

/** A barge that lies at a berth. */
export interface Stay {
  barge: string;
  berth: string;
  days: number;
}

export const locks: Record<string, { rise: number; level: number }> = {
  alder: { rise: 4.2, level: 0 },
  birch: { rise: 6.1, level: 0.4 },
  cress: { rise: 5.4, level: 1 },
  dun: { rise: 8.3, level: 0.2 },
  elm: { rise: 7, level: 0.8 },
};

const RATES: Record<Barge['cargo'], number> = { slate: 65, timber: 50, grain: 80, lime: 40 };

export function toll(barge: Barge): number {
  const byLength = barge.length > 20 ? 900 : barge.length > 14 ? 600 : 350;
  return byLength + barge.tonnes * RATES[barge.cargo];
}

const BERTHS: Record<string, { perDay: number }> = { quay: { perDay: 120 }, basin: { perDay: 80 } };

/** What a barge owes for lying at a berth. */
export function mooring(stay: Stay): number {
  const berth = BERTHS[stay.berth]!;
  return stay.days * berth.perDay;
}

/** The book in which the office writes what was paid. */
export class Book {
  readonly entries: string[] = [];

  note(text: string): number {
    return this.entries.push(text);
  }
}

export function lockNamed(name: string): { name: string; rise: number; level: number } | undefined {
  const lock = locks[name];
  return lock && { name, ...lock };
}

/** Metres that a boat is lifted between two locks, the first included. */
export function riseBetween(from: string, to: string): number {
  const names = Object.keys(locks);
  const [first, last] = [names.indexOf(from), names.indexOf(to)].sort((a, b) => a - b);
  const rise = names.slice(first, last).reduce((sum, name) => sum + locks[name]!.rise, 0);
  return Math.round(rise * 10) / 10;
}
