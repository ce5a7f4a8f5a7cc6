/** Patch points: the check at the head of a function through which a later version takes over. */
import type { Node } from '../syntax/node.js';
import { classAround, type FunctionInfo } from '../syntax/outline.js';
import { passedOn } from './arrows.js';
import { handOver, isForNew } from './passed-on.js';
import type { Point } from './points.js';
import { hookName, nestingOf, slotText } from './slots.js';
import type { Walk } from './walk.js';

/** The code of a slot of the text's module. */
export function slotCode({ facts }: Walk, slot: number): string {
  return slotText(facts.prefix, slot, facts.slots);
}

/**
 * What a slot of the patch table gives: the later version, or for code that each scope has anew, the way to make it.
 *
 * @param owner the class whose hook is asked, by number
 * @param name of the function, for one that sees itself
 * @param nesting of the scope whose hook is asked
 */
export function slotCall(
  walk: Walk,
  slot: number,
  point: Pick<Point, 'hook' | 'self'>,
  owner: number,
  name = '',
  nesting = 0,
): { test: string; call: string } {
  const { prefix, names } = walk.facts;
  const code = slotCode(walk, slot);
  let hook = '';
  if (point.hook === 'scope' || point.hook === 'whole') hook = hookName(prefix, nesting);
  else if (point.hook === 'inner') hook = `${names.classScope}${owner}`;
  else if (point.hook === 'field') hook = `this.#${names.fieldScope}`;
  if (point.self) hook = `${hook === '' ? 'undefined' : hook},${name}`;
  return { test: `${code}!==undefined`, call: hook === '' ? code : `${code}(${hook})` };
}

/** The text of a function's patch point; empty where it has none. */
export function patchPoint(walk: Walk, node: Node, info: FunctionInfo, index: number): string {
  const { outline, points, options, names, slots } = walk.facts;
  let point = points!.functions[index]!;
  if (point.hook === undefined) return '';
  // In a part that is compiled for the fields of a class, arrow functions have the hook of that part.
  if (point.hook === 'field' && options.root === undefined && options.inMethod) point = { ...point, hook: 'whole' };
  const owner = info.owner >= 0 ? info.owner : classAround(outline, node);
  const { test, call } = slotCall(
    walk,
    slots.functions[index]!,
    point,
    owner,
    info.name,
    nestingOf(outline, info.parent),
  );
  if (info.kind === 'arrow') return `if(${test})return ${call}(${passedOn(walk, node)});`;
  if (info.generator) return `if(${test})return yield* ${call}.apply(this,arguments);`;
  if (info.kind === 'function' && !info.async && isForNew(node, info.name))
    return `if(${test})return(new.target===undefined?${call}:${names.module}.maker(${call},new.target)).apply(this,arguments);`;
  return `if(${test})return ${handOver(outline, node, call)};`;
}
