/** Putting a held function in the place of one of the platform's. */
import type { Holding } from './hold.js';

export type Functions = Record<string, unknown>;
/** What a call would do, in words that stay the same for the same thing; undefined for nothing that is held. */
export type Describe = (args: unknown[], self: unknown) => string | undefined;
type Detail = (args: unknown[]) => string | undefined;
type Callable = (...args: unknown[]) => unknown;

/** Told of each function that was put in place of another: it looks like that one. */
let disguise: (made: object, original: object) => void = () => undefined;

export function wrapAs(hide: typeof disguise): void {
  disguise = hide;
}

/** Puts `made` in the place of a function; what is no function, or is not there in this version, stays as it is. */
export function replace(owner: Functions, name: string, make: (original: Callable) => Callable): void {
  const original = owner[name];
  if (typeof original !== 'function') return;
  const made = make(original as Callable);
  Object.defineProperty(made, 'name', { value: (original as Callable).name });
  Object.defineProperty(made, 'length', { value: (original as Callable).length });
  // What hangs on it, as `util.promisify.custom` does.
  for (const key of Reflect.ownKeys(original))
    if (!Object.hasOwn(made, key)) Object.defineProperty(made, key, Object.getOwnPropertyDescriptor(original, key)!);
  disguise(made, original);
  owner[name] = made;
}

/** What becomes of a call that is held: `call` makes it, as it would have been made. */
type Hold = (call: () => unknown, args: unknown[], what: string, detail: string | undefined) => unknown;

/** Puts a function in the place of one whose calls are held where `describe` says that they change something. */
function wrap(owner: Functions, name: string, holding: Holding, hold: Hold, describe: Describe, detail?: Detail): void {
  replace(
    owner,
    name,
    (original) =>
      function (this: unknown, ...args: unknown[]): unknown {
        const what = holding.isThrough ? undefined : describe(args, this);
        const call = (): unknown => holding.pass(() => Reflect.apply(original, this, args) as unknown);
        return what === undefined ? call() : hold(call, args, what, detail?.(args));
      },
  );
}

/** A call stands still until it is let through. */
export function wrapNow(owner: Functions, name: string, holding: Holding, describe: Describe, detail?: Detail): void {
  const hold: Hold = (call, _args, what, more) => {
    holding.now(what, more);
    return call();
  };
  wrap(owner, name, holding, hold, describe, detail);
}

/** A call that answers by a callback is made when it is let through; the program goes on meanwhile. */
export function wrapCallback(
  owner: Functions,
  name: string,
  holding: Holding,
  describe: Describe,
  detail?: Detail,
): void {
  const hold: Hold = (call, args, what, more) => {
    // Without a callback it is refused by the platform.
    if (typeof args[args.length - 1] !== 'function') return call();
    void holding.later(what, more).then(call);
    return undefined;
  };
  wrap(owner, name, holding, hold, describe, detail);
}

/** A call that answers by a promise is made when it is let through; the program goes on meanwhile. */
export function wrapPromise(
  owner: Functions,
  name: string,
  holding: Holding,
  describe: Describe,
  detail?: Detail,
): void {
  wrap(owner, name, holding, (call, _args, what, more) => holding.later(what, more).then(call), describe, detail);
}

/** Making an object of a class stands still until it is let through. */
export function wrapClass(owner: Functions, name: string, holding: Holding, describe: Describe): void {
  const original = owner[name];
  if (typeof original !== 'function') return;
  const made: object = new Proxy(original, {
    construct(target, args: unknown[], given): object {
      const what = holding.isThrough ? undefined : describe(args, undefined);
      if (what !== undefined) holding.now(what);
      return holding.pass(() => Reflect.construct(target, args, given === made ? target : given) as object);
    },
  });
  Object.defineProperty(owner, name, { value: made, configurable: true, writable: true });
}
