/** Work that came into a program from outside, call by call: what a target tells of it, and what is asked. */
import { z } from 'zod';

/**
 * `event`: a listener was called. `after`: what a request has begun goes on when it was answered. `other`: somebody
 * outside of the person's code has called, and cannot be named.
 */
const kind = z.enum(['request', 'timer', 'event', 'message', 'start', 'after', 'other']);
export type EntryKind = z.infer<typeof kind>;

const pairs = z.array(z.tuple([z.string(), z.string()]));
export type HeaderPairs = z.infer<typeof pairs>;

/** A body: as text where it is text, else in base64. */
const body = z.object({
  text: z.string(),
  base64: z.literal(true).optional(),
  /** Bytes in all. */
  size: z.number(),
  /** There was more than what is here. */
  isCut: z.literal(true).optional(),
});
export type EntryBody = z.infer<typeof body>;

/** A function that took part, in the order of first calls. */
const part = z.object({
  /** Its number; see `TakingPart`. */
  of: z.int(),
  /** The function that called it first; -1 where none of those that are known did. */
  by: z.int(),
  calls: z.int().min(1),
  /** Milliseconds of all its calls until they returned: of an async function, until it first waited. */
  ms: z.number(),
  /** Calls that threw. */
  threw: z.int().optional(),
  /** The times of the first calls stand for all. */
  isAbout: z.literal(true).optional(),
});
export type RawPart = z.infer<typeof part>;

/** Something that the call sent or read. */
const exchange = z.object({
  is: z.enum(['request', 'query', 'file']),
  /** `GET http://…`, the query, the path. */
  text: z.string(),
  /** Functions that had taken part before, and the one that was active; -1 for none. */
  after: z.int().min(0),
  by: z.int(),
  state: z.enum(['open', 'done', 'failed']),
  status: z.number().optional(),
  ms: z.number().optional(),
  /** What came back, as text. */
  answer: z.string().optional(),
  isCut: z.literal(true).optional(),
});
export type RawExchange = z.infer<typeof exchange>;

export const rawEntry = z.object({
  /** Entries of a target are counted. */
  id: z.int().min(1),
  kind,
  /** Of a request. */
  method: z.string().max(100).optional(),
  url: z.string().max(16_384).optional(),
  /** Of others: the event, or what the target knows besides. */
  name: z.string().max(1_000).optional(),
  /** The function that was called. */
  of: z.int().optional(),
  /** Milliseconds since 1970. */
  began: z.number(),
  /** Milliseconds until its end; absent where it has not ended. */
  ms: z.number().optional(),
  status: z.number().optional(),
  failed: z.boolean(),
  parts: z.array(part),
  /** Functions that are left out. */
  more: z.int().optional(),
  exchanges: z.array(exchange),
  given: z.object({ headers: pairs, body: body.optional() }).optional(),
  answer: z.object({ headers: pairs, body: body.optional() }).optional(),
  /** The port at which it came in, and how. */
  port: z.int().optional(),
  secure: z.literal(true).optional(),
  /** Number of the question that it answers, where we have asked. */
  asked: z.int().optional(),
});
export type RawEntry = z.infer<typeof rawEntry>;

/** Entries of one kind since the last report. */
export const entryCounts = z.object({
  kind,
  method: z.string().max(100).optional(),
  /** Without what stands behind `?`. */
  path: z.string().max(16_384).optional(),
  name: z.string().max(1_000).optional(),
  of: z.int().optional(),
  count: z.int().min(1),
  failed: z.int().min(0),
  /** Milliseconds of all of them. */
  ms: z.number(),
  status: z.number().optional(),
  /** The last of them, whole, where there was room. */
  last: rawEntry.optional(),
});
export type EntryCounts = z.infer<typeof entryCounts>;

/** A function whose calls are known: its number among all of the program. */
export interface TakingPart {
  of: number;
}

/** What is asked of a target. */
export type EntriesRequest =
  /** `panels`: files of the project that tell of libraries. */
  | { do: 'watch'; on: boolean; panels?: readonly string[] }
  /** The next request from that port of this machine is the answer to a question. */
  | { do: 'expect'; port: number; ask: number }
  /** The next request of that method and shape, whoever sends it. A segment that is `null` may be anything. */
  | { do: 'want'; method: string; segments: (string | null)[]; ask: number }
  /** Calls that are no requests, of that kind and name, or of versions of a function: again and again, until it is forgotten. */
  | { do: 'want-calls'; kind: EntryKind; name?: string; of?: readonly number[]; ask: number }
  | { do: 'forget'; ask: number }
  | { do: 'ports' };

export const entriesAnswer = z.object({
  /** Where servers of HTTP listen. */
  ports: z.array(z.object({ port: z.int().min(1).max(65_535), secure: z.boolean() })).optional(),
});
export type EntriesAnswer = z.infer<typeof entriesAnswer>;
