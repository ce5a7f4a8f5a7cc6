/**
 * What a call may have done to the world before it came to a line, read off its text: who calls it again is to judge by
 * that. What it has called may have done more.
 */
import { eachChild, isFunction, type Node } from '../../../syntax/node.js';
import type { FunctionInfo, Outline } from '../../../syntax/outline.js';
import { LineTable } from '../../../syntax/positions.js';
import type { Scopes } from '../../../syntax/scope-data.js';
import { bindingScope, scopesOf } from '../../../syntax/scopes.js';

/** Something that a call may have done. */
export interface Done {
  file: string;
  /** From 0, in the text that ran. */
  line: number;
  /** As it is written, on one line: `tolls.push(total)`. */
  text: string;
  /** `write`: to a property or a name around it; `call`: of something that may do more. */
  is: 'write' | 'call';
}

/** Things that are told of one call. */
const MOST = 20;
const WIDE = 60;

/** Methods that change what they are called on. */
const CHANGING =
  /^(?:push|pop|shift|unshift|splice|sort|reverse|fill|copyWithin|set|add|delete|clear|append|setItem|removeItem)$/;
/** Methods and objects of the platform that change nothing but by what they are given to call. */
const QUIET =
  /^(?:map|filter|find|findIndex|findLast|some|every|reduce|reduceRight|flat|flatMap|forEach|join|slice|concat|includes|indexOf|at|get|has|keys|values|entries|split|trim|trimStart|trimEnd|padStart|padEnd|replace|replaceAll|match|matchAll|test|startsWith|endsWith|toUpperCase|toLowerCase|toFixed|toString|toLocaleString|toISOString|charCodeAt|codePointAt|localeCompare|then|catch|finally)$/;
const QUIET_OBJECTS = /^(?:Math|JSON|Number|String|Boolean|Array|Object|BigInt|Symbol|Date|Intl)$/;
const CHANGING_OBJECTS = /^(?:assign|defineProperty|defineProperties|setPrototypeOf)$/;

/**
 * @param line from 0: where the call stands
 * @param within the function; by default the innermost around the line
 */
export function alreadyDone(outline: Outline, line: number, within = functionAt(outline, line)): Done[] {
  if (!within || !outline.parsed.program) return [];
  const { file } = outline.parsed;
  const lines = new LineTable(outline.parsed.text);
  const scopes = scopesOf(outline.parsed.program);
  const found: Done[] = [];
  for (const node of nodesBefore(within.node, line, lines))
    eachEffect(node, within.node, scopes, (effect, is) => {
      const text = outline.parsed.text.slice(effect.start, effect.end).replace(/\s+/g, ' ');
      const shown = text.length > WIDE ? `${text.slice(0, WIDE)}…` : text;
      found.push({ file, line: lines.lineAt(effect.start), text: shown, is });
    });
  return found.slice(0, MOST);
}

/** The innermost function around a line. */
function functionAt(outline: Outline, line: number): FunctionInfo | undefined {
  const lines = new LineTable(outline.parsed.text);
  return outline.functions.filter(({ start, end }) => lines.lineAt(start) <= line && lines.lineAt(end) >= line).at(-1);
}

/** Statements of a function that may have run before a line, in the order of the text. */
function nodesBefore(fn: Node, line: number, lines: LineTable): Node[] {
  const before: Node[] = [];
  const descend = (node: Node): void => {
    const inside: Node[] = [];
    eachChild(node, (child) => void inside.push(child));
    const at = inside.findLast((child) => lines.lineAt(child.start) <= line && lines.lineAt(child.end) >= line);
    if (/^(?:For|While|DoWhile)/.test(node.type)) {
      // In an earlier turn all of it may have run.
      before.push(...inside);
      return;
    }
    const isChoice = node.type === 'IfStatement' || node.type === 'ConditionalExpression';
    for (const child of inside) {
      if (child === at) break;
      if (!isChoice || child === node.test) before.push(child);
    }
    if (at && !isFunction(at)) descend(at);
  };
  descend(fn.body as Node);
  return before;
}

function eachEffect(node: Node, fn: Node, scopes: Scopes, tell: (node: Node, is: Done['is']) => void): void {
  // What is declared has not been called by that.
  if (isFunction(node) || node.type === 'ClassDeclaration') return;
  switch (node.type) {
    case 'AssignmentExpression':
      if (isOutside(node.left as Node, fn, scopes)) {
        tell(node, 'write');
        return;
      }
      break;
    case 'UpdateExpression':
      if (isOutside(node.argument as Node, fn, scopes)) tell(node, 'write');
      return;
    case 'UnaryExpression':
      if (node.operator === 'delete') tell(node, 'write');
      break;
    case 'CallExpression':
    case 'OptionalCallExpression':
    case 'NewExpression': {
      const is = callIs(node, fn, scopes);
      if (is) {
        tell(node, is);
        return;
      }
      // A list calls what it is given.
      for (const given of node.arguments as Node[])
        if (isFunction(given)) eachEffect(given.body as Node, fn, scopes, tell);
      break;
    }
  }
  eachChild(node, (child) => eachEffect(child, fn, scopes, tell));
}

function callIs({ type, callee }: Node, fn: Node, scopes: Scopes): Done['is'] | undefined {
  if (type === 'NewExpression')
    return callee.type === 'Identifier' &&
      /^(?:Map|Set|WeakMap|WeakSet|Array|Date|Error|\w+Error|URL|RegExp|\w+Array)$/.test(callee.name as string)
      ? undefined
      : 'call';
  if (!/MemberExpression$/.test(callee.type as string) || callee.computed)
    return callee.type === 'Identifier' && QUIET_OBJECTS.test(callee.name as string) ? undefined : 'call';
  const { object, property } = callee;
  const method = property.name as string;
  if (object.type === 'Identifier' && QUIET_OBJECTS.test(object.name as string))
    return CHANGING_OBJECTS.test(method) ? 'write' : undefined;
  if (CHANGING.test(method)) return isOutside(callee as Node, fn, scopes) ? 'write' : undefined;
  return QUIET.test(method) ? undefined : 'call';
}

/** What is written to is seen by others: not a local, and no property of what was made here. */
function isOutside(target: Node, fn: Node, scopes: Scopes): boolean {
  let root = target;
  while (/MemberExpression$/.test(root.type)) root = root.object as Node;
  if (root.type !== 'Identifier') return true;
  const name = root.name as string;
  const use = scopes.uses.find(({ start }) => start === root.start);
  const scope = use && bindingScope(use.scope, name);
  const isOwn = scope !== undefined && scope.node.start >= fn.start && scope.node.end <= fn.end;
  return !isOwn || (root !== target && !isMadeIn(scope.node, name));
}

/** A local begins as something that is made there. */
function isMadeIn(scope: Node, name: string): boolean {
  let found = false;
  const search = (node: Node): void => {
    if (node.type === 'VariableDeclarator' && node.id.name === name)
      found = /^(?:Array|Object|New)Expression$/.test((node.init as Node | null)?.type ?? '');
    else if (!found) eachChild(node, search);
  };
  search(scope);
  return found;
}

/**
 * The same of all calls of a stack, the outermost first.
 *
 * @param outlineOf the text that a file runs
 */
export function doneIn(
  frames: readonly { file: string; line: number; local: boolean }[],
  outlineOf: (file: string) => Outline | undefined,
): Done[] {
  const found = new Map<string, Done>();
  for (const { file, line, local } of frames.toReversed()) {
    const outline = local && line >= 0 ? outlineOf(file) : undefined;
    for (const one of outline ? alreadyDone(outline, line) : []) found.set(`${one.file}:${one.line} ${one.text}`, one);
  }
  return [...found.values()].slice(0, MOST);
}
