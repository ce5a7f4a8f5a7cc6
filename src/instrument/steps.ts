/**
 * Depth `steps`: each activation of a function is a frame with a number, and each statement says in which it stands. The
 * number is in a local of the function, so that functions inside know which frame they were made in, and what goes on
 * after it waited says which frame that is.
 */
import { boundNames, eachChild, isAnonymousDefinition, isFunction, type Node } from '../syntax/node.js';
import { addSite } from './probes.js';
import type { Context, Walk } from './walk.js';

/** A statement begins; nothing at other depths. */
export function stepText({ facts: { steps, names } }: Walk, { frame }: Context, id: number): string {
  return steps ? `${names.step}(${id},${frame});` : '';
}

/** The context inside of a function, or of a module, that has a frame. */
export function framed({ facts }: Walk, context: Context): Context {
  if (!facts.steps) return context;
  const frames = context.frames + 1;
  return { ...context, frame: `${facts.names.frame}${frames}`, frames };
}

/** Begins a frame. @param inside the context in it @param id the function's site */
export function enterFrameText({ facts: { names } }: Walk, inside: Context, around: Context, id: number): string {
  return `const ${inside.frame}=${names.enterFrame}(${id},${around.frame});`;
}

/** What `this` is in a function that uses it; where a class extends another there is none before `super`. */
export function thisText(walk: Walk, context: Context, node: Node): string {
  if (node.type === 'ArrowFunctionExpression') return '';
  const uses = { this: false, superCall: false };
  findUses(node, uses);
  if (!uses.this || uses.superCall) return '';
  const id = addSite(walk, context, 'step', node.start, node.end, 'this');
  const { wanted, sample } = walk.facts.names;
  return `${wanted}[${id}]&&${sample}(${id},this);`;
}

function findUses(node: Node, uses: { this: boolean; superCall: boolean }): void {
  if (node.type === 'ThisExpression') uses.this = true;
  else if (node.type === 'CallExpression' && node.callee.type === 'Super') uses.superCall = true;
  eachChild(node, (child) => {
    if (child.type !== 'ClassBody' && (!isFunction(child) || child.type === 'ArrowFunctionExpression'))
      findUses(child, uses);
  });
}

/** What stands around the statements of a frame, so that its end is told however it comes. */
export function frameEnds({ facts: { names } }: Walk, { frame }: Context): { opening: string; closing: string } {
  const { value } = names;
  return {
    opening: 'try{',
    closing: `}catch(${value}){${names.frameThrew}(${frame});throw ${value}}finally{${names.leaveFrame}(${frame})}`,
  };
}

/**
 * Whether the statements of a body may stand in a block of their own: there a function's name may not be declared twice,
 * nor be that of a variable.
 */
export function mayBeBlock(body: Node): boolean {
  const functions = new Set<string>();
  for (const statement of body.body as Node[]) {
    if (statement.type !== 'FunctionDeclaration') continue;
    const name = statement.id.name as string;
    if (functions.has(name)) return false;
    functions.add(name);
  }
  return functions.size === 0 || !declaresVar(body, functions);
}

function declaresVar(node: Node, names: ReadonlySet<string>): boolean {
  if (node.type === 'VariableDeclaration' && node.kind === 'var')
    for (const declarator of node.declarations as Node[])
      if (boundNames(declarator.id).some((id) => names.has(id.name as string))) return true;
  let found = false;
  eachChild(node, (child) => {
    if (!found && !isFunction(child) && declaresVar(child, names)) found = true;
  });
  return found;
}

/** An expression that is a step of its own: the body of an arrow function. @returns text before it; `)` closes it */
export function stepBefore(walk: Walk, context: Context, node: Node): string {
  const id = addSite(walk, context, 'statement', node.start, node.end, '', context.reach);
  return `${walk.facts.names.step}(${id},${context.frame})`;
}

/** Name of the sites of parts that run before the frame that they belong to: defaults, fields of a class. */
export const BEFORE_FRAME = 'before the frame';

/**
 * A default of a parameter, or the first value of a field: a step of whoever calls, for its own frame has not begun.
 *
 * @param whole what the step shows as its place
 */
export function beginPart(walk: Walk, context: Context, whole: Node, value: Node): void {
  if (!walk.facts.steps) return;
  // A function keeps the name that it takes from here.
  if (isAnonymousDefinition(value)) return;
  const id = addSite(walk, context, 'step', whole.start, whole.end, BEFORE_FRAME);
  walk.out.edits.insert(value.start, `(${walk.facts.names.step}(${id},0),`);
}

export function endPart(walk: Walk, value: Node): void {
  if (walk.facts.steps && !isAnonymousDefinition(value)) walk.out.edits.insert(value.end, ')');
}
