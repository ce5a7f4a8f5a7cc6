/**
 * Scopes of a text and what each name in it refers to (ECMA-262, §8 and §14):
 * which function or block binds it, or none. Made only for code that is
 * changed while it runs; a pad needs no more than the outline.
 */
import type { Node } from './node.js';
import { Analyser } from './scope-analyser.js';
import type { NameUse, Scope, Scopes } from './scope-data.js';

/** Analyses a program. */
export function scopesOf(program: Node): Scopes {
  const module: Scope = { kind: 'module', node: program, parent: null, names: new Set() };
  const scopes: Scopes = { module, outer: new Map(), inner: new Map(), uses: [] };
  new Analyser(scopes).program(program);
  scopes.uses.sort((a, b) => a.start - b.start);
  return scopes;
}

/** The scope that binds a name, seen from `from`; undefined where no scope of the text does. */
export function bindingScope(from: Scope, name: string): Scope | undefined {
  for (let at: Scope | null = from; at !== null; at = at.parent) if (at.names.has(name)) return at;
  return undefined;
}

/** The uses within `[start, end)`. */
export function usesWithin(scopes: Scopes, start: number, end: number): NameUse[] {
  const { uses } = scopes;
  let low = 0;
  let high = uses.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (uses[middle]!.start < start) low = middle + 1;
    else high = middle;
  }
  const found: NameUse[] = [];
  for (let i = low; i < uses.length && uses[i]!.start < end; i++) found.push(uses[i]!);
  return found;
}
