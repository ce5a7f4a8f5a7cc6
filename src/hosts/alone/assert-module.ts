/**
 * `node:assert` for pads that run in a page. The package that does the same is as large as a quarter of all that runs
 * pads there, and links carry no packages; those that packages of a pad ask for come with it.
 */
import { isDeepEqual, isLooselyEqual } from './deep-equal.js';

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
  deepEqual: 'Expected values to be loosely deep-equal',
  notDeepEqual: 'Expected values not to be loosely deep-equal',
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

const textOf = (value: unknown): string => {
  try {
    return typeof value === 'string' ? JSON.stringify(value) : String(value);
  } catch {
    return typeof value;
  }
};

/** A comparison, and its opposite. */
function pair(
  operators: readonly [string, string],
  isRight: (actual: unknown, expected: unknown) => boolean,
  sign?: readonly [string, string],
): Comparison[] {
  return operators.map((operator, index) => (actual, expected, message) => {
    if (isRight(actual, expected) === (index === 0)) return;
    fail(operator, actual, expected, message ?? (sign && `${textOf(actual)} ${sign[index]!} ${textOf(expected)}`));
  });
}

type Comparison = (actual: unknown, expected: unknown, message?: Message) => void;

const [strictEqual, notStrictEqual] = pair(['strictEqual', 'notStrictEqual'], Object.is);
const [equal, notEqual] = pair(['==', '!='], isLooselyEqual, ['==', '!=']);
const [deepStrictEqual, notDeepStrictEqual] = pair(['deepStrictEqual', 'notDeepStrictEqual'], (a, b) =>
  isDeepEqual(a, b, true),
);
const [deepEqual, notDeepEqual] = pair(['deepEqual', 'notDeepEqual'], (a, b) => isDeepEqual(a, b, false));

function ok(value: unknown, message?: Message): void {
  if (!value) fail('==', value, true, message);
}

function match(text: unknown, expected: RegExp, message?: Message): void {
  if (typeof text !== 'string' || !expected.test(text)) fail('match', text, expected, message);
}

function doesNotMatch(text: unknown, expected: RegExp, message?: Message): void {
  if (typeof text === 'string' && expected.test(text)) fail('doesNotMatch', text, expected, message);
}

function throws(work: () => unknown, fits?: Fits | string, message?: Message): void {
  try {
    work();
  } catch (error) {
    checkError('throws', error, typeof fits === 'string' ? undefined : fits, message);
    return;
  }
  fail('throws', undefined, fits, typeof fits === 'string' ? fits : message);
}

type Waiting = Promise<unknown> | (() => Promise<unknown>);

const begun = (work: Waiting): Promise<unknown> => (typeof work === 'function' ? work() : work);

async function rejects(work: Waiting, fits?: Fits | string, message?: Message): Promise<void> {
  try {
    await begun(work);
  } catch (error) {
    checkError('rejects', error, typeof fits === 'string' ? undefined : fits, message);
    return;
  }
  fail('rejects', undefined, fits, typeof fits === 'string' ? fits : message);
}

function unwanted(operator: string, error: unknown, fits: Fits | string, message: Message): never {
  const said = typeof fits === 'string' ? fits : message;
  const why = `Got unwanted ${operator === 'doesNotThrow' ? 'exception' : 'rejection'}${said === undefined ? '.' : `: ${textOf(said)}`}`;
  return fail(operator, error, undefined, `${why}\nActual message: "${(error as Error | undefined)?.message}"`);
}

function doesNotThrow(work: () => unknown, fits?: Fits | string, message?: Message): void {
  try {
    work();
  } catch (error) {
    unwanted('doesNotThrow', error, fits, message);
  }
}

async function doesNotReject(work: Waiting, fits?: Fits | string, message?: Message): Promise<void> {
  try {
    await begun(work);
  } catch (error) {
    unwanted('doesNotReject', error, fits, message);
  }
}

function ifError(value: unknown): void {
  if (value === null || value === undefined) return;
  const said = value instanceof Error ? value.message : textOf(value);
  fail('ifError', value, null, `ifError got unwanted exception: ${said}`);
}

/**
 * @param strict of `node:assert/strict`: what is compared loosely in the other is compared strictly
 * @returns what `import assert from 'node:assert'` gives, and its names
 */
export function assertModule(strict = false): Record<string, unknown> {
  const strictly = { strictEqual, notStrictEqual, deepStrictEqual, notDeepStrictEqual };
  const always = {
    ...{ ok, match, doesNotMatch, throws, rejects, doesNotThrow, doesNotReject, ifError, AssertionError, ...strictly },
    fail: (message?: Message) => fail('fail', undefined, undefined, message ?? 'Failed'),
  };
  const faceOf = (isStrict: boolean): object =>
    isStrict
      ? {
          ...always,
          equal: strictEqual,
          notEqual: notStrictEqual,
          deepEqual: deepStrictEqual,
          notDeepEqual: notDeepStrictEqual,
        }
      : { ...always, equal, notEqual, deepEqual, notDeepEqual };
  const made = (isStrict: boolean): object =>
    Object.assign((value: unknown, message?: Message) => ok(value, message), faceOf(isStrict));
  const strictOne = made(true);
  Object.assign(strictOne, { strict: strictOne, default: strictOne });
  const one = strict ? strictOne : Object.assign(made(false), { strict: strictOne });
  return { ...faceOf(strict), ...Object.assign(one, { default: one }), strict: strictOne, default: one };
}

function checkError(operator: string, error: unknown, fits: Fits, message: Message): void {
  if (fits === undefined) return;
  if (fits instanceof RegExp) {
    if (!fits.test(String(error))) fail(operator, error, fits, message);
    return;
  }
  if (typeof fits === 'function') {
    const isClass = fits.prototype !== undefined && (fits === Error || fits.prototype instanceof Error);
    const isRight = isClass
      ? error instanceof (fits as unknown as typeof Error)
      : (fits as (e: unknown) => unknown)(error);
    if (isClass && !isRight) {
      const { name, message: said } = error as Error;
      const why = `The error is expected to be an instance of "${(fits as { name?: string }).name}". Received "${name}"`;
      fail(operator, error, fits, message ?? `${why}\n\nError message:\n\n${said}`);
    }
    if (!isClass && isRight !== true) throw new AssertionError({ operator, actual: error });
    return;
  }
  for (const key of new Set([...Object.keys(fits), ...(fits instanceof Error ? ['message', 'name'] : [])])) {
    const [actual, expected] = [(error as Record<string, unknown>)[key], (fits as Record<string, unknown>)[key]];
    const isRight =
      expected instanceof RegExp && typeof actual === 'string'
        ? expected.test(actual)
        : isDeepEqual(actual, expected, true);
    if (!isRight) fail(operator, error, fits, message);
  }
}
