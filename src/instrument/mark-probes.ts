/** Marks: what the code around a marked expression reports. */
import type { Mark } from '../syntax/mark-roles.js';
import type { Node } from '../syntax/node.js';
import { addSite } from './probes.js';
import { nameFrom, type Context, type Walk } from './walk.js';

/** The code before and after an expression that has a mark. */
function markCode(walk: Walk, context: Context, mark: Mark, node: Node): { before: string; after: string } {
  const { facts, out } = walk;
  const { names } = facts;
  const id = addSite(walk, context, 'mark', node.start, node.end, nameFrom(walk, node));
  out.sites[id]!.mark = {
    verb: mark.verb?.name ?? '',
    expression: mark.expression,
    ...(mark.selected ? { selected: true } : {}),
  };
  const [open, close] = mark.role.is === 'constructor' ? ['(', ')'] : ['', ''];
  if (mark.verb?.reports === 'kept') {
    out.keeps.push({ id, node });
    return {
      before: `${open}(${names.isKept}(${id})?${names.kept}(${id}):${names.keep}(${id},(`,
      after: `)))${close}`,
    };
  }
  if (mark.verb?.reports === 'time')
    return { before: `${open}${names.took}(${id},${names.now}(),(`, after: `))${close}` };
  const expression = linkedExpression(walk, mark);
  const asText = expression === '' || mark.verb?.expression === 'text';
  const closure = asText ? '' : `,(it)=>(${expression})${mark.verb?.reports === 'holds' ? ',true' : ''}`;
  const wide = mark.verb?.view === 'table' ? `${closure === '' ? ',undefined' : closure},false,true` : closure;
  return { before: `${open}${names.mark}(${id},(`, after: `)${wide})${close}` };
}

/** A mark's expression, with names of other modules where they are. */
function linkedExpression({ known }: Walk, mark: Mark): string {
  let { expression } = mark;
  for (const { name, start, end, shorthand } of [...mark.names].reverse()) {
    const place = known.places.get(name);
    if (place !== undefined)
      expression = `${expression.slice(0, start)}${shorthand ? `${name}:` : ''}${place}${expression.slice(end)}`;
  }
  return expression;
}

/** Walks an expression that has marks. */
export function visitMarked(walk: Walk, context: Context, node: Node): void {
  const { marks: pending, out, visit } = walk;
  const marks = pending.at.get(node)!.filter((mark) => canStand(walk, context, mark));
  pending.at.delete(node);
  const named = marks.find((mark) => mark.givenName !== undefined)?.givenName;
  const codes = marks.map((mark) => markCode(walk, context, mark, node));
  for (const { before } of codes) out.edits.insert(node.start, before);
  // A function without a name takes it from its place; here the place is this property.
  if (named !== undefined) out.edits.insert(node.start, `{[${JSON.stringify(named)}]:`);
  visit.expression(walk, context, node, false);
  if (named !== undefined) out.edits.insert(node.end, `}[${JSON.stringify(named)}]`);
  for (const { after } of codes.reverse()) out.edits.insert(node.end, after);
}

/** `keep:` asks for a place that is evaluated once. */
function canStand({ facts, out }: Walk, context: Context, mark: Mark): boolean {
  if (mark.verb?.reports !== 'kept') return true;
  const once = context.within < 0 && context.owner < 0 && context.locals !== undefined && mark.givenName === undefined;
  if (facts.linked && once) return true;
  const message = facts.linked
    ? 'keep: holds what is evaluated once, at the top level of a file and not in a loop, a function or a class.'
    : 'keep: needs a session that holds the value.';
  out.problems.push({ code: 'E_MARK', message, start: mark.start, end: mark.end });
  return false;
}

/**
 * Walks `a?.b() /*~*\/ .c()`: what stands behind `?.` is left out together, so
 * the marked part cannot simply be wrapped. The link that may end the chain
 * tells a local when it did not, and the rest hangs on that.
 */
export function visitMarkedChain(walk: Walk, context: Context, whole: Node, covered: boolean): void {
  const { marks: pending, out, visit, facts } = walk;
  const [mark, ...more] = pending.chains.get(whole)!;
  if (more.length > 0) pending.chains.set(whole, more);
  else pending.chains.delete(whole);
  const { locals } = context;
  if (!mark || mark.role.is !== 'chain' || locals === undefined || pending.chainLinks.has(mark.role.link)) {
    if (mark && !mark.selected) {
      const message = 'A mark cannot stand in the middle of this chain with ?. in it. Put it behind the chain.';
      out.problems.push({ code: 'E_MARK', message, start: mark.start, end: mark.end });
    }
    visit.expression(walk, context, whole, covered);
    return;
  }
  const reached = `${facts.names.chainReached}${mark.start}`;
  const value = `${facts.names.chainValue}${mark.start}`;
  locals.add(reached);
  locals.add(value);
  pending.chainLinks.set(mark.role.link, reached);
  const { before, after } = markCode(walk, context, mark, mark.node);
  out.edits.insert(whole.start, `(${reached}=0,${value}=(`);
  pending.chainEnds.set(mark.node, `),${reached}?${before}${value}${after}`);
  visit.expression(walk, context, whole, covered);
  out.edits.insert(whole.end, ':void 0)');
}

/** Walks the link of such a chain: it tells that the chain goes on. `?.name` becomes `?.[(reached = 1, "name")]`. */
export function visitChainLink(walk: Walk, context: Context, node: Node): void {
  const { out, visit, marks } = walk;
  const { property } = node;
  const tell = `(${marks.chainLinks.get(node)!}=1,`;
  if (node.computed) {
    out.edits.insert(property.start, tell);
    visit.expression(walk, context, property, false);
    out.edits.insert(property.end, ')');
  } else out.edits.replace(property.start, property.end, `[${tell}${JSON.stringify(property.name)})]`);
}

/** Ends the marked part of such a chain. */
export function endChainPart({ marks, out }: Walk, node: Node): void {
  const code = marks.chainEnds.get(node);
  if (code === undefined) return;
  marks.chainEnds.delete(node);
  out.edits.insert(node.end, code);
}

/** Says of marks that were never walked that they cannot stand where they do. */
export function refuseLeftMarks({ marks, out }: Walk): void {
  for (const mark of [...marks.at.values(), ...marks.chains.values()].flat().filter((one) => !one.selected))
    out.problems.push({
      code: 'E_MARK',
      message: 'A mark cannot stand here: no value is used at this place.',
      start: mark.start,
      end: mark.end,
    });
}
