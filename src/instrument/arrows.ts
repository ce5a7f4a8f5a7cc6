/** Arrow functions and their later versions: what they pass on, for they have no `arguments`. */
import { boundNames, eachChild, isFunction, type Node } from '../syntax/node.js';
import type { Outline } from '../syntax/outline.js';
import { usesWithin } from '../syntax/scopes.js';
import { argumentsPassedOn } from './passed-on.js';
import { pointsOf } from './points.js';
import type { Walk } from './walk.js';

/**
 * How an arrow function is given to its later version. `plain`: its parameters
 * are names. `rewritten`: patterns and defaults move into the body. `bound`:
 * they cannot, and the later version gets what they bound.
 */
export type ArrowForm = 'plain' | 'rewritten' | 'bound';

export function arrowForm(outline: Outline, node: Node): ArrowForm {
  const special = (node.params as Node[]).filter(
    (parameter) =>
      parameter.type !== 'Identifier' &&
      !(parameter.type === 'RestElement' && parameter.argument.type === 'Identifier'),
  );
  if (special.length === 0) return 'plain';
  const inner = pointsOf(outline).scopes.inner.get(node);
  const movable = special.every((parameter) => {
    if (usesLater(outline, node, parameter)) return false;
    const end: number = parameter.typeAnnotation?.start ?? parameter.end;
    if (/[\n\r]|\/[*/]/.test(outline.parsed.text.slice(parameter.start, end)) || !isMovable(parameter)) return false;
    return boundNames(parameter).every((id) => !inner?.names.has(id.name as string));
  });
  return movable ? 'rewritten' : 'bound';
}

/**
 * A parameter's pattern or default uses one that is bound only afterwards, or itself: a dead zone, which the body has
 * not.
 */
function usesLater(outline: Outline, arrow: Node, parameter: Node): boolean {
  const parameters = arrow.params as Node[];
  const later = new Set(
    parameters.slice(parameters.indexOf(parameter)).flatMap((one) => boundNames(one).map((id) => id.name as string)),
  );
  return usesWithin(pointsOf(outline).scopes, parameter.start, parameter.end).some((use) => later.has(use.name));
}

/** No function, class, type or suspension in it: its text can stand elsewhere. */
function isMovable(node: Node): boolean {
  if (isFunction(node) || /^(Class|Await|Yield|TS|JSX|MetaProperty|Import|Super)/.test(node.type)) return false;
  let movable = true;
  eachChild(node, (child) => {
    if (!isMovable(child)) movable = false;
  });
  return movable;
}

/** What a `bound` arrow passes on to its later version: the values its parameters bound. */
export function arrowArguments(node: Node): string {
  return (node.params as Node[])
    .map((parameter) => {
      if (parameter.type === 'RestElement' && parameter.argument.type === 'Identifier')
        return `...${parameter.argument.name}`;
      return boundNames(parameter)
        .map((id) => id.name as string)
        .join(',');
    })
    .filter((part) => part !== '')
    .join(',');
}

/**
 * The arguments an arrow function passes on. What it has no name for goes through one more parameter, which is added
 * here.
 */
export function passedOn(walk: Walk, node: Node): string {
  const { names, outline } = walk.facts;
  if (arrowForm(outline, node) === 'bound') return arrowArguments(node);
  const parameters = node.params as Node[];
  const last = parameters[parameters.length - 1];
  const passed = parameters.map((parameter, index) => {
    if (parameter.type === 'Identifier') return parameter.name as string;
    const ours = `${names.parameter}${index}`;
    if (parameter.type !== 'RestElement') return ours;
    return `...${parameter.argument.type === 'Identifier' ? (parameter.argument.name as string) : ours}`;
  });
  if (last?.type !== 'RestElement' && argumentsPassedOn(outline, node) === Infinity) {
    passed.push(`...${names.rest}`);
    addRest(walk, node);
  }
  return passed.join(',');
}

function addRest({ facts: { text, names }, out: { edits } }: Walk, node: Node): void {
  const parameters = node.params as Node[];
  const last = parameters[parameters.length - 1];
  if (last === undefined) {
    edits.insert(text.indexOf('(', node.start) + 1, `...${names.rest}`);
    return;
  }
  // `x => …` without parentheses.
  const bareName = parameters.length === 1 && !hasParentheses(text.slice(node.start, node.end));
  if (bareName) edits.insert(last.start, '(');
  edits.insert(last.end, `,...${names.rest}${bareName ? ')' : ''}`);
  const comma = /^(?:\s|\/\*[^]*?\*\/|\/\/[^\n]*\n)*,/.exec(text.slice(last.end, node.body.start));
  if (comma) edits.blank(last.end + comma[0].length - 1, last.end + comma[0].length);
}

function hasParentheses(arrowText: string): boolean {
  return /^(?:async\b)?(?:\s|\/\*[^]*?\*\/|\/\/[^\n]*\n)*[(<]/.test(arrowText);
}

/**
 * Patterns and defaults of an arrow function move into its body, so that a later version gets what was given. Returns
 * their text there.
 */
export function rewriteParameters(walk: Walk, node: Node): string {
  const { facts, out } = walk;
  if (arrowForm(facts.outline, node) !== 'rewritten') return '';
  let text = '';
  (node.params as Node[]).forEach((parameter, index) => {
    const name = `${facts.names.parameter}${index}`;
    if (
      parameter.type === 'Identifier' ||
      (parameter.type === 'RestElement' && parameter.argument.type === 'Identifier')
    )
      return;
    out.edits.drop(parameter.start, parameter.end);
    let written = name;
    if (parameter.type === 'RestElement') {
      text += `let ${patternText(walk, parameter.argument)}=${name};`;
      written = `...${name}`;
    } else if (parameter.type === 'AssignmentPattern') {
      text +=
        `let ${patternText(walk, parameter.left)}=${name}===void ` +
        `0?(${patternText(walk, parameter.right)}):${name};`;
      written = `${name}=void 0`;
    } else text += `let ${patternText(walk, parameter)}=${name};`;
    out.edits.replace(parameter.start, parameter.end, written);
  });
  return text;
}

/** A pattern or default as text, without its type, with names of other modules where they are. */
function patternText({ facts, known }: Walk, node: Node): string {
  const end: number = node.typeAnnotation?.start ?? node.end;
  let text = '';
  let at = node.start;
  const shorthands = new Set<number>();
  const note = (inner: Node): void => {
    if (inner.type === 'ObjectProperty' && inner.shorthand === true) shorthands.add(inner.start);
    eachChild(inner, note);
  };
  note(node);
  for (const use of usesWithin(facts.points!.scopes, node.start, end)) {
    const place = known.placeAt.get(use.start);
    if (place === undefined) continue;
    const shorthand = shorthands.has(use.start) ? `${use.name}:` : '';
    text += facts.text.slice(at, use.start) + shorthand + place;
    at = use.end;
  }
  text += facts.text.slice(at, end);
  return node.optional === true ? text.replace(/\?\s*$/, '') : text;
}
