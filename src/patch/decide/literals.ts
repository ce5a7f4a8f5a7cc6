/** Object literals: what differs is set in the object that lives, property by property. */
import { bare, type Node } from '../../syntax/node.js';
import { memberName, type Outline } from '../../syntax/outline.js';
import { REASONS } from '../wording.js';
import type { Deciding } from './deciding.js';

/** What two literals differ in. */
interface Difference {
  places: { path: string[]; remove: string[]; set: Node[] }[];
  /** Paths of properties that hold state. */
  kept: string[];
}

/** Decides for two object literals. Returns false where the change cannot be told property by property. */
export function decideLiteral(
  { change, decisions }: Deciding,
  name: string,
  init: Node,
  old: Node,
  outline: Outline,
): boolean {
  if (init.type !== 'ObjectExpression' || old.type !== 'ObjectExpression') return false;
  const state = change.states.get(name);
  if (state?.assigned) return false;
  const members = state?.members ?? new Set<string>();
  const difference: Difference = { places: [], kept: [] };
  const same = (now: Node, before: Node): boolean =>
    change.shapes.of(change.after, now) === change.shapes.of(outline, before);
  if (!differenceOf(init, old, [], same, members, difference)) return false;
  const { places, kept } = difference;
  for (const { set } of places) for (const property of set) decisions.makeAnew(property);
  if (places.length > 0) {
    decisions.changed.add(name);
    const inside = places.filter(({ path }) => path.length > 0).map(({ path }) => `${name}.${path.join('.')}`);
    decisions.say('assigned', inside.length > 0 ? inside.join(', ') : name, init.start);
    decisions.do({ kind: 'properties', at: init.start, name, places });
  }
  for (const path of kept) decisions.say('kept', `${name}.${path}`, init.start, REASONS.holdsStateReset);
  if (kept.length > 0) decisions.do({ kind: 'reset', at: init.start, name, node: init, giveSlots: false });
  return true;
}

/** Compares two literals and those in them. Returns false for spreads and computed names. */
function differenceOf(
  now: Node,
  before: Node,
  path: string[],
  same: (now: Node, before: Node) => boolean,
  members: ReadonlySet<string>,
  difference: Difference,
): boolean {
  const next = propertiesOf(now);
  const last = propertiesOf(before);
  if (!next || !last) return false;
  const set: Node[] = [];
  for (const [key, property] of next) {
    const previous = last.get(key);
    last.delete(key);
    if (previous && same(property, previous)) continue;
    const inner = property.type === 'ObjectProperty' ? bare(property.value as Node) : undefined;
    const innerOld = previous?.type === 'ObjectProperty' ? bare(previous.value as Node) : undefined;
    if (inner?.type === 'ObjectExpression' && innerOld?.type === 'ObjectExpression') {
      if (!differenceOf(inner, innerOld, [...path, key], same, members, difference)) return false;
      continue;
    }
    const first = path[0] ?? key;
    if (previous && (members.has(first) || members.has('*'))) difference.kept.push([...path, key].join('.'));
    else set.push(property);
  }
  const remove = [...last.keys()].map((key) => key.replace(/^[gs]et /, ''));
  if (set.length > 0 || remove.length > 0) difference.places.push({ path, remove, set });
  return true;
}

/** Properties by name, getters and setters apart; undefined where a name is known only when it runs. */
function propertiesOf(literal: Node): Map<string, Node> | undefined {
  const found = new Map<string, Node>();
  for (const property of literal.properties as Node[]) {
    if (property.type === 'SpreadElement' || property.computed) return undefined;
    const kind = property.type === 'ObjectMethod' && property.kind !== 'method' ? `${property.kind as string} ` : '';
    found.set(kind + memberName(property), property);
  }
  return found;
}
