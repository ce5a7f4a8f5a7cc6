/** Samples of values, as columns. */
import { isArray } from './typed-arrays.js';
import { isValue, type Value } from './value.js';

/** How a sample's value is kept in its column. */
export const enum Tag {
  Number = 0,
  Rest = 1,
  Undefined = 2,
  Null = 3,
  True = 4,
  False = 5,
  /** At depth `steps`: the object of this number holds what was told of it last, and what was written since. */
  Same = 6,
}

export interface SampleColumns {
  site: Int32Array;
  visit: Float64Array;
  moment: Float64Array;
  tag: Uint8Array;
  /** Numbers by row; for `Tag.Rest` the index into `rest`. */
  number: Float64Array;
  rest: (Value | string)[];
  /** What was told of objects before these does not count any more. */
  forget?: true;
}

/** True for columns of one length whose rows can be read. */
export function isSampleColumns(given: unknown): given is SampleColumns {
  if (typeof given !== 'object' || given === null) return false;
  const { site, visit, moment, tag, number, rest } = given as SampleColumns;
  if (!isArray('Int32Array', site) || !isArray('Uint8Array', tag) || !Array.isArray(rest)) return false;
  const { length } = site;
  for (const column of [visit, moment, number])
    if (!isArray('Float64Array', column) || column.length !== length) return false;
  if (tag.length !== length || !rest.every((one) => typeof one === 'string' || isValue(one))) return false;
  for (let row = 0; row < length; row++)
    if (tag[row]! > 6 || (tag[row] === 1 && rest[number[row]!] === undefined)) return false;
  return true;
}
