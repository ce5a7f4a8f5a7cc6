/** What is asked of values that a target still holds, and how it answers. Plain data that structured cloning carries. */
import type { Value } from './wire.js';

/** Members come in pages of at most this many. */
export const PAGE = 100;

export type LookRequest =
  /** Opens what was reported at a moment: a sample, an error, or argument `part` of a console line. */
  | { do: 'open'; moment: number; part: number }
  /** A page of what an opened object holds; `filter` keeps members whose key or value contains it. */
  | { do: 'members'; node: number; from: number; count: number; filter: string }
  /** Runs a getter: code of the person, so only on request. */
  | { do: 'get'; node: number; getter: string }
  /** The value as JSON text; getters and `toJSON` are not run. */
  | { do: 'json'; node: number }
  /** Much of a value at once, for a view. */
  | { do: 'wide'; node: number; budget: { depth: number; entries: number; text: number; values: number } }
  /** The bytes of a typed array, a buffer, or an object with `width`, `height` and `data`. */
  | { do: 'bytes'; node: number; limit: number };

/**
 * Names that begin with `prefix`, own and inherited, of what is reached from a variable along data properties
 * alone. `code` is compiled for the module and gives the variable; without it, the global object is meant.
 */
export interface NamesRequest {
  do: 'names';
  file: string;
  code?: string;
  path: string[];
  prefix: string;
}

export interface NameFound {
  name: string;
  kind: 'function' | 'class' | 'value' | 'accessor';
  /** Its value in short; empty for an accessor, which is not run. */
  text: string;
  /** What it is inherited from, by name. */
  from?: string;
}

export interface Member {
  kind: 'item' | 'property' | 'entry' | 'accessor' | 'private' | 'internal' | 'prototype';
  /** As it is shown. */
  key: string;
  /** How code reaches it from the value that holds it: `.tonnes`, `[2]`, `.get('slate')`. Absent when it cannot. */
  step?: string;
  /** Not enumerable. */
  hidden?: true;
  value: Value;
  /** To open it; 0 when there is nothing inside. */
  node: number;
  /** For the key of a map that is an object. */
  keyNode?: number;
  /** To run an accessor with `get`. */
  getter?: string;
}

export interface Opened {
  node: number;
  /** As it is now. */
  value: Value;
  /** What it is, in words: constructor, size, state. */
  facts: { name: string; text: string }[];
  /** Members in all, and the first page of them. */
  total: number;
  first: Member[];
  /** The whole text of a string, or the source of a function. */
  text?: string;
  /** Where a function is written. */
  place?: { file: string; line: number; character: number };
}

export type LookAnswer =
  | { is: 'opened'; opened: Opened }
  | {
      is: 'members';
      members: Member[];
      total: number;
      from: number;
      /** Members that were looked through, when a filter could not see all. */ seen?: number;
    }
  | { is: 'got'; value: Value; node: number; failed?: true }
  | { is: 'json'; text: string; cut: boolean }
  | { is: 'wide'; value: Value }
  | { is: 'names'; names: NameFound[] }
  | { is: 'bytes'; bytes: Uint8Array; size: number; width?: number; height?: number }
  /** The object is not alive any more: what was captured at its moment is all there is. */
  | { is: 'gone'; why: string };
