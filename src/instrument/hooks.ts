/** Hooks: places in the code of a live module through which later code sees the variables there. */
import { isFunction, type Node } from '../syntax/node.js';
import { keptPlace } from './outer-names.js';
import { hookName, hookText, nestingOf, reachText } from './slots.js';
import type { Scope } from '../syntax/scope-data.js';
import { THIS } from './captures.js';
import type { Walk } from './walk.js';

/** The hooks that stand at the head of a scope; empty where it has none. */
export function scopeHooks(walk: Walk, node: Node): string {
  const { points, outline, functions, prefix, names } = walk.facts;
  if (points === undefined) return '';
  let text = '';
  const kept = points.hooks.get(node);
  if (kept !== undefined) {
    const around = isFunction(node)
      ? functions.get(node)!
      : outline.functions.findLastIndex((info) => info.start <= node.start && info.end >= node.end);
    const hook =
      kept === 'whole'
        ? hookText(prefix)
        : reachText(
            prefix,
            [...kept].map(([name, scope]) => ({ name, place: keptPlace(walk, name, scope), ...writable(name, scope) })),
          );
    text = `const ${hookName(prefix, nestingOf(outline, around))}=${hook};`;
  }
  const holders = points.holders.get(node);
  if (holders) text += `let ${holders.map((index) => `${names.classScope}${index}`).join(',')};`;
  return text;
}

function writable(name: string, scope: Scope): { constant: boolean } {
  return { constant: name === THIS || name === 'arguments' || scope.constants?.has(name) === true };
}

/** Places the hooks of blocks; those of functions stand with their heads. */
export function placeHooks(walk: Walk): void {
  const { facts, out } = walk;
  const { points } = facts;
  const { root } = facts.options;
  if (points === undefined) return;
  for (const node of new Set([...points.hooks.keys(), ...points.holders.keys()])) {
    if (isFunction(node) || (root && (node.start < root.start || node.end > root.end))) continue;
    const text = scopeHooks(walk, node);
    if (node.type === 'BlockStatement') out.edits.insert(node.start + 1, text);
    else if (node.type === 'StaticBlock') out.edits.insert(facts.text.indexOf('{', node.start) + 1, text);
    else {
      out.edits.insert(node.start, `{${text}`);
      out.wrapped.add(node);
    }
  }
}
