/**
 * Addresses of programs elsewhere that were joined, behind tunnels for the most part: remembered, so that they are found
 * again. Format `usher-anvil/joined@1`, one file, readable by its owner only.
 */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { stateFolder, writeState } from '../hosts/node/state-folder.js';
import type { Described } from './door-methods.js';
import { joinTarget } from './window.js';

/** Addresses that are remembered, the last joined first. */
const MOST = 20;
/** Milliseconds in which one has to answer to count as there. */
const PATIENCE_MS = 1_000;

const joined = z.object({
  /** `127.0.0.1:port`. */
  address: z.string().regex(/^(?:127\.0\.0\.1|localhost):\d{1,5}$/),
  token: z.string().min(1).max(400),
  /** When it was joined last, as ISO 8601. */
  at: z.iso.datetime(),
});
const kept = z.object({ format: z.literal('usher-anvil/joined@1'), joined: z.array(joined) });

export type Joined = z.infer<typeof joined>;

const fileIn = (state: string): string => join(state, 'joined.json');

/** True for what is an address, and no name. */
export function isAddress(text: string): boolean {
  return /^(?:127\.0\.0\.1|localhost):\d{1,5}$/.test(text);
}

/** Addresses that were joined, the last first. */
export function joinedAddresses(state = stateFolder()): Joined[] {
  try {
    return kept.parse(JSON.parse(readFileSync(fileIn(state), 'utf8'))).joined;
  } catch {
    // Nothing is remembered.
    return [];
  }
}

/** Remembers an address that has answered; other targets are found by their names. */
export function rememberJoined(address: string, token: string, state = stateFolder()): void {
  if (!isAddress(address)) return;
  const others = joinedAddresses(state).filter((one) => one.address !== address);
  write([{ address, token, at: new Date().toISOString() }, ...others.slice(0, MOST - 1)], state);
}

/** @returns false where it was not remembered */
export function forgetJoined(address: string, state = stateFolder()): boolean {
  const all = joinedAddresses(state);
  const left = all.filter((one) => one.address !== address);
  if (left.length < all.length) write(left, state);
  return left.length < all.length;
}

function write(list: Joined[], state: string): void {
  try {
    writeState(fileIn(state), JSON.stringify({ format: 'usher-anvil/joined@1', joined: list }, null, 2));
  } catch {
    // What cannot be kept is given again by hand.
  }
}

/** What the program at an address says of itself, or why it does not. */
export async function describeAt({ address, token }: Joined): Promise<Described | { why: string }> {
  const asked = (async () => {
    const window = await joinTarget(address, token, {});
    try {
      return await window.ask('describe', {});
    } finally {
      window.close();
    }
  })();
  let timer: NodeJS.Timeout | undefined;
  const silent = new Promise<{ why: string }>((resolve) => {
    timer = setTimeout(() => resolve({ why: 'does not answer' }), PATIENCE_MS);
  });
  try {
    return await Promise.race([asked, silent]);
  } catch (error) {
    return { why: (error as Error).message.includes('another token') ? 'asks for another token' : 'does not answer' };
  } finally {
    clearTimeout(timer);
    asked.catch(() => undefined);
  }
}
