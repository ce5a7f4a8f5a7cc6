/**
 * What of the new text continues which function or class that lives: in the
 * version before, or among the declarations that were removed once and come back.
 */
import type { Outline } from '../syntax/outline.js';
import { generationOf, liveModule, type Generation, type LiveClass, type LiveModule } from './live-module.js';
import { isDeclared, match, type Matches } from './match.js';

/** A function of an earlier version that lives. */
export interface EarlierFunction {
  outline: Outline;
  /** Its number among the functions of `outline`. */
  index: number;
  generations: readonly Generation[];
}

/** A class of an earlier version that lives. */
export interface EarlierClass {
  outline: Outline;
  /** Its number among the classes of `outline`. */
  index: number;
  live: LiveClass;
}

export interface Continuity {
  /** By function of the new text; undefined for one that is new. */
  functions: (EarlierFunction | undefined)[];
  /** By class of the new text; undefined for one that is new. */
  classes: (EarlierClass | undefined)[];
  /** Top-level names that go on under another name: new to old. */
  renamed: ReadonlyMap<string, string>;
}

/**
 * Finds for each function and class of a new text what it continues.
 *
 * @param matches by default what is alike in both texts
 */
export function continuityOf(
  module: LiveModule,
  after: Outline,
  matches: Matches = match(module.outline, after),
): Continuity {
  const classes = after.classes.map((_, index) => earlierClass(module, after, index, matches.classes[index]!));
  const functions = after.functions.map((_, index) => earlierFunction(module, after, index, matches.functions[index]!));
  classes.forEach((old, index) => {
    if (old && old.outline !== module.outline) adoptMembers(after, index, old, functions);
  });
  return { functions, classes, renamed: matches.renamed };
}

function earlierFunction(
  module: LiveModule,
  after: Outline,
  index: number,
  matched: number,
): EarlierFunction | undefined {
  const before = module.outline;
  if (matched >= 0) return { outline: before, index: matched, generations: module.functions[matched]! };
  const info = after.functions[index]!;
  if (!isDeclared(after, info) || before.topLevel.has(info.name)) return undefined;
  const gone = module.gone.get(info.name);
  return (
    gone?.function && { outline: gone.outline, index: gone.function.index, generations: gone.function.generations }
  );
}

function earlierClass(module: LiveModule, after: Outline, index: number, matched: number): EarlierClass | undefined {
  if (matched >= 0) return { outline: module.outline, index: matched, live: module.classes[matched]! };
  const info = after.classes[index]!;
  const gone = module.gone.get(info.name);
  return gone?.class && info.parent < 0
    ? { outline: gone.outline, index: gone.class.index, live: gone.class.live }
    : undefined;
}

/** Members of a class that comes back are those it had. */
function adoptMembers(
  after: Outline,
  index: number,
  old: EarlierClass,
  functions: (EarlierFunction | undefined)[],
): void {
  after.functions.forEach((info, member) => {
    if (info.owner !== index || functions[member]) return;
    const found = old.outline.functions.findIndex(
      (other) =>
        other.owner === old.index &&
        other.name === info.name &&
        other.kind === info.kind &&
        other.isStatic === info.isStatic,
    );
    if (found < 0) return;
    const slot = liveModule(old.outline).functions[found]?.[0]?.slot ?? -1;
    const generation = generationOf(old.outline, found, slot);
    functions[member] = { outline: old.outline, index: found, generations: generation ? [generation] : [] };
  });
}
