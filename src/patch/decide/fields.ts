/** What became of the fields of a class that lives. */
import type { Node } from '../../syntax/node.js';
import { memberName, type Outline } from '../../syntax/outline.js';
import { directUses, type Change } from '../change.js';
import type { FieldsWork } from '../decisions.js';
import { textOf } from '../shapes.js';
import { isPure } from '../state.js';
import { REASONS } from '../wording.js';
import { symbolOf, type GoingClass } from './going-class.js';
import type { Deciding } from './deciding.js';

interface Field {
  node: Node;
  /** Of its initialiser. */
  shape: string;
  /** It has a computed name, a decorator or `accessor`. */
  settled: boolean;
}

/** Names of fields, by what became of them. */
interface FieldChanges {
  now: Map<string, Field>;
  fresh: string[];
  changed: string[];
  removed: string[];
}

export function decideFields(deciding: Deciding, going: GoingClass, isStatic: boolean): void {
  const changes = compareFields(deciding, going, isStatic);
  if (changes.fresh.length + changes.changed.length + changes.removed.length === 0) return;
  if (isStatic) decideStaticFields(deciding, going, changes);
  else decideInstanceFields(deciding, going, changes);
}

function compareFields(
  { change, decisions }: Deciding,
  { node, old, name }: GoingClass,
  isStatic: boolean,
): FieldChanges {
  const before = fieldsOf(change, old.outline, old.outline.classes[old.index]!.node, isStatic);
  const now = fieldsOf(change, change.after, node, isStatic);
  const fresh: string[] = [];
  const changed: string[] = [];
  for (const [key, field] of now) {
    const previous = before.get(key);
    const value = field.node.value as Node | null;
    const follows =
      value && previous && !previous.settled && directUses(change, value).some((one) => decisions.changed.has(one));
    const same = previous && previous.shape === field.shape && previous.settled === field.settled;
    if (same && !(follows && isStatic && isPure(value))) continue;
    if (field.settled || previous?.settled) {
      decisions.say('cannot', `${name}.${key}`, field.node.start, REASONS.fieldSettled);
      continue;
    }
    (previous ? changed : fresh).push(key);
  }
  return { now, fresh, changed, removed: [...before.keys()].filter((key) => !now.has(key)) };
}

function fieldsOf(change: Change, outline: Outline, node: Node, isStatic: boolean): Map<string, Field> {
  const found = new Map<string, Field>();
  for (const member of node.body.body as Node[]) {
    if (
      !/^Class(Private|Accessor)?Property$/.test(member.type) ||
      (member.static === true) !== isStatic ||
      member.declare ||
      member.abstract
    )
      continue;
    const settled =
      member.computed === true || member.type === 'ClassAccessorProperty' || (member.decorators?.length ?? 0) > 0;
    const key = settled ? textOf(outline, member.key as Node) : memberName(member);
    found.set(key, {
      node: member,
      shape: member.value ? change.shapes.of(outline, member.value as Node) : '',
      settled,
    });
  }
  return found;
}

function decideStaticFields(
  deciding: Deciding,
  going: GoingClass,
  { now, fresh, changed, removed }: FieldChanges,
): void {
  const { change, decisions } = deciding;
  const { name, node } = going;
  const state = change.states.get(name)?.members ?? new Set<string>();
  const own = change.states.get('this')?.members ?? new Set<string>();
  const text = textOf(change.after, node);
  const holdsState = (key: string): boolean => state.has(key) || state.has('*') || own.has(key) || isWritten(text, key);
  const kept = changed.filter(holdsState);
  const taken = changed.filter((key) => !kept.includes(key));
  for (const key of kept) decisions.say('kept', `${name}.${key}`, now.get(key)!.node.start, REASONS.holdsState);
  for (const key of taken) decisions.say('assigned', `${name}.${key}`, now.get(key)!.node.start);
  for (const key of fresh) decisions.say('added', `${name}.${key}`, now.get(key)!.node.start);
  for (const key of removed) decisions.say('removed', `${name}.${key}`, node.start, REASONS.memberStays);
  const set = [...now.keys()].filter((key) => taken.includes(key) || fresh.includes(key));
  if (set.length > 0) decisions.do(fieldsWork(deciding, going, true, now, set, fresh, []));
}

function decideInstanceFields(
  deciding: Deciding,
  going: GoingClass,
  { now, fresh, changed, removed }: FieldChanges,
): void {
  const { decisions } = deciding;
  const { name, node } = going;
  for (const key of fresh) decisions.say('added', `${name}.${key}`, now.get(key)!.node.start, REASONS.fieldAdded);
  for (const key of changed)
    decisions.say('assigned', `${name}.${key}`, now.get(key)!.node.start, REASONS.fieldChanged);
  for (const key of removed) decisions.say('removed', `${name}.${key}`, node.start, REASONS.fieldRemoved);
  decisions.do(fieldsWork(deciding, going, false, now, [...now.keys()], fresh, removed));
}

function fieldsWork(
  { names, decisions }: Deciding,
  { node, name, owner }: GoingClass,
  isStatic: boolean,
  now: Map<string, Field>,
  keys: string[],
  fresh: string[],
  removed: string[],
): FieldsWork {
  const set: FieldsWork['set'] = [];
  for (const key of keys) {
    const field = now.get(key)!;
    if (field.settled) continue;
    set.push({ key, node: field.node, fresh: fresh.includes(key), symbol: symbolOf(names, key, node) });
    decisions.makeAnew(field.node);
  }
  return {
    kind: 'fields',
    at: node.start,
    name,
    owner,
    isStatic,
    classNode: node,
    removed: removed.filter((key) => !key.startsWith('#')),
    set,
  };
}

/** True for a field that its class writes as `this.key` somewhere. */
function isWritten(classText: string, key: string): boolean {
  const escaped = key.replace(/[$]/g, '\\$');
  return new RegExp(`this\\.${escaped}\\s*(?:=(?!=)|\\+\\+|--|[-+*/%&|^]=)|(?:\\+\\+|--)\\s*this\\.${escaped}`).test(
    classText,
  );
}
