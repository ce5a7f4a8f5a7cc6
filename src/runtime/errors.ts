/** Describes whatever was thrown, without running code of the person. */
import * as own from './originals.js';
import { differencesOf } from './difference.js';
import { DEEP, type Introspection, type Previewer } from './preview.js';
import { dataProperty } from './stack-heads.js';
import { plainMessage, type Stacks } from './stacks.js';
import type { RetainedValues } from './retained-values.js';
import type { RawError } from '../wire/reports.js';

/** Causes within causes that are read. */
const WHOLE = 4;

export class ErrorReader {
  /** An error was read that came up at a moment. */
  noted: ((moment: number) => void) | undefined;

  constructor(
    private readonly previewer: Previewer,
    private readonly stacks: Stacks,
    private readonly introspection: Introspection,
    private readonly holder?: RetainedValues,
  ) {}

  read(thrown: unknown, kind: RawError['kind'], moment: number, depth = WHOLE): RawError {
    if (depth === WHOLE) {
      this.holder?.hold(moment, 0, thrown);
      this.noted?.(moment);
    }
    const error: RawError = { kind, moment, name: '', message: '', frames: [] };
    if (
      typeof thrown !== 'object' ||
      thrown === null ||
      this.introspection.isProxy(thrown) ||
      (this.introspection.brand(thrown) !== 'Error' &&
        !isCopiedError(thrown) &&
        !this.introspection.platform?.(thrown)?.error)
    ) {
      error.value = this.previewer.take(thrown);
      error.name = typeof thrown === 'object' && thrown !== null ? (error.value.class ?? 'object') : typeof thrown;
      error.message =
        typeof thrown === 'string'
          ? thrown
          : `${kind === 'rejection' ? 'rejected with' : 'threw'} ${error.value.text ?? error.value.class ?? error.value.type}`;
      return error;
    }
    error.frames = this.stacks.of(thrown);
    const facts = own.getDescriptor(thrown, 'message') ? undefined : this.introspection.platform?.(thrown)?.error;
    error.name = facts?.name ?? dataProperty(thrown, 'name') ?? 'Error';
    error.message =
      facts?.message ||
      plainMessage(dataProperty(thrown, 'message') ?? '') ||
      (hasGetter(thrown, 'message') ? 'message is a getter, which is not run' : '');
    const code = own.getDescriptor(thrown, 'code');
    if (code && (typeof code.value === 'string' || typeof code.value === 'number'))
      error.code = own.StringCopy(code.value);
    this.assertion(thrown, error);
    if (depth > 0) {
      const cause = own.getDescriptor(thrown, 'cause');
      if (cause && 'value' in cause && cause.value !== undefined)
        error.cause = this.read(cause.value, kind, moment, depth - 1);
      const errors = own.getDescriptor(thrown, 'errors');
      if (errors && own.isArray(errors.value)) {
        error.errors = [];
        for (let i = 0; i < errors.value.length && i < 20; i++) {
          const item = own.getDescriptor(errors.value, i);
          if (item && 'value' in item) own.append(error.errors, this.read(item.value, kind, moment, depth - 1));
        }
      }
    }
    return error;
  }

  private differences(received: unknown, expected: unknown, loose: boolean): NonNullable<RawError['differences']> {
    const found = differencesOf(received, expected, { loose }, this.previewer, this.introspection);
    if (
      found.list.length === 0 &&
      !found.partial &&
      typeof received === 'object' &&
      received !== null &&
      received !== expected
    )
      own.append(found.list, {
        path: 'it',
        received: this.previewer.take(received),
        expected: this.previewer.take(expected),
        note: 'alike, but not the same object',
      });
    return found;
  }

  /** What an assertion compared, of whatever library it comes. */
  private assertion(thrown: object, error: RawError): void {
    const matched: unknown = own.getDescriptor(thrown, 'matcherResult')?.value;
    if (typeof matched === 'object' && matched !== null && !this.introspection.isProxy(matched)) {
      const name: unknown = own.getDescriptor(matched, 'name')?.value;
      if (MATCHING[name as string] && own.getDescriptor(matched, 'pass')?.value === false)
        this.compared(matched, error);
      return;
    }
    this.compared(thrown, error);
  }

  private compared(thrown: object, error: RawError): void {
    const expected = own.getDescriptor(thrown, 'expected');
    const received = own.getDescriptor(thrown, 'actual') ?? own.getDescriptor(thrown, 'received');
    if (!expected || !received || !('value' in expected) || !('value' in received)) return;
    const operator: unknown = own.getDescriptor(thrown, 'operator')?.value;
    if (typeof operator === 'string') error.operator = operator;
    if (
      typeof operator === 'string' &&
      (NEGATED[operator] || (operator === '==' && received.value === undefined && expected.value === undefined))
    )
      return;
    error.expected = this.previewer.take(expected.value, DEEP);
    error.received = this.previewer.take(received.value, DEEP);
    if (operator === undefined || COMPARING[operator as string] !== undefined)
      error.differences = this.differences(received.value, expected.value, COMPARING[operator as string] === 'loose');
  }
}

/** Operators whose two sides should have been alike. */
const COMPARING: Record<string, 'strict' | 'loose' | undefined> = own.plain({
  strictEqual: 'strict',
  deepStrictEqual: 'strict',
  partialDeepStrictEqual: 'strict',
  equal: 'loose',
  '==': 'loose',
  deepEqual: 'loose',
});

/** Matchers that compare the whole of both sides. */
const MATCHING: Record<string, boolean | undefined> = own.plain({ toBe: true, toEqual: true, toStrictEqual: true });

/** Operators whose message says it all: the two sides were not to be alike. */
const NEGATED: Record<string, boolean | undefined> = own.plain({
  throws: true,
  rejects: true,
  fail: true,
  notEqual: true,
  '!=': true,
  notStrictEqual: true,
  notDeepEqual: true,
  notDeepStrictEqual: true,
});

function hasGetter(object: object, key: string): boolean {
  return own.getDescriptor(object, key)?.get !== undefined;
}

/** An error that came from another thread: an object with its parts, and no error to the engine. */
function isCopiedError(value: object): boolean {
  return (
    value instanceof own.ErrorCopy &&
    typeof own.getDescriptor(value, 'stack')?.value === 'string' &&
    typeof own.getDescriptor(value, 'message')?.value === 'string'
  );
}
