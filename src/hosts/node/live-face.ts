/**
 * `usher-anvil/live`: for programs that are changed while they run. Inside a
 * live program the runtime takes this module's place; a program that runs
 * without it makes its state once and loads its extensions once.
 */

/** True inside a live program. */
export const isLive: boolean = false;

/**
 * State that survives a reload of its module. The first call makes it; after a
 * reload the same value comes back. What changes by assignment belongs into an
 * object: `const state = carry('state', () => ({ frame: 0 }))`.
 *
 * @param name unique in its file
 * @throws TypeError for a name or function that is none
 */
export function carry<T>(name: string, make: () => T): T {
  void name;
  return make();
}

/**
 * Registers what has to be undone before the module is executed again: timers,
 * listeners, registrations. The last registered is called first.
 */
export function dispose(fn: () => void | Promise<void>): void {
  void fn;
}

/**
 * Loads a module that its host puts in and takes out. In a live program the
 * module is executed again at each save of it or of what only it imports:
 * what it registered is disposed of, and `use` is called with the new module.
 *
 * @param use may give a function that undoes what it did
 * @returns the module as it is first loaded
 */
export async function extension<T = Record<string, unknown>>(
  specifier: string,
  use: (module: T) => void | (() => void | Promise<void>),
): Promise<T> {
  const module = (await import(specifier)) as T;
  use(module);
  return module;
}

/**
 * Key of a static method of a class: `static [migrate](object, missing) { … }`.
 * It is called for each live object when its class has got new fields, with
 * the names of those that the object had not; they are filled already.
 */
export const migrate: unique symbol = Symbol.for('usher-anvil/migrate') as never;

/**
 * Key of a static list of names: `static [carried] = ['at', 'cargo']`. When a
 * module is executed again, objects of the old class go over to the new one:
 * the fields named keep their values, the others are taken off, and `migrate`
 * is called with their names. Private fields cannot go over: an object of the
 * old class has none of the new one's.
 */
export const carried: unique symbol = Symbol.for('usher-anvil/carried') as never;
