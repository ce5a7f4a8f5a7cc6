/**
 * Depth `steps`: writes to properties are told with the object, so that it can be asked who set one. The object and a
 * computed key go through locals, for both are evaluated before the value.
 */
import type { Node } from '../syntax/node.js';
import { addSite } from './probes.js';
import type { Context, Walk } from './walk.js';

/** What was written to, as expressions that can be read once more behind the write. */
export interface Written {
  object: string;
  key: string;
  /** Assignments that let go of the object again. */
  after: string;
}

/** Methods of the platform's lists, maps and sets that change what they are called on. */
const CHANGING = new Set([
  ...['push', 'pop', 'shift', 'unshift', 'splice', 'sort', 'reverse', 'fill', 'copyWithin'],
  ...['set', 'add', 'delete', 'clear'],
]);
/** Functions of the platform that change what they are given first. */
const CHANGING_FIRST: ReadonlyMap<string, ReadonlySet<string>> = new Map([
  ['Object', new Set(['assign', 'defineProperty', 'defineProperties', 'setPrototypeOf'])],
  ['Reflect', new Set(['set', 'defineProperty', 'deleteProperty', 'setPrototypeOf'])],
]);

/**
 * Walks the target of a write that is a property.
 *
 * @returns undefined where writes are not told, or there is no place for a local
 */
export function visitWritten(walk: Walk, context: Context, node: Node): Written | undefined {
  const { facts, out, visit } = walk;
  const { object, property } = node;
  if (!facts.steps || context.locals === undefined) return undefined;
  const { names } = facts;
  const isThis = object.type === 'ThisExpression' || object.type === 'Super';
  const written: Written = { object: 'this', key: JSON.stringify(nameOf(property)), after: '' };
  if (!isThis) {
    written.object = local(context, names.object, node.start, node.end);
    written.after = `,${written.object}=0`;
    out.edits.insert(object.start, `(${written.object}=(`);
  }
  visit.expression(walk, context, object, false);
  if (!isThis) out.edits.insert(object.end, '))');
  if (node.computed) {
    written.key = local(context, names.key, node.start, node.end);
    out.edits.insert(property.start, `(${written.key}=(`);
    visit.expression(walk, context, property, false);
    out.edits.insert(property.end, '))');
  }
  return written;
}

/** Locals are named by their place: a write inside of another has its own. */
function local(context: Context, name: string, start: number, end: number): string {
  const text = `${name}${start}_${end}`;
  context.locals!.add(text);
  return text;
}

function nameOf(property: Node): string {
  if (property.type === 'PrivateName') return `#${property.id.name as string}`;
  return String(property.name ?? property.value ?? '');
}

/** The member expression that an assignment writes to; undefined for other targets. */
export function memberOf(target: Node): Node | undefined {
  switch (target.type) {
    case 'MemberExpression':
      return target;
    case 'TSAsExpression':
    case 'TSSatisfiesExpression':
    case 'TSNonNullExpression':
    case 'TSTypeAssertion':
    case 'ParenthesizedExpression':
      return memberOf(target.expression as Node);
    default:
      return undefined;
  }
}

/** Around an expression that writes a property whose new value is its own: what stands before it, and behind. */
export function propertyWrite(
  { facts: { names } }: Walk,
  id: number,
  { object, key, after }: Written,
): { opening: string; closing: string } {
  return { opening: `${names.wrote}(${id},(`, closing: `),${object},${key}${after})` };
}

/** Around an expression that changes objects in other ways: they are read behind it. */
export function contentsWrite(
  walk: Walk,
  context: Context,
  node: Node,
  objects: readonly Pick<Written, 'object' | 'after'>[],
): { opening: string; closing: string } {
  const { names } = walk.facts;
  let opening = '';
  let closing = '';
  for (const { object, after } of objects) {
    const id = addSite(walk, context, 'step', node.start, node.end);
    opening += `${names.changed}(${id},(`;
    closing += `),${object}${after})`;
  }
  return { opening, closing };
}

/**
 * Walks a call of a method that changes what it is called on.
 *
 * @param rest walks the arguments
 * @returns false for other calls: nothing was walked
 */
export function visitChangingCall(walk: Walk, context: Context, node: Node, rest: () => void): boolean {
  const { facts, out, visit } = walk;
  if (!facts.steps || node.type !== 'CallExpression') return false;
  const changed = changedBy(walk, context, node);
  if (changed === undefined) return false;
  const { opening, closing } = contentsWrite(walk, context, node, [changed]);
  out.edits.insert(node.start, opening);
  const { callee } = node;
  if (changed.inner !== undefined) {
    out.edits.insert(changed.inner.start, `(${changed.object}=(`);
    visit.expression(walk, context, changed.inner, false);
    out.edits.insert(changed.inner.end, '))');
  } else visit.expression(walk, context, callee, false);
  rest();
  out.edits.insert(node.end, closing);
  return true;
}

/** What a call changes: a name that stands for it, or the expression that is to go through a local. */
function changedBy(
  walk: Walk,
  context: Context,
  { callee, arguments: given }: Node,
): (Pick<Written, 'object' | 'after'> & { inner?: Node }) | undefined {
  if (callee.type !== 'MemberExpression' || callee.computed || callee.property.type !== 'Identifier') return undefined;
  const { object, property } = callee;
  const method = property.name as string;
  const first = (given as Node[])[0];
  if (object.type === 'Identifier' && CHANGING_FIRST.get(object.name as string)?.has(method))
    return first?.type === 'Identifier' ? { object: readOf(walk, first), after: '' } : undefined;
  if (!CHANGING.has(method)) return undefined;
  if (object.type === 'ThisExpression') return { object: 'this', after: '' };
  if (object.type === 'Identifier') return { object: readOf(walk, object), after: '' };
  if (context.locals === undefined || object.type !== 'MemberExpression') return undefined;
  const name = local(context, walk.facts.names.object, callee.start, callee.end);
  // Where the method is missing, the engine's message names our local: this site tells what stood there.
  addSite(walk, context, 'step', object.start, object.end, 'the object');
  return { object: name, after: `,${name}=0`, inner: object };
}

function readOf({ known }: Walk, node: Node): string {
  return known.placeAt.get(node.start) ?? (node.name as string);
}

/** Walks `delete` of a property. @returns false for all else */
export function visitDelete(walk: Walk, context: Context, node: Node): boolean {
  if (!walk.facts.steps || node.operator !== 'delete') return false;
  const member = memberOf(node.argument as Node);
  if (member === undefined || member.object.type === 'Super') return false;
  const edits = walk.out.edits;
  // There is no place for a local.
  if (context.locals === undefined) return false;
  const slot = edits.reserve(node.start);
  const written = visitWritten(walk, context, member)!;
  const { opening, closing } = contentsWrite(walk, context, node, [written]);
  edits.fill(slot, opening);
  edits.insert(node.end, closing);
  return true;
}
