/**
 * Marks: comments that ask for something at a place. `//~ …` at the end of a
 * line is about the largest expression that ends there, `/*~ … *\/` about the
 * largest that ends just before it.
 */
import { type Found, type Mark, codeBefore, givenName, isShadowed, isValue, outerEnd, roleOf } from './mark-roles.js';
import { read } from './mark-text.js';
import { type Node, eachChild } from './node.js';
import type { Outline } from './outline.js';
import type { Problem } from './problems.js';

export interface Marks {
  marks: Mark[];
  problems: Problem[];
}

const NOTHING: Marks = { marks: [], problems: [] };

/**
 * Reads the marks of an outlined text. A mark that asks for nothing possible is a problem of its line, and of nothing
 * else.
 */
export function marksOf(outline: Outline): Marks {
  const { parsed } = outline;
  const comments = parsed.comments.filter((comment) => (comment.value as string).startsWith('~'));
  if (comments.length === 0) return NOTHING;
  const { text } = parsed;
  const problems: Problem[] = [];
  const marks: Mark[] = [];
  const problem = (comment: Node, message: string): void => {
    problems.push({ code: 'E_MARK', message, start: comment.start, end: comment.end });
  };
  const wanted = comments.map((comment) => {
    const whole = comment.type === 'CommentLine';
    let end = codeBefore(text, comment.start, parsed.comments);
    if (whole)
      while (end > 0 && (text[end - 1] === ';' || text[end - 1] === ','))
        end = codeBefore(text, end - 1, parsed.comments);
    const lineStart = text.lastIndexOf('\n', comment.start - 1) + 1;
    return {
      comment,
      whole,
      end,
      lineStart,
      best: undefined as Found | undefined,
      within: undefined as Found | undefined,
    };
  });
  const lowest = Math.min(...wanted.map((one) => one.lineStart));
  const highest = Math.max(...wanted.map((one) => one.end));
  const visit = (node: Node, parents: Node[]): void => {
    if (node.end < lowest || node.start > highest) return;
    const parent = parents[parents.length - 1];
    // Behind the body of `(boat) => boat.tonnes` the body is meant, not the function that ends there too.
    const short = node.type === 'ArrowFunctionExpression' && node.body.type !== 'BlockStatement';
    if (isValue(node, parent) && !short) {
      const end = outerEnd(node, text);
      for (const one of wanted) {
        // Walked from the outside in: the first that ends there is the largest.
        if (end === one.end) one.best ??= { node, parents: [...parents] };
        else if (one.whole && !one.within && node.start >= one.lineStart && end < one.end)
          one.within = { node, parents: [...parents] };
      }
    }
    parents.push(node);
    eachChild(node, (child) => visit(child, parents));
    parents.pop();
  };
  visit(parsed.program!, []);

  for (const { comment, whole, best, within, lineStart, end } of wanted) {
    // `if (full) { //~` has no expression at its end: the largest on the line is meant.
    const found = best ?? (whole ? within : undefined);
    const body = (comment.value as string).slice(1).trim();
    const asked = read(body);
    if (typeof asked === 'string') {
      problem(comment, asked);
      continue;
    }
    if (!found || end <= lineStart) {
      problem(
        comment,
        whole
          ? 'This mark has no expression on its line. Put it behind one.'
          : 'This mark has no expression before it. Put it right behind one.',
      );
      continue;
    }
    const role = roleOf(found);
    if (typeof role === 'string') {
      problem(comment, role);
      continue;
    }
    const names = asked.names.filter(({ name }) => !isShadowed(outline.parsed.program!, found.node.start, name));
    marks.push({
      ...asked,
      names,
      start: comment.start,
      end: comment.end,
      node: found.node,
      role,
      givenName: givenName(found, text),
    });
  }
  return { marks, problems };
}
