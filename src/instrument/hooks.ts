/** Hooks: places in the code of a live module where later code is compiled, so that it sees the variables there. */
import { isFunction, type Node } from '../syntax/node.js';
import { hookName, hookText, nestingOf } from './slots.js';
import type { Walk } from './walk.js';

/** The hooks that stand at the head of a scope; empty where it has none. */
export function scopeHooks({ facts: { points, outline, functions, prefix, names } }: Walk, node: Node): string {
  if (points === undefined) return '';
  let text = '';
  if (points.hooks.has(node)) {
    const around = isFunction(node)
      ? functions.get(node)!
      : outline.functions.findLastIndex((info) => info.start <= node.start && info.end >= node.end);
    text = `const ${hookName(prefix, nestingOf(outline, around))}=${hookText(prefix)};`;
  }
  const holders = points.holders.get(node);
  if (holders) text += `let ${holders.map((index) => `${names.classScope}${index}`).join(',')};`;
  return text;
}

/** Places the hooks of blocks; those of functions stand with their heads. */
export function placeHooks(walk: Walk): void {
  const { facts, out } = walk;
  const { points } = facts;
  if (points === undefined) return;
  for (const node of new Set([...points.hooks, ...points.holders.keys()])) {
    if (isFunction(node)) continue;
    const text = scopeHooks(walk, node);
    if (node.type === 'BlockStatement') out.edits.insert(node.start + 1, text);
    else if (node.type === 'StaticBlock') out.edits.insert(facts.text.indexOf('{', node.start) + 1, text);
    else {
      out.edits.insert(node.start, `{${text}`);
      out.wrapped.add(node);
    }
  }
}
