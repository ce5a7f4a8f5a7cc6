/**
 * What packages ask of a test framework while they are loaded: to clean up after each test, say. In a thread that keeps
 * packages they are loaded once, and it is asked again for each run.
 */
import type { Fn, Loose } from './parts.js';

const HOOKS = ['beforeAll', 'afterAll', 'beforeEach', 'afterEach'] as const;

const noted: { name: string; args: never[] }[] = [];
let loading = 0;
let tell: (begins: boolean) => void = () => undefined;

/** Whom to tell that packages begin to be loaded, and that all have been. */
export function onLoading(listener: (begins: boolean) => void): void {
  tell = listener;
}

/** Loads a package. */
export function whileLoading<T>(load: () => T): T {
  if (loading++ === 0) tell(true);
  const loaded = (): void => {
    if (--loading === 0) tell(false);
  };
  let result: T;
  try {
    result = load();
  } catch (error) {
    loaded();
    throw error;
  }
  if (result instanceof Promise) result.then(loaded, loaded);
  else loaded();
  return result;
}

/** Hooks that do as before, and note the calls of packages that are loaded. */
export function notingHooks(given: Readonly<Loose>): Loose {
  const made: Loose = { ...given };
  for (const name of HOOKS) {
    const hook = given[name];
    if (typeof hook === 'function')
      made[name] = (...args: never[]): unknown => {
        if (loading > 0) noted.push({ name, args });
        return (hook as Fn)(...args);
      };
  }
  return made;
}

/** Gives packages that are loaded before there is a framework what they look for; returns what takes it away. */
export function standIn(given: Readonly<Loose>): () => void {
  const hooks = Object.fromEntries(
    HOOKS.map((name) => [name, (...args: never[]): void => void noted.push({ name, args })]),
  );
  const put = { ...hooks, ...given };
  for (const [name, value] of Object.entries(put))
    Object.defineProperty(globalThis, name, { value, writable: true, configurable: true, enumerable: true });
  return () => {
    for (const name of Object.keys(put)) Reflect.deleteProperty(globalThis, name);
  };
}

/** What asks the framework again: taken before the pad loads more. */
export function askedBefore(): () => void {
  const before = [...noted];
  return () => {
    for (const { name, args } of before) (globalThis as unknown as Record<string, Fn | undefined>)[name]?.(...args);
  };
}
