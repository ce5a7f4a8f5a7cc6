/**
 * Namespace objects of modules in a page, whose own loader takes no part: they behave as the language's (ECMAScript,
 * 10.4.6), but for `Reflect.set` and code that is not strict, which are told of a refusal as strict code is.
 */
import type { NamespaceShell } from '../../runtime/modules/bindings.js';

/** Before the page notes which proxies are made. */
const NativeProxy = globalThis.Proxy;
const TAG = Symbol.toStringTag;

/**
 * @param read gives what an export holds now; throws while it is not initialised
 * @returns an object that reads by itself
 */
export function namespaceInPage(
  _file: string,
  names: readonly string[],
  read: (name: string) => unknown,
): NamespaceShell {
  // What its own fields are is fixed by the target; what they hold is read.
  const target = Object.create(null) as Record<string | symbol, unknown>;
  for (const name of names)
    Object.defineProperty(target, name, { value: undefined, writable: true, enumerable: true, configurable: false });
  Object.defineProperty(target, TAG, { value: 'Module' });
  Object.preventExtensions(target);
  const has = (key: string | symbol): boolean => Object.hasOwn(target, key);
  const refuse = (what: string): never => {
    throw new TypeError(what);
  };
  const namespace = new NativeProxy(target, {
    get: (_, key) => (typeof key === 'string' && has(key) ? read(key) : target[key]),
    getOwnPropertyDescriptor(_, key) {
      const found = Object.getOwnPropertyDescriptor(target, key);
      return found && typeof key === 'string' ? { ...found, value: read(key) } : found;
    },
    set: (_, key) =>
      has(key)
        ? refuse(`Cannot assign to read only property '${String(key)}' of object '[object Module]'`)
        : refuse(`Cannot add property ${String(key)}, object is not extensible`),
    deleteProperty: (_, key) => !has(key) || refuse(`Cannot delete property '${String(key)}' of [object Module]`),
    defineProperty(_, key, wanted) {
      const found = Object.getOwnPropertyDescriptor(namespace, key);
      if (!found) return refuse(`Cannot redefine property: ${String(key)}`);
      const same = (Object.keys(wanted) as (keyof PropertyDescriptor)[]).every((part) =>
        Object.is(wanted[part], found[part]),
      );
      return same || refuse(`Cannot redefine property: ${String(key)}`);
    },
    setPrototypeOf: (_, prototype) => prototype === null || refuse('[object Module] is not extensible'),
  });
  return { namespace, set: () => undefined };
}

const seen = new WeakMap<object, object>();

/** The namespace object of what a bundle exports, which has accessors in the place of bindings. */
export function packageNamespace(exported: Record<string, unknown>): object {
  let found = seen.get(exported);
  if (!found) {
    const names = Object.keys(exported).sort();
    found = namespaceInPage('', names, (name) => exported[name]).namespace;
    seen.set(exported, found);
  }
  return found;
}
