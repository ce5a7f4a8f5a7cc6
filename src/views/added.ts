/** Views that a project adds: pure functions from a value to one of the kinds of views that there are, as data. */
import { z } from 'zod';
import type { Value } from '../wire/value.js';
import { type View, viewsOf } from './view.js';

/** A way to show a value; as `views` of a project's configuration name it. */
export interface ViewMaker {
  name: string;
  of(data: unknown, facts: { type: string; class?: string }): unknown;
}

const number = z.number().finite();
const text = z.string().max(100_000);
const MOST = 20_000;

const shape = z.discriminatedUnion('shape', [
  z.object({ shape: z.literal('point'), x: number, y: number, label: text }),
  z.object({
    ...{ shape: z.literal('rectangle'), x: number, y: number, label: text },
    width: number.nonnegative(),
    height: number.nonnegative(),
  }),
  z.object({
    shape: z.literal('path'),
    points: z.array(z.tuple([number, number])).max(MOST),
    closed: z.boolean(),
    label: text,
  }),
]);

/** Markup is none of them: what a project adds becomes no part of a page. */
const given = z.discriminatedUnion('view', [
  z.object({ view: z.literal('text'), text }),
  z.object({ view: z.literal('swatch'), colours: z.array(text).max(1_000) }),
  z.object({
    view: z.literal('table'),
    columns: z.array(text).max(200),
    rows: z.array(z.object({ key: text, cells: z.array(z.object({ text, number: number.optional() })) })).max(MOST),
    more: z.int().min(0).default(0),
  }),
  z.object({
    view: z.literal('plot'),
    x: z.array(number).max(1_000_000).optional(),
    lines: z.array(z.object({ name: text, y: z.array(number.nullable()).max(1_000_000) })).max(50),
    more: z.int().min(0).default(0),
  }),
  z.object({
    view: z.literal('drawing'),
    shapes: z.array(shape).max(MOST),
    box: z.tuple([number, number, number.positive(), number.positive()]),
  }),
]);

const added = new Map<string, ViewMaker>();

/** From now on these are asked as well; one of a name that is known replaces that. */
export function addViews(makers: readonly ViewMaker[]): void {
  for (const maker of makers) added.set(maker.name, maker);
}

/** All views that fit a value: those that the project adds before those that everybody has. */
export function allViewsOf(value: Value): View[] {
  if (added.size === 0) return viewsOf(value);
  const data = dataOf(value);
  const facts = { type: value.form ?? value.type, ...(value.class === undefined ? {} : { class: value.class }) };
  const own = [...added.values()].flatMap((maker): View[] => {
    try {
      const made = maker.of(data, facts);
      if (made === undefined || made === null) return [];
      return [given.parse(made) as View];
    } catch (error) {
      const [issue] = error instanceof z.ZodError ? error.issues : [];
      const why = issue ? `${issue.path.map(String).join('.')} ${issue.message}` : (error as Error)?.message;
      return [{ view: 'text', text: `The view of ${maker.name} failed: ${why ?? 'unknown reason'}` }];
    }
  });
  return [...own, ...viewsOf(value)];
}

/** A value as it was captured, as plain data. */
function dataOf(value: Value): unknown {
  const { type, form, text: written, entries } = value;
  if (type === 'undefined') return undefined;
  if (type === 'null') return null;
  if (type === 'boolean') return written === 'true';
  if (type === 'number') return Number(written);
  if (type === 'bigint') return BigInt(String(written).replace(/n$/, ''));
  if (type !== 'object' || (entries === undefined && written !== undefined)) return written;
  const members = entries ?? [];
  if (form === 'array' || form === 'typed' || form === 'set') return members.map((one) => dataOf(one.value));
  return Object.fromEntries(members.map((one, index) => [one.key ?? String(index), dataOf(one.value)]));
}
