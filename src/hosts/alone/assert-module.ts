/** `node:assert` for pads that run in a page: what tests of pads use of it. */

/** As Node calls it. */
class AssertionError extends Error {
  readonly code = 'ERR_ASSERTION';
  readonly generatedMessage: boolean;
  readonly actual: unknown;
  readonly expected: unknown;
  readonly operator: string;

  constructor({ message, actual, expected, operator = 'fail' }: AssertionParts) {
    super(message ?? WORDS[operator] ?? 'Failed');
    this.name = 'AssertionError';
    this.generatedMessage = message === undefined;
    Object.assign(this, { actual, expected, operator });
    this.actual = actual;
    this.expected = expected;
    this.operator = operator;
  }
}

interface AssertionParts {
  message?: string | undefined;
  actual?: unknown;
  expected?: unknown;
  operator?: string;
}

const WORDS: Record<string, string> = {
  strictEqual: 'Expected values to be strictly equal',
  deepStrictEqual: 'Expected values to be strictly deep-equal',
  notStrictEqual: 'Expected values to be different',
  notDeepStrictEqual: 'Expected values not to be deep-equal',
  '==': 'The expression evaluated to a falsy value',
  throws: 'Missing expected exception.',
  rejects: 'Missing expected rejection.',
  match: 'The input did not match the regular expression',
};

type Message = string | Error | undefined;
type Fits = ((error: never) => unknown) | RegExp | Error | object | undefined;

function fail(operator: string, actual: unknown, expected: unknown, message: Message): never {
  if (message instanceof Error) throw message;
  throw new AssertionError({ operator, actual, expected, message });
}

/** @returns what `import assert from 'node:assert'` gives, and its names */
export function assertModule(): Record<string, unknown> {
  const ok = (value: unknown, message?: Message): void => {
    if (!value) fail('==', value, true, message);
  };
  const strictEqual = (actual: unknown, expected: unknown, message?: Message): void => {
    if (!Object.is(actual, expected)) fail('strictEqual', actual, expected, message);
  };
  const notStrictEqual = (actual: unknown, expected: unknown, message?: Message): void => {
    if (Object.is(actual, expected)) fail('notStrictEqual', actual, expected, message);
  };
  const deepStrictEqual = (actual: unknown, expected: unknown, message?: Message): void => {
    if (!isDeepEqual(actual, expected, new Map())) fail('deepStrictEqual', actual, expected, message);
  };
  const notDeepStrictEqual = (actual: unknown, expected: unknown, message?: Message): void => {
    if (isDeepEqual(actual, expected, new Map())) fail('notDeepStrictEqual', actual, expected, message);
  };
  const match = (text: string, expected: RegExp, message?: Message): void => {
    if (!expected.test(text)) fail('match', text, expected, message);
  };
  const doesNotMatch = (text: string, expected: RegExp, message?: Message): void => {
    if (expected.test(text)) fail('doesNotMatch', text, expected, message);
  };
  const throws = (work: () => unknown, fits?: Fits | string, message?: Message): void => {
    let error: unknown;
    try {
      work();
    } catch (thrown) {
      error = thrown;
      checkError(error, typeof fits === 'string' ? undefined : fits, message);
      return;
    }
    fail('throws', error, fits, typeof fits === 'string' ? fits : message);
  };
  const rejects = async (work: Promise<unknown> | (() => Promise<unknown>), fits?: Fits): Promise<void> => {
    try {
      await (typeof work === 'function' ? work() : work);
    } catch (error) {
      checkError(error, fits, undefined);
      return;
    }
    fail('rejects', undefined, fits, undefined);
  };
  const face = {
    ...{ ok, strictEqual, notStrictEqual, deepStrictEqual, notDeepStrictEqual, match, doesNotMatch, throws, rejects },
    ...{ equal: strictEqual, notEqual: notStrictEqual, deepEqual: deepStrictEqual, notDeepEqual: notDeepStrictEqual },
    fail: (message?: Message) => fail('fail', undefined, undefined, message ?? 'Failed'),
    AssertionError,
  };
  const assert = Object.assign((value: unknown, message?: Message) => ok(value, message), face);
  Object.assign(assert, { strict: assert, default: assert });
  return { ...face, strict: assert, default: assert };
}

function checkError(error: unknown, fits: Fits, message: Message): void {
  if (fits === undefined) return;
  if (fits instanceof RegExp) {
    if (!fits.test(String(error))) fail('throws', error, fits, message);
    return;
  }
  if (typeof fits === 'function') {
    const isClass = fits.prototype !== undefined && (fits === Error || fits.prototype instanceof Error);
    const isRight = isClass
      ? error instanceof (fits as unknown as typeof Error)
      : (fits as (e: unknown) => unknown)(error);
    if (isClass ? !isRight : isRight !== true)
      throw isClass ? error : new AssertionError({ operator: 'throws', actual: error });
    return;
  }
  for (const key of new Set([...Object.keys(fits), ...(fits instanceof Error ? ['message', 'name'] : [])])) {
    const [actual, expected] = [(error as Record<string, unknown>)[key], (fits as Record<string, unknown>)[key]];
    const isRight =
      expected instanceof RegExp && typeof actual === 'string'
        ? expected.test(actual)
        : isDeepEqual(actual, expected, new Map());
    if (!isRight) fail('throws', error, fits, message);
  }
}

/** As `deepStrictEqual` has it: prototypes, own enumerable properties, and what maps, sets, dates and the like hold. */
function isDeepEqual(a: unknown, b: unknown, seen: Map<object, object>): boolean {
  if (Object.is(a, b)) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Object.getPrototypeOf(a) !== Object.getPrototypeOf(b)) return false;
  if (seen.get(a) === b) return true;
  seen.set(a, b);
  if (Array.isArray(a) && a.length !== (b as unknown[]).length) return false;
  if (a instanceof Date) return Object.is(a.getTime(), (b as Date).getTime());
  if (a instanceof RegExp) return String(a) === String(b) && a.lastIndex === (b as RegExp).lastIndex;
  if (a instanceof Error && (a.message !== (b as Error).message || a.name !== (b as Error).name)) return false;
  if (a instanceof Map) {
    const other = b as Map<unknown, unknown>;
    if (a.size !== other.size) return false;
    for (const [key, value] of a) if (!other.has(key) || !isDeepEqual(value, other.get(key), seen)) return false;
  }
  if (a instanceof Set) {
    const rest = [...(b as Set<unknown>)];
    if (a.size !== rest.length) return false;
    for (const value of a) {
      const at = rest.findIndex((one) => isDeepEqual(value, one, new Map(seen)));
      if (at < 0) return false;
      rest.splice(at, 1);
    }
  }
  const [keys, others] = [Reflect.ownKeys(a).filter(isShown, a), Reflect.ownKeys(b).filter(isShown, b)];
  if (keys.length !== others.length) return false;
  return keys.every(
    (key) =>
      Object.hasOwn(b, key) &&
      isDeepEqual((a as Record<PropertyKey, unknown>)[key], (b as Record<PropertyKey, unknown>)[key], seen),
  );
}

function isShown(this: object, key: PropertyKey): boolean {
  return Object.getOwnPropertyDescriptor(this, key)!.enumerable === true;
}
