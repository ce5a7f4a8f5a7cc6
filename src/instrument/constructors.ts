/** Constructors in patchable code: what the fields of a class have become, and the later version of its constructor. */
import { boundNames, type Node } from '../syntax/node.js';
import type { FunctionInfo } from '../syntax/outline.js';
import { slotCall, slotCode } from './patch-points.js';
import type { ClassPoint } from './points.js';
import { hookText } from './slots.js';
import type { Context, Walk } from './walk.js';

/** Slot of what the fields of a class have become. */
export function fieldsSlot(walk: Walk, index: number): string {
  return slotCode(walk, walk.facts.slots.classes[index]!);
}

/** Runs what the fields of a class have become on an object that was just made. */
export function fieldsCall(walk: Walk, index: number): string {
  const { names, points, slots } = walk.facts;
  const point = points!.classes[index]!;
  const slot = fieldsSlot(walk, index);
  const made = point.tracked ? `,${names.module}.made(${slots.classes[index]!},this)` : '';
  return `${slot}!==undefined&&${slot}${point.hook === 'inner' ? `(${names.classScope}${index})` : ''}.call(this)${made}`;
}

/** A constructor for a class that has none, as the language would add it, with its patch points. */
export function impliedConstructor(walk: Walk, index: number, point: ClassPoint): string {
  const { names, slots, prefix } = walk.facts;
  const { rest } = names;
  const slot = slots.classes[index]! + 1;
  const { test, call } = slotCall(walk, slot, { hook: point.hook, self: false }, index);
  if (!point.derived)
    return `;constructor(){${fieldsCall(walk, index)};if(${test})return ${call}.apply(this,arguments)}`;
  const later = `${slotCode(walk, slot)}(${hookText(prefix)})`;
  return `;constructor(...${rest}){if(${test})return ${later}(...${rest});super(...${rest});${fieldsCall(walk, index)}}`;
}

/**
 * The head of a constructor: fields and body of a later version.
 *
 * @param root it is that later version
 * @returns its text, and for one that calls `super` what the call has to do
 */
export function constructorHead(
  walk: Walk,
  node: Node,
  info: FunctionInfo,
  root: boolean,
): { head: string; making: Context['making'] } {
  const { points, slots, functions, prefix } = walk.facts;
  const index = info.owner;
  const point = points!.classes[index];
  if (point?.hook === undefined) return { head: '', making: undefined };
  const assign = root ? parameterProperties(walk, node) : '';
  const own = slots.functions[functions.get(node)!]!;
  if (point.derived) {
    const slot = slotCode(walk, own);
    const head = root ? '' : `if(${slot}!==undefined)return ${slot}(${hookText(prefix)})(...arguments);`;
    return { head, making: { index, assign } };
  }
  if (root) return { head: assign, making: undefined };
  const { test, call } = slotCall(walk, own, { hook: point.hook, self: false }, index);
  return { head: `${fieldsCall(walk, index)};if(${test})return ${call}.apply(this,arguments);`, making: undefined };
}

/** `constructor(private level: number)` outside of its class: plain parameters, and the assignments they stand for. */
function parameterProperties({ out }: Walk, node: Node): string {
  let assign = '';
  for (const parameter of node.params as Node[]) {
    if (parameter.type !== 'TSParameterProperty') continue;
    const inner = parameter.parameter as Node;
    out.edits.blank(parameter.start, inner.start);
    const name = boundNames(inner)[0]!.name as string;
    assign += `this.${name}=${name};`;
  }
  return assign;
}
