/** Values as a target reports them. */

/** A value as it was at its moment: a shallow preview within a budget. */
export interface Value {
  type: 'undefined' | 'null' | 'boolean' | 'number' | 'bigint' | 'string' | 'symbol' | 'function' | 'object';
  /** Literal text of a primitive, the name of a function, the text of a date, regular expression or error. */
  text?: string;
  /** What kind of object, where it is more than a plain one. */
  form?:
    | 'array'
    | 'map'
    | 'set'
    | 'typed'
    | 'buffer'
    | 'date'
    | 'regexp'
    | 'error'
    | 'promise'
    | 'proxy'
    | 'weak'
    | 'iterator'
    | 'boxed'
    | 'class'
    | 'getter'
    /** Of a document; `text` is its markup. */
    | 'element'
    | 'module';
  /** Name of the constructor; absent for plain objects and primitives. */
  class?: string;
  /** Number of entries, elements, or characters. */
  size?: number;
  entries?: Entry[];
  /** Entries that the preview leaves out. */
  more?: number;
  /** State of a promise. */
  state?: 'pending' | 'fulfilled' | 'rejected';
  /** The object was read later than the sample's visit: its content may be newer. */
  late?: true;
  /** At depth `steps`: the object's number; the same object has the same one wherever it is reported. */
  identity?: number;
  /** A mark's expression threw this. */
  failed?: true;
}

export interface Entry {
  /** Property name, map key as text, or absent for array elements and set members. */
  key?: string;
  value: Value;
}

const TYPES: ReadonlySet<unknown> = new Set<Value['type']>([
  'undefined',
  'null',
  'boolean',
  'number',
  'bigint',
  'string',
  'symbol',
  'function',
  'object',
]);

const isText = (one: unknown): boolean => one === undefined || typeof one === 'string';
const isCount = (one: unknown): boolean => one === undefined || typeof one === 'number';

/** Depth of values in values that is believed. */
const DEEPEST = 50;

/**
 * True for a value of the shape above. Written by hand: a run reports hundreds
 * of thousands of them, and each is looked at.
 */
export function isValue(given: unknown, depth = 0): given is Value {
  if (typeof given !== 'object' || given === null || depth > DEEPEST) return false;
  const value = given as Value;
  return (
    TYPES.has(value.type) &&
    isText(value.text) &&
    isText(value.form) &&
    isText(value.class) &&
    isCount(value.size) &&
    isCount(value.more) &&
    isCount(value.identity) &&
    (value.entries === undefined || (Array.isArray(value.entries) && value.entries.every((one) => isEntry(one, depth))))
  );
}

function isEntry(given: unknown, depth: number): given is Entry {
  if (typeof given !== 'object' || given === null) return false;
  const { key, value } = given as Entry;
  return isText(key) && isValue(value, depth + 1);
}
