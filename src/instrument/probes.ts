/** Sites, and the text of the probes that report them. */
import { bare, isAnonymousDefinition, type Node } from '../syntax/node.js';
import type { SiteKind } from './sites.js';
import { withoutLocals, type Context, type Walk } from './walk.js';

/** Adds a site. Returns its number. @param cell the cell of another site that is certain to run as often, or -1 */
export function addSite(
  { out }: Walk,
  context: Context,
  kind: SiteKind,
  start: number,
  end: number,
  name = '',
  cell = -1,
): number {
  const id = out.sites.length;
  const { within, owner, reach, plus } = context;
  out.sites.push({ id, kind, start, end, name, cell: cell < 0 ? id : cell, within, owner, reach, plus });
  return id;
}

/** Counts a site. */
export function countText({ facts, out }: Walk, id: number): string {
  return `${facts.names.counters}[${out.sites[id]!.cell}]++`;
}

/**
 * Counts an entry of a loop or function and lets the runtime ask for another sample of all its sites when one is due.
 */
export function enterText({ facts: { names } }: Walk, id: number): string {
  return `++${names.counters}[${id}]>=${names.due}[${id}]&&${names.enter}(${id})`;
}

/** Tells now and then that patched code runs. */
export function guardText({ facts: { names } }: Walk): string {
  return `(++${names.ticks}[0]&1023)||${names.module}.due(${names.ticks})`;
}

/**
 * Opens a value probe around an expression. Returns the text that closes it.
 *
 * Where a local variable can be had, the value goes through it and the probe
 * is one load and a branch; elsewhere (parameters, class fields, bodies of
 * expression arrows) it is a call. Measured side by side on a parser, the call
 * form is clearly slower. `npm run bench` has the figures as they are.
 */
export function openProbe(
  { facts: { names }, out }: Walk,
  context: Context,
  id: number,
  at: number,
  extra = '',
): string {
  if (context.locals === undefined) {
    out.edits.insert(at, `${names.pass}(${id},(${extra}`);
    return '))';
  }
  const local = localFor(names.local, context, id);
  out.edits.insert(at, `(${local}=(${extra}`);
  return `),${names.wanted}[${id}]&&${names.sample}(${id},${local}),${local})`;
}

/** The local through which a site's value goes: inside of a loop one of its own, which keeps the last. */
export function localFor(name: string, context: Context, id: number): string {
  const local = context.loop === undefined ? name : `${name}${id}`;
  context.loop?.push(id);
  context.locals!.add(local);
  return local;
}

/** Wraps an expression in a value probe, and walks it. */
export function probeValue(
  walk: Walk,
  context: Context,
  kind: SiteKind,
  node: Node,
  name = '',
  start = node.start,
  end = node.end,
): void {
  const id = addSite(walk, context, kind, start, end, name);
  // A function without a name must not take that of our local.
  const nameless = isAnonymousDefinition(node) || isAnonymousDefinition(bare(node));
  const closing = openProbe(walk, context, id, node.start, nameless ? '0,' : '');
  walk.visit.expression(walk, context, node, true);
  walk.out.edits.insert(node.end, closing);
}

/** The text of probes that sample bound names, each a statement. */
export function sampleNames(walk: Walk, context: Context, kind: SiteKind, bound: readonly Node[]): string {
  const { facts, known } = walk;
  const { names } = facts;
  let code = '';
  for (const node of bound) {
    const name = node.name as string;
    const id = addSite(walk, context, kind, node.start, node.start + name.length, name);
    let value = known.placeAt.get(node.start) ?? name;
    if (context.loop !== undefined && context.locals !== undefined) {
      const local = localFor(names.local, context, id);
      code += `${local}=${value};`;
      value = local;
    }
    code += `${names.wanted}[${id}]&&${names.sample}(${id},${value});`;
  }
  return code;
}

/** Walks what has a place for locals at `at`; those that its probes need are declared there. */
export function withLocals({ out }: Walk, context: Context, at: number, walk: (inner: Context) => void): void {
  const locals = new Set<string>();
  const slot = out.edits.reserve(at);
  walk({ ...context, locals, loop: undefined });
  // 0 and not undefined: a local that holds numbers stays an unboxed number in optimised code.
  if (locals.size > 0) out.edits.fill(slot, `let ${[...locals].join('=0,')}=0;`);
}

/**
 * Walks a loop. The outermost loop of a function keeps the last value of each
 * site inside it in a local, and hands them over when it ends, however it
 * ends: so the last visit is always known and no visit pays for it.
 */
export function withLastValues(walk: Walk, context: Context, node: Node, inside: (inner: Context) => void): void {
  const { facts, out } = walk;
  const { names } = facts;
  if (!facts.values || context.locals === undefined || context.loop !== undefined) {
    inside(context);
    return;
  }
  const sites: number[] = [];
  const slot = out.edits.reserve(node.start);
  inside({ ...context, loop: sites });
  if (sites.length === 0) return;
  const id = addSite(walk, context, 'last-values', node.start, node.end);
  out.edits.fill(slot, `${names.wanted}[${id}]&&${names.loopBegins}(${id},[${sites.join(',')}]);try{`);
  const values = sites.map((site) => `${names.loopLocal}${site}`).join(',');
  out.edits.insert(
    node.end,
    `}finally{${names.wanted}[${id}]&&${names.loopEnds}(${id},[${sites.join(',')}],[${values}])}`,
  );
}

/** Puts statements behind one that ends at `end`. */
export function insertBehind({ facts, out }: Walk, end: number, text: string): void {
  if (text !== '') out.edits.insert(end, facts.text[end - 1] === ';' ? text : `;${text}`);
}

/** Walks a part of an expression that may not run. */
export function probeBranch(walk: Walk, context: Context, node: Node, name: string): void {
  const { facts, out, visit } = walk;
  if (!facts.counts) {
    visit.expression(walk, context, node, false);
    return;
  }
  const id = addSite(walk, context, 'branch', node.start, node.end, name);
  const step = facts.steps ? `${facts.names.step}(${id},${context.frame}),` : '';
  out.edits.insert(node.start, `(${countText(walk, id)},${step}`);
  visit.expression(walk, { ...context, reach: id, plus: -1 }, node, false);
  out.edits.insert(node.end, ')');
}

/** Walks an expression without a place for locals. */
export function visitWithoutLocals(walk: Walk, context: Context, node: Node): void {
  walk.visit.expression(walk, withoutLocals(context), node, false);
}
