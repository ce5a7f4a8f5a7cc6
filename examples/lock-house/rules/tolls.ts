/** What a passage costs, and how long it is waited for. */
import { toll, type Barge } from '../rules.js';

const NIGHT = { from: 22, to: 6, share: 0.25 };
/** Barges of the canal's own yard pay less. */
const YARD = ['Teal', 'Dunlin'];

/** Pence for one passage at an hour of the day. */
export function chargeFor(barge: Barge, hour: number): number {
  const base = toll(barge);
  return Math.round(base + surcharge(base, hour) - discount(base, barge));
}

export function surcharge(base: number, hour: number): number {
  return hour >= NIGHT.from || hour < NIGHT.to ? base * NIGHT.share : 0;
}

export function discount(base: number, barge: Barge): number {
  return YARD.includes(barge.name) ? base * 0.1 : 0;
}

/** The lines of a bill. */
export function bill(barge: Barge, hour: number): string[] {
  const base = toll(barge);
  const lines = [`passage: ${base}`];
  const night = surcharge(base, hour);
  if (night > 0) lines.push(`at night: ${night}`);
  const less = discount(base, barge);
  if (less > 0) lines.push(`own yard: -${less}`);
  lines.push(`to pay: ${chargeFor(barge, hour)}`);
  return lines;
}

/** Minutes until a barge is in the first lock. */
export function waitingTime(barge: Barge, queue: readonly Barge[]): number {
  let minutes = 0;
  for (const one of queue) {
    if (one.name === barge.name) break;
    minutes += one.length > 20 ? 25 : 15;
  }
  return minutes;
}
