/**
 * Scripts that are written with `import` and `export`, as TypeScript makes them:
 * what an import gets of what `require` gives, and what others find on `exports`.
 */
import * as own from '../originals.js';

type Exports = Record<string, unknown>;

const isObject = (value: unknown): value is Exports =>
  (typeof value === 'object' && value !== null) || typeof value === 'function';
const isModule = (value: unknown): boolean => isObject(value) && Boolean(value.__esModule);

/** A namespace for what is no ES module: its own names, and itself as the default. */
function star(value: unknown): unknown {
  if (isModule(value)) return value;
  const made: Exports = {};
  if (isObject(value)) {
    for (const name of own.ownKeys(value) as string[])
      if (name !== 'default' && own.hasOwn(value, name)) bind(made, value, name);
  }
  own.defineProperty(made, 'default', { value, enumerable: true });
  return made;
}

/** As TypeScript binds a name: read anew each time, unless it can be taken over as it is. */
function bind(into: Exports, from: Exports, name: string): void {
  const found = own.getDescriptor(from, name);
  const taken =
    found && ('get' in found ? !from.__esModule : found.writable === true || found.configurable === true)
      ? undefined
      : found;
  own.defineProperty(into, name, taken ?? { enumerable: true, get: () => from[name] });
}

/** What the code of such a script uses; one for each. */
export function scriptFace(): Record<string, unknown> {
  let getters: Record<string, () => unknown> = {};
  let exported: Exports = {};
  const put = (names: readonly string[], value?: unknown): unknown => {
    for (let i = 0; i < names.length; i++) exported[names[i]!] = getters[names[i]!]!();
    return value;
  };
  return {
    /** @param kind 0: as it is; 1: its default is taken; 2: the whole of it is taken */
    need(value: unknown, kind: number): unknown {
      if (kind === 1) return isModule(value) ? value : { default: value };
      return kind === 2 ? star(value) : value;
    },
    /** `import()` in a script whose compiler makes a `require` of it. */
    later(require: (specifier: string) => unknown, kind: number): (specifier: unknown) => Promise<unknown> {
      return (specifier) => {
        const text = own.StringCopy(specifier);
        return own.promiseThen(own.promiseResolve(undefined), () => (kind === 2 ? star(require(text)) : require(text)));
      };
    },
    /**
     * Exports by what reads them: those that are `ready` have their value, the `later` ones get it in the course of the
     * script.
     */
    give(
      into: Exports,
      given: Record<string, () => unknown>,
      later: readonly string[],
      ready: readonly string[],
    ): void {
      own.defineProperty(into, '__esModule', { value: true });
      getters = given;
      exported = into;
      for (let i = 0; i < later.length; i++) into[later[i]!] = undefined;
      put(ready);
    },
    put,
    /** `export … from`. */
    pass(into: Exports, given: Record<string, () => unknown>): void {
      for (const name of own.ownKeys(given) as string[])
        own.defineProperty(into, name, { enumerable: true, get: given[name]! });
    },
    /** `export * from`. */
    passAll(into: Exports, value: unknown): void {
      if (!isObject(value)) return;
      for (const name in value) if (name !== 'default' && !own.hasOwn(into, name)) bind(into, value, name);
    },
  };
}
