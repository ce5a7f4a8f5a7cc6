/** All verbs. A new one is a file beside these and a line here; `docs/marks.md` has a worked example. */
import { from } from './from.js';
import { keep } from './keep.js';
import { plot } from './plot.js';
import { table } from './table.js';
import { time } from './time.js';
import type { Verb } from './verb.js';
import { when } from './when.js';

export type { Verb } from './verb.js';

export const VERBS: readonly Verb[] = [time, plot, table, keep, when, from];

const byName = new Map(VERBS.map((verb) => [verb.name, verb]));

/** A verb by the name that stands before the colon. */
export function verbOf(name: string): Verb | undefined {
  return byName.get(name);
}

/**
 * Adds a verb of your own for this process.
 *
 * @throws RangeError when the name is taken or is not one lower-case word
 */
export function addVerb(verb: Verb): void {
  if (!/^[a-z][a-z-]*$/.test(verb.name))
    throw new RangeError(`A verb is one lower-case word, and "${verb.name}" is not.`);
  if (byName.has(verb.name)) throw new RangeError(`There is a verb "${verb.name}:" already.`);
  byName.set(verb.name, verb);
}

/** A verb of a project: one that it had by that name before is replaced. */
export function putVerb(verb: Verb): void {
  byName.set(verb.name, verb);
}

/** Names of all verbs, for messages. */
export function verbNames(): string[] {
  return [...byName.keys()];
}
