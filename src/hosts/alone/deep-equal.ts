/** What `node:assert` takes for equal. */

/** Pairs that are being compared: what refers to itself is as equal as all else of it. */
type Seen = Map<object, object>;

/** As `==` has it, and what is no number is like what is none. */
export function isLooselyEqual(a: unknown, b: unknown): boolean {
  // eslint-disable-next-line eqeqeq -- Loosely is what is asked for.
  return a == b || (Number.isNaN(a) && Number.isNaN(b));
}

const isObject = (value: unknown): value is object => typeof value === 'object' && value !== null;
const tagOf = (value: object): string => Object.prototype.toString.call(value);

/**
 * @param isStrict as `deepStrictEqual` has it: prototypes and symbols count, and parts are the same; otherwise as
 * `deepEqual` has it
 */
export function isDeepEqual(a: unknown, b: unknown, isStrict: boolean, seen: Seen = new Map()): boolean {
  if (!isObject(a) || !isObject(b))
    return isStrict || isObject(a) || isObject(b) ? Object.is(a, b) : isLooselyEqual(a, b);
  if (a === b) return true;
  if (tagOf(a) !== tagOf(b) || (isStrict && Object.getPrototypeOf(a) !== Object.getPrototypeOf(b))) return false;
  if (seen.get(a) === b) return true;
  seen.set(a, b);
  if (Array.isArray(a) && a.length !== (b as unknown[]).length) return false;
  if (!isSameInside(a, b, isStrict, seen)) return false;
  const [keys, others] = [keysOf(a, isStrict), keysOf(b, isStrict)];
  if (keys.length !== others.length) return false;
  return keys.every(
    (key) =>
      Object.prototype.propertyIsEnumerable.call(b, key) &&
      isDeepEqual((a as Record<PropertyKey, unknown>)[key], (b as Record<PropertyKey, unknown>)[key], isStrict, seen),
  );
}

function keysOf(value: object, isStrict: boolean): PropertyKey[] {
  const all: PropertyKey[] = isStrict ? Reflect.ownKeys(value) : Object.keys(value);
  return all.filter((key) => Object.prototype.propertyIsEnumerable.call(value, key));
}

/** What is no property: times, patterns, messages, boxed values, bytes, what maps and sets hold. */
function isSameInside(a: object, b: object, isStrict: boolean, seen: Seen): boolean {
  if (a instanceof Date) return Object.is(a.getTime(), (b as Date).getTime());
  if (a instanceof RegExp) return String(a) === String(b) && a.lastIndex === (b as RegExp).lastIndex;
  if (a instanceof Error) return a.message === (b as Error).message && a.name === (b as Error).name;
  if (a instanceof Number || a instanceof String || a instanceof Boolean) return Object.is(a.valueOf(), b.valueOf());
  if (a instanceof ArrayBuffer) return isDeepEqual(new Uint8Array(a), new Uint8Array(b as ArrayBuffer), true);
  if (a instanceof Map) return isSameMap(a, b as Map<unknown, unknown>, isStrict, seen);
  if (a instanceof Set) {
    const rest = [...(b as Set<unknown>)];
    return a.size === rest.length && [...a].every((value) => taken(rest, (one) => matches(value, one, isStrict, seen)));
  }
  return true;
}

function isSameMap(a: Map<unknown, unknown>, b: Map<unknown, unknown>, isStrict: boolean, seen: Seen): boolean {
  if (a.size !== b.size) return false;
  const rest = [...b];
  return [...a].every(([key, value]) =>
    taken(rest, ([other, its]) => matches(key, other, isStrict, seen) && matches(value, its, isStrict, seen)),
  );
}

/** Tried: what turns out different is not remembered as the same. */
function matches(a: unknown, b: unknown, isStrict: boolean, seen: Seen): boolean {
  return isDeepEqual(a, b, isStrict, new Map(seen));
}

/** Takes the first that fits out of a list. */
function taken<One>(rest: One[], fits: (one: One) => boolean): boolean {
  const at = rest.findIndex(fits);
  if (at >= 0) rest.splice(at, 1);
  return at >= 0;
}
