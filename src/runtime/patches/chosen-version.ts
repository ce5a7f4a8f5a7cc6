/** Two versions of one text: one that reports, for the call whose values are asked for, and one that does not. */
import type { TakingPart } from '../../wire/entries.js';
import * as own from '../originals.js';
import type { Callable, Evaluate, FunctionStep } from './modules.js';

/** Says for which calls values are asked for. */
export interface Chooser {
  /** The values of what runs now are asked for, or those of the call of a function that is about to begin. */
  wants(part?: TakingPart): boolean;
  note(part: TakingPart): void;
}

/** As the patch point of a slot asks for it; see `versionOf`. */
type Made = (hook: object | undefined, held: object | undefined) => Callable;

/**
 * @param reporting what `versionOf` gives for the version that reports
 * @param plain the same for the one that does not; undefined where there is none
 */
export function chosenVersion(
  { each, ofConstructor, takesPart, newTarget }: FunctionStep,
  chooser: Chooser,
  reporting: unknown,
  plain: unknown,
): unknown {
  if (ofConstructor) {
    type Inside = (evaluate: Evaluate) => unknown;
    return (inside: Evaluate): unknown => {
      if (takesPart) chooser.note(takesPart);
      const isPlain = plain !== undefined && !chooser.wants();
      return ((isPlain ? plain : reporting) as Inside)(inside);
    };
  }
  // What `new` is to make is known by the version itself.
  if (plain === undefined || newTarget) return reporting;
  const choose = (wanted: Callable, other: Callable): Callable =>
    function (this: unknown, ...args) {
      return own.apply(chooser.wants(takesPart) ? wanted : other, this, args);
    };
  if (!each) return choose(reporting as Callable, plain as Callable);
  let lastWanted: Callable | undefined;
  let lastChosen: Callable | undefined;
  const chosen = own.safeWeakMap<object, Callable>();
  return (hook: object | undefined, held: object | undefined): Callable => {
    const wanted = (reporting as Made)(hook, held);
    if (wanted === lastWanted) return lastChosen!;
    let found = chosen.get(wanted);
    if (!found) chosen.set(wanted, (found = choose(wanted, (plain as Made)(hook, held))));
    lastWanted = wanted;
    return (lastChosen = found);
  };
}
