/** What is asked of values that a target still holds, and how it answers. */
import { z } from 'zod';
import { bytes } from './arrays.js';
import { isValue, type Value } from './value.js';

const value = z.custom<Value>((one) => isValue(one), 'no value');
const node = z.int().min(0);

export const lookRequest = z.discriminatedUnion('do', [
  /** Opens what was reported at a moment: a sample, an error, or argument `part` of a console line. */
  z.object({ do: z.literal('open'), moment: z.number().min(0), part: z.int().min(0) }),
  /** A page of what an opened object holds; `filter` keeps members whose key or value contains it. */
  z.object({
    do: z.literal('members'),
    node,
    from: z.int().min(0),
    count: z.int().min(1).max(1_000),
    filter: z.string().max(200),
  }),
  /** Runs a getter: code of the person, so only on request. */
  z.object({ do: z.literal('get'), node, getter: z.string().max(40) }),
  /** The value as JSON text; getters and `toJSON` are not run. */
  z.object({ do: z.literal('json'), node }),
  /** Much of a value at once, for a view. */
  z.object({
    do: z.literal('wide'),
    node,
    budget: z.object({
      depth: z.int().max(5),
      entries: z.int().max(5_000),
      text: z.int().max(1_000_000),
      values: z.int().max(50_000),
    }),
  }),
  /** The bytes of a typed array, a buffer, or an object with `width`, `height` and `data`. */
  z.object({ do: z.literal('bytes'), node, limit: z.int().max(16_000_000) }),
]);
export type LookRequest = z.infer<typeof lookRequest>;

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

const nameFound = z.object({
  name: z.string(),
  kind: z.enum(['function', 'class', 'value', 'accessor']),
  /** Its value in short; empty for an accessor, which is not run. */
  text: z.string(),
  /** What it is inherited from, by name. */
  from: z.string().optional(),
});
export type NameFound = z.infer<typeof nameFound>;

const member = z.object({
  kind: z.enum(['item', 'property', 'entry', 'accessor', 'private', 'internal', 'prototype']),
  /** As it is shown. */
  key: z.string(),
  /** How code reaches it from the value that holds it: `.tonnes`, `[2]`, `.get('slate')`. Absent when it cannot. */
  step: z.string().optional(),
  /** Not enumerable. */
  hidden: z.literal(true).optional(),
  value,
  /** To open it; 0 when there is nothing inside. */
  node: z.number(),
  /** For the key of a map that is an object. */
  keyNode: z.number().optional(),
  /** To run an accessor with `get`. */
  getter: z.string().optional(),
});
export type Member = z.infer<typeof member>;

const opened = z.object({
  node: z.number(),
  /** As it is now. */
  value,
  /** What it is, in words: constructor, size, state. */
  facts: z.array(z.object({ name: z.string(), text: z.string() })),
  /** Members in all, and the first page of them. */
  total: z.number(),
  first: z.array(member),
  /** The whole text of a string, or the source of a function. */
  text: z.string().optional(),
  /** Where a function is written. */
  place: z.object({ file: z.string(), line: z.number(), character: z.number() }).optional(),
});
export type Opened = z.infer<typeof opened>;

export const lookAnswer = z.discriminatedUnion('is', [
  z.object({ is: z.literal('opened'), opened }),
  z.object({
    is: z.literal('members'),
    members: z.array(member),
    total: z.number(),
    from: z.number(),
    /** Members that were looked through, when a filter could not see all. */
    seen: z.number().optional(),
  }),
  z.object({ is: z.literal('got'), value, node: z.number(), failed: z.literal(true).optional() }),
  z.object({ is: z.literal('json'), text: z.string(), cut: z.boolean() }),
  z.object({ is: z.literal('wide'), value }),
  z.object({ is: z.literal('names'), names: z.array(nameFound) }),
  z.object({
    is: z.literal('bytes'),
    bytes: bytes,
    size: z.number(),
    width: z.number().optional(),
    height: z.number().optional(),
  }),
  /** The object is not alive any more: what was captured at its moment is all there is. */
  z.object({ is: z.literal('gone'), why: z.string() }),
]);
export type LookAnswer = z.infer<typeof lookAnswer>;
