/**
 * Adds probes, patch points and the linking form to a text.
 *
 * The promise: instrumented code behaves as plain code. Every insertion is
 * either a statement of its own before a statement, or wraps an expression as
 * the argument of a call that returns it, or is the left side of a comma.
 * Where any of these would be seen by the program (a function that takes its
 * name from its place, a reference that carries `this`) nothing is wrapped.
 */
import { isFunction, type Node } from '../syntax/node.js';
import type { Outline } from '../syntax/outline.js';
import { visitClass } from './classes.js';
import type { Edits } from './edits.js';
import { visitExpression } from './expressions.js';
import { afterDirectives, visitFunction } from './functions.js';
import { placeHooks } from './hooks.js';
import { findConstantWrites, linkReferences } from './linking.js';
import { refuseLeftMarks } from './mark-probes.js';
import type { Probed, ProbeOptions } from './options.js';
import { enterFrameText, framed } from './steps.js';
import { addSite, countText, withLocals } from './probes.js';
import { visitList, visitStatement } from './statements.js';
import { OUTSIDE, reached, walkOf, type Visit, type Walk } from './walk.js';

const VISIT: Visit = {
  expression: visitExpression,
  statement: visitStatement,
  list: visitList,
  functionNode: visitFunction,
  classNode: visitClass,
};

/** Makes the edits that instrument one outlined text. */
export function probe(outline: Outline, options: ProbeOptions): Probed {
  const walk = walkOf(outline, options, VISIT);
  const prelude = visitProgram(walk, outline.parsed.program!);
  const { edits, sites, links, problems, keeps, defaultFunction, defaultValue } = walk.out;
  return { edits, sites, links, problems, keeps, defaultFunction, defaultValue, prelude };
}

/**
 * Makes the edits for one part of a file: a function, a class, or an
 * expression that is compiled on its own inside a live module.
 */
export function probePart(
  outline: Outline,
  part: Node,
  options: ProbeOptions,
): { edits: Edits; prefix: string; reached: ReadonlyMap<string, { constant: boolean }> } {
  const walk = walkOf(outline, options, VISIT);
  linkReferences(walk);
  placeHooks(walk);
  if (part.type === 'ClassDeclaration' || part.type === 'ClassExpression') visitClass(walk, OUTSIDE, part);
  else if (isFunction(part)) visitFunction(walk, OUTSIDE, part);
  else if (part.type.endsWith('Statement')) visitStatement(walk, OUTSIDE, part, -1);
  else visitExpression(walk, OUTSIDE, part, true);
  return { edits: walk.out.edits, prefix: walk.facts.prefix, reached: walk.out.reached };
}

/** Walks a whole text. Returns the slot of the edits for what stands before its first statement. */
function visitProgram(walk: Walk, program: Node): number {
  const { facts, out } = walk;
  if (facts.linked) linkReferences(walk);
  else if (facts.options.patchable) findConstantWrites(walk);
  placeHooks(walk);
  hideFirstComment(walk);
  if (program.interpreter && facts.linked) out.edits.blank(program.interpreter.start, program.interpreter.end);
  const head = headOf(walk, program);
  const prelude = out.edits.reserve(head);
  let entry = -1;
  if (facts.counts) {
    // The module itself: imports and what stands between statements belong to it.
    entry = addSite(walk, OUTSIDE, 'branch', 0, facts.text.length, 'module');
    out.edits.insert(head, `;${countText(walk, entry)};`);
  }
  const context = framed(walk, reached(OUTSIDE, entry));
  if (facts.steps) out.edits.insert(head, enterFrameText(walk, context, OUTSIDE, entry));
  const before = (program.directives as Node[]).length > 0 ? head : -1;
  // A function of the registry has a body for locals; a script that stays one would leak them.
  if (facts.linked && !facts.options.patchable)
    withLocals(walk, context, head, (inner) => visitList(walk, inner, program.body, entry, before));
  else visitList(walk, context, program.body, entry, before);
  // On a line of its own: the text may end in a comment.
  if (facts.steps) out.edits.insert(facts.text.length, `\n;${facts.names.leaveFrame}(${context.frame});`);
  refuseLeftMarks(walk);
  return prelude;
}

/** Where the first thing may be inserted: behind directives and a line that names an interpreter. */
function headOf({ facts }: Walk, program: Node): number {
  const first = program.interpreter && !facts.linked ? Math.min(program.interpreter.end + 1, facts.text.length) : 0;
  return afterDirectives(program, first);
}

/** `-->` is a comment at the beginning of a line alone, and what we put before the text is on its first. */
function hideFirstComment({ facts, out }: Walk): void {
  const { comments, program } = facts.outline.parsed;
  const first = ((program!.directives as Node[])[0] ?? (program!.body as Node[])[0])?.start ?? facts.text.length;
  for (const comment of comments) {
    if (
      comment.start >= first ||
      /[\n\r\u2028\u2029]/.test(facts.text.slice(0, comment.start).replace(/\/\*[^]*?\*\//g, ''))
    )
      break;
    if (facts.text.startsWith('-->', comment.start)) out.edits.blank(comment.start, comment.end);
  }
}
