/** Keys, steps and sizes of what is opened, as text. */
import type { Opened } from '../wire/looking.js';
import * as own from './originals.js';
import type { Introspection } from './preview.js';

/** Items by number, or -1 for what is no list. */
export function itemCount(value: object): number {
  if (own.isArray(value)) return value.length;
  return own.typedTag(value) !== undefined ? own.typedLength(value) : -1;
}

export function isIndex(key: string, length: number): boolean {
  const number = own.NumberCopy(key);
  return number >= 0 && number < length && own.floor(number) === number && own.StringCopy(number) === key;
}

/** Prototypes of the language itself: their accessors say nothing of the person's object. */
export function isNative(prototype: object): boolean {
  const constructed = own.getDescriptor(prototype, 'constructor')?.value as unknown;
  return (
    typeof constructed === 'function' && own.indexOf(own.functionText(constructed as () => void), '[native code]') >= 0
  );
}

export function keyText(name: string | symbol): string {
  return typeof name === 'symbol' ? `[${own.symbolText(name)}]` : name;
}

const IDENTIFIER = /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u;

export function stepOf(name: string | symbol): string | undefined {
  if (typeof name === 'symbol') return undefined;
  return own.test(IDENTIFIER, name) ? `.${name}` : `[${own.jsonText(name)}]`;
}

export function stepPart(name: string | symbol): { step?: string } {
  const step = stepOf(name);
  return step === undefined ? {} : { step };
}

/** A function's head: its text up to the body. */
export function signatureOf(text: string): string {
  let depth = 0;
  for (let i = 0; i < text.length && i < 2_000; i++) {
    const character = text[i]!;
    if (character === '(' || character === '[') depth++;
    else if (character === ')' || character === ']') depth--;
    else if (character === '{') {
      if (depth === 0) return own.trim(own.slice(text, 0, i));
      depth++;
    } else if (character === '}') depth--;
    else if (character === '=' && text[i + 1] === '>' && depth === 0) return own.slice(text, 0, i + 2);
  }
  return text.length > 200 ? `${own.slice(text, 0, 199)}…` : text;
}

/** The object whose members a value has; what is written behind a primitive value is found on its prototype. */
export function objectOf(value: unknown): object | null {
  if (value === undefined || value === null) return null;
  return (typeof value === 'object' ? value : typeof value === 'function' ? value : own.getPrototype(value)) as
    object | null;
}

export function describe(value: unknown, key: string, introspection: Introspection): PropertyDescriptor | undefined {
  for (let at = objectOf(value); at; at = own.getPrototype(at)) {
    if (introspection.isProxy(at)) return undefined;
    const descriptor = own.getDescriptor(at, key);
    if (descriptor) return descriptor;
  }
  return undefined;
}

export function fact(opened: Opened, name: string, text: string): void {
  own.append(opened.facts, { name, text });
}

export function count(value: number): string {
  return own.numberLocale(value);
}

export function lower(text: string): string {
  return own.lower(text);
}
