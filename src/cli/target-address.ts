/** Which live program a person means: by its name, or at an address. */
import { statSync } from 'node:fs';
import { isAddress, joinedAddresses } from '../server/joined.js';
import type { ProgramAddress } from '../server/program-bench.js';
import { targetNamed, targets } from '../server/targets.js';
import { AnvilError } from '../syntax/problems.js';

export interface TargetAddress extends ProgramAddress {
  name: string;
}

/**
 * The live program of a name, or at an address; undefined for a path. A file of that name counts first, a folder does
 * not.
 *
 * @throws AnvilError `E_TARGET` when the token is missing, or no program has the name
 */
export function targetOf(path: string, given: string | undefined): TargetAddress | undefined {
  if (isAddress(path)) return targetAt(path, given);
  if (statSync(path, { throwIfNoEntry: false })?.isFile()) return undefined;
  return targets().some((one) => one.name === path) ? targetNamed(path) : undefined;
}

/**
 * A program at an address, with the token that is given, or with which it was joined the last time.
 *
 * @throws AnvilError `E_TARGET` where there is none
 */
export function targetAt(address: string, given: string | undefined): TargetAddress {
  const remembered = joinedAddresses().find((one) => one.address === address)?.token;
  const token = given ?? process.env.USHER_ANVIL_TOKEN ?? remembered;
  if (token === undefined)
    throw new AnvilError('E_TARGET', `${address} asks for a token: give it with --token, or in USHER_ANVIL_TOKEN.`);
  return { name: address, address, token };
}
