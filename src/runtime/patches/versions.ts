/** Later versions of functions, made once or anew for each scope, instance or class that holds one. */
import type { Step } from '../../wire/steps.js';
import * as own from '../originals.js';
import {
  hooksOf,
  stopReporting,
  versionAt,
  type Callable,
  type ClassHook,
  type Evaluate,
  type FunctionStep,
  type ModulePatches,
} from './modules.js';

/**
 * Closures of one function that get a version which reports; where more are made, only those that come with the code
 * around them report.
 */
const MOST_OBSERVED = 400;

/** Later versions that use `new.target`. */
const askForNew = own.safeWeakMap<object, true>();

/**
 * What is called in place of a function that was called with `new`: its later version, of which what `new` made is the
 * `this`. An object of another kind each time, as `Reflect.construct` makes, would slow down everything that is done
 * with them, so only a version that asks for `new.target` is constructed anew.
 */
export function makerOf(later: Callable, target: Callable): Callable {
  return askForNew.has(later) ? (...args) => own.construct(later, args, target) : later;
}

/** Scopes whose version is remembered until others are: to make one anew costs less than to remember all. */
const MOST_REMEMBERED = 400;

/**
 * Calls of a version are held where they fail.
 *
 * @param current gives the version that there is now
 */
export type HoldVersion = (
  made: Callable,
  step: FunctionStep,
  current: (() => Callable | undefined) | undefined,
) => Callable;

/**
 * The later version that a step brings, as its patch point asks for it.
 *
 * @param hold holds its calls, where the step asks for it
 * @param observed the version reports, and may be made for so many closures only
 */
export function versionOf(
  step: Extract<Step, { kind: 'function' }>,
  module: ModulePatches,
  evaluate: Evaluate,
  observed = false,
  hold?: HoldVersion,
): unknown {
  const { code, self, home } = step;
  const noted = <T>(made: T, current?: () => Callable | undefined): T => {
    if (step.newTarget) askForNew.set(made as object, true);
    return (step.holds || step.stands || step.takesPart) && hold && !step.newTarget
      ? (hold(made as Callable, step, current) as T)
      : made;
  };
  let version: unknown;
  /** The version that the slot gives now; of one that each scope has, that scope's. */
  const current = (ask?: (version: Callable) => unknown) => (): Callable | undefined => {
    const now = versionAt(module, step.slot) as Callable | undefined;
    return now && ask ? (ask(now) as Callable) : now;
  };
  const finish = (made: unknown, owner: object | undefined, ask?: (version: Callable) => unknown): unknown => {
    if (home === undefined) return noted(made, current(ask));
    const target = home === 'static' ? owner! : (owner as { prototype: object }).prototype;
    const given = made as { home: object; pick: (home: object) => unknown };
    // `super` in the method looks up from the prototype of its home object.
    own.setPrototype(given.home, own.getPrototype(target));
    return noted(given.pick(given.home), current(ask));
  };
  if (step.ofConstructor) {
    version = (inside: Evaluate) => inside(code);
  } else if (step.each) {
    let made = own.safeWeakMap<object, unknown>();
    let count = 0;
    // Most scopes are entered once: the last one asked for is the next one too.
    let lastKey: object | undefined;
    let lastFound: unknown;
    // Made once, for any scope: what a scope has is reached through its hook.
    const make = step.scoped ? ((classHookOf(step, module)?.evaluate ?? evaluate)(code) as Callable) : undefined;
    version = (hook: Evaluate | ClassHook | undefined, held: object | undefined): unknown => {
      const key = self ? held! : hook!;
      if (key === lastKey) return lastFound;
      let found = made.get(key);
      if (found === undefined) {
        // A collector has much to do with many weak keys, and closures that are made in a loop are soon gone.
        if (++count % MOST_REMEMBERED === 0 && make) made = own.safeWeakMap();
        if (observed && !make && count === MOST_OBSERVED && module.observed.get(step.slot)?.version === version)
          stopReporting(module, step.slot);
        const through = hook === undefined ? evaluate : typeof hook === 'function' ? hook : hook.evaluate;
        const result = make ? make(hook) : through(code);
        found = finish(
          self ? (result as Callable)(held) : result,
          typeof hook === 'function' ? undefined : hook?.self,
          (now) => (self ? now(hook, held) : now(hook)),
        );
        made.set(key, found);
      }
      lastKey = key;
      lastFound = found;
      return found;
    };
  } else {
    const hook = classHookOf(step, module);
    version = finish((hook ? hook.evaluate : evaluate)(code), hook?.self);
  }
  return version;
}

/** The hook of the class that a version is compiled in, if it is in one. */
function classHookOf(step: Extract<Step, { kind: 'function' }>, module: ModulePatches): ClassHook | undefined {
  if (step.owner === undefined) return undefined;
  const hooks = hooksOf(module, step.owner);
  if (hooks.length === 0) throw new own.ErrorCopy('its class was never made');
  return hooks[hooks.length - 1];
}
