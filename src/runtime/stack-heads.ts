/** The first line of a stack: name and message of its error. */
import { plainMessage } from './messages.js';
import * as own from './originals.js';

/** What `Error.prototype.toString` gives, without running code of the person where a getter stands. */
export function headOf(error: object): string {
  const name = dataProperty(error, 'name') ?? 'Error';
  const message = plainMessage(dataProperty(error, 'message') ?? '');
  return message === '' ? name : name === '' ? message : `${name}: ${message}`;
}

/** As the engine begins a stack that the program reads: by what its getters give. */
export function engineHead(error: object): string {
  if (!hasGetter(error, 'message') && !hasGetter(error, 'name')) return headOf(error);
  try {
    const { name, message } = error as { name?: unknown; message?: unknown };
    const first = name === undefined ? 'Error' : own.StringCopy(name);
    const second = message === undefined ? '' : own.StringCopy(message);
    return second === '' ? first : first === '' ? second : `${first}: ${second}`;
  } catch {
    return '<error>';
  }
}

/**
 * The engine keeps the text of a stack from when it is first read. Where we read it, and its head is what getters give,
 * those run when the program reads it.
 */
export function leaveHeadOpen(error: object, text: string): void {
  if (!hasGetter(error, 'message') && !hasGetter(error, 'name')) return;
  const descriptor = own.getDescriptor(error, 'stack');
  if (descriptor?.configurable !== true || descriptor.value !== text) return;
  const rest = own.slice(text, headOf(error).length);
  const set = (value: unknown): void => {
    own.defineProperty(error, 'stack', { value, writable: true, enumerable: false, configurable: true });
  };
  const get = (): string => {
    const whole = engineHead(error) + rest;
    set(whole);
    return whole;
  };
  own.defineProperty(error, 'stack', { get, set, enumerable: false, configurable: true });
}

function hasGetter(object: object, key: string): boolean {
  let at: object | null = object;
  for (let i = 0; at !== null && i < 20; i++) {
    const descriptor = own.getDescriptor(at, key);
    if (descriptor) return descriptor.get !== undefined;
    at = own.getPrototype(at) as object | null;
  }
  return false;
}

/** A string property found on the object or its prototypes, read only where it is plain data. */
export function dataProperty(object: object, key: string): string | undefined {
  let at: object | null = object;
  for (let i = 0; at !== null && i < 20; i++) {
    const descriptor = own.getDescriptor(at, key);
    if (descriptor) return typeof descriptor.value === 'string' ? descriptor.value : undefined;
    at = own.getPrototype(at) as object | null;
  }
  return undefined;
}
