/** Two answers of one request: what has changed from one to the other. */
import { diffLines } from 'diff';
import type { EntryBody, HeaderPairs } from '../../wire/entries.js';

export interface Answer {
  status: number | undefined;
  headers: HeaderPairs;
  body?: EntryBody;
  /** Milliseconds until all of it was there. */
  ms: number;
  /** Why there is none. */
  failed?: string;
}

/** A place of a JSON text that is another one. */
export interface ChangedPlace {
  /** `queue[2].toll`. */
  path: string;
  /** As JSON; absent where there was nothing, or is nothing any more. */
  before?: string;
  now?: string;
}

export interface AnswerChange {
  status?: { before: number | undefined; now: number | undefined };
  headers: { name: string; before?: string; now?: string }[];
  /** Of JSON. */
  places: ChangedPlace[];
  /** Of other text: lines that are new, from 0, in the answer of now, and those that are gone, as they were. */
  lines: { added: number[]; removed: string[] };
  /** More than is told. */
  more: number;
}

/** Places and lines that are told. */
const MOST = 200;
/** Headers that differ each time. */
const MOVING = new Set(['date', 'etag', 'age', 'x-request-id', 'x-response-time', 'keep-alive', 'content-length']);

/** Undefined where nothing has changed. */
export function answerChange(before: Answer, now: Answer): AnswerChange | undefined {
  const change: AnswerChange = { headers: [], places: [], lines: { added: [], removed: [] }, more: 0 };
  if (before.status !== now.status) change.status = { before: before.status, now: now.status };
  headersChanged(before, now, change);
  bodyChanged(before, now, change);
  const { status, headers, places, lines, more } = change;
  const any = status ?? headers.length + places.length + lines.added.length + lines.removed.length + more > 0;
  return any ? change : undefined;
}

function headersChanged(before: Answer, now: Answer, change: AnswerChange): void {
  const old = new Map(before.headers.map(([name, value]) => [name.toLowerCase(), value]));
  const own = new Map(now.headers.map(([name, value]) => [name.toLowerCase(), value]));
  for (const name of new Set([...old.keys(), ...own.keys()])) {
    const [was, is] = [old.get(name), own.get(name)];
    if (was === is || MOVING.has(name)) continue;
    change.headers.push({
      name,
      ...(was === undefined ? {} : { before: was }),
      ...(is === undefined ? {} : { now: is }),
    });
  }
}

function bodyChanged(before: Answer, now: Answer, change: AnswerChange): void {
  const [was, is] = [before.body?.text ?? '', now.body?.text ?? ''];
  if (was === is) return;
  const [old, own] = [jsonOf(before), jsonOf(now)];
  if (old && own) {
    comparePlaces(old.value, own.value, '', change);
    return;
  }
  if (now.body?.base64 || before.body?.base64) {
    change.lines.removed.push('other bytes');
    return;
  }
  let line = 0;
  for (const part of diffLines(was, is)) {
    const { count } = part;
    if (part.removed)
      for (const text of part.value.replace(/\n$/, '').split('\n')) add(change, change.lines.removed, text);
    else {
      if (part.added) for (let i = 0; i < count; i++) add(change, change.lines.added, line + i);
      line += count;
    }
  }
}

function add<T>(change: AnswerChange, list: T[], one: T): void {
  if (list.length < MOST) list.push(one);
  else change.more++;
}

/** What a body is as JSON; undefined where it is none. */
export function jsonOf({ body, headers }: Pick<Answer, 'body' | 'headers'>): { value: unknown } | undefined {
  const type = headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1] ?? '';
  if (!body || body.base64 || body.isCut || (type !== '' && !/json/i.test(type))) return undefined;
  try {
    return { value: JSON.parse(body.text) };
  } catch {
    return undefined;
  }
}

function comparePlaces(before: unknown, now: unknown, path: string, change: AnswerChange): void {
  if (Object.is(before, now)) return;
  const isTree = (value: unknown): value is object => typeof value === 'object' && value !== null;
  if (!isTree(before) || !isTree(now) || Array.isArray(before) !== Array.isArray(now)) {
    add(change, change.places, { path, before: JSON.stringify(before), now: JSON.stringify(now) });
    return;
  }
  const [old, own] = [before as Record<string, unknown>, now as Record<string, unknown>];
  for (const key of new Set([...Object.keys(old), ...Object.keys(own)])) {
    const inner = Array.isArray(before)
      ? `${path}[${key}]`
      : /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(key)
        ? `${path}${path === '' ? '' : '.'}${key}`
        : `${path}[${JSON.stringify(key)}]`;
    if (!Object.hasOwn(old, key)) add(change, change.places, { path: inner, now: JSON.stringify(own[key]) });
    else if (!Object.hasOwn(own, key)) add(change, change.places, { path: inner, before: JSON.stringify(old[key]) });
    else comparePlaces(old[key], own[key], inner, change);
  }
}
