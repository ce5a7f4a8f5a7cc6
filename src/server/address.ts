/**
 * The address of a workbench, remembered for its folder: a tab that was open before finds it again. Format
 * `usher-anvil/address@1`, one file per folder, readable by its owner only.
 */
import { randomBytes } from 'node:crypto';
import { readFileSync, realpathSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { stateFile, stateFolder, writeState } from '../hosts/node/state-folder.js';

const address = z.object({
  format: z.literal('usher-anvil/address@1'),
  root: z.string(),
  port: z.int().min(1).max(65_535),
  token: z.string().regex(/^[\w-]{32,}$/),
});

export interface Address {
  /** 0 where none is remembered. */
  port: number;
  token: string;
}

/** The address that the workbench of a folder had last; a new token where it had none. */
export function addressOf(root: string, state: string = stateFolder()): Address {
  try {
    const found = address.parse(JSON.parse(readFileSync(fileOf(root, state), 'utf8')));
    if (found.root === realpathSync(root)) return { port: found.port, token: found.token };
  } catch {
    // Nothing is remembered, or it is no address.
  }
  return { port: 0, token: randomBytes(24).toString('base64url') };
}

/** Remembers an address; what cannot be kept is new the next time. */
export function rememberAddress(root: string, { port, token }: Address, state: string = stateFolder()): void {
  const format = 'usher-anvil/address@1';
  try {
    writeState(fileOf(root, state), JSON.stringify({ format, root: realpathSync(root), port, token }));
  } catch {
    // See above.
  }
}

function fileOf(root: string, state: string): string {
  return stateFile(join(state, 'addresses'), realpathSync(root));
}
