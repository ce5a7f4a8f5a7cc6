/** What a person has selected in a text: an expression, which then reports as if it had a mark. */
import { type Found, type Mark, givenName, isValue, outerEnd, roleOf } from './mark-roles.js';
import { eachChild, type Node } from './node.js';
import type { Outline } from './outline.js';

/** Offsets in a text. */
export interface Selected {
  start: number;
  end: number;
}

/**
 * The expression that a selection covers, blanks, parentheses and a semicolon left out.
 *
 * @returns undefined where it covers none, or one that cannot report: the target of an assignment, a method that is
 * called
 */
export function selectedMark(outline: Outline, { start, end }: Selected): Mark | undefined {
  const { text, program } = outline.parsed;
  const covered = text.slice(start, end);
  const from = start + /^[\s(]*/.exec(covered)![0].length;
  const to = end - /[\s;,]*$/.exec(covered)![0].length;
  if (from >= to) return undefined;
  let found: Found | undefined;
  const visit = (node: Node, parents: Node[]): void => {
    if (found || node.end < from || node.start > to) return;
    const isExact = node.start === from && (node.end === to || outerEnd(node, text) === to);
    if (isExact && isValue(node, parents[parents.length - 1])) {
      found = { node, parents: [...parents] };
      return;
    }
    parents.push(node);
    eachChild(node, (child) => visit(child, parents));
    parents.pop();
  };
  visit(program!, []);
  if (!found) return undefined;
  const role = roleOf(found);
  if (typeof role === 'string') return undefined;
  const { node } = found;
  return {
    verb: undefined,
    expression: '',
    names: [],
    start: node.start,
    end: node.end,
    node,
    role,
    givenName: givenName(found, text),
    selected: true,
  };
}
