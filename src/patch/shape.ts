/**
 * What a piece of code means, as text: places, comments, parentheses and types are left out, so that only what runs is
 * compared.
 */
import { bare, type Node } from '../syntax/node.js';

const SKIPPED = new Set([
  'type',
  'start',
  'end',
  'loc',
  'extra',
  'leadingComments',
  'trailingComments',
  'innerComments',
  'errors',
  'typeAnnotation',
  'returnType',
  'typeParameters',
  'typeArguments',
  'superTypeParameters',
  'implements',
  'accessibility',
  'readonly',
  'abstract',
  'override',
  'definite',
  'optional',
  'tail',
]);

/**
 * @param mask gives the text that stands for a node that is compared on its own, or undefined
 */
export function shapeOf(node: Node, mask: (node: Node) => string | undefined): string {
  const parts: string[] = [];
  const visit = (given: Node): void => {
    const inner = bare(given);
    const masked = mask(inner);
    if (masked !== undefined) {
      parts.push(masked);
      return;
    }
    if (/^TS(Interface|TypeAlias|Declare)/.test(inner.type)) return;
    parts.push(inner.type);
    if (inner.optional === true && inner.type.startsWith('Optional')) parts.push('?.');
    parts.push('(');
    for (const key of Object.keys(inner)) {
      if (SKIPPED.has(key)) continue;
      const value: unknown = inner[key];
      if (value === null || value === undefined || value === false) continue;
      if (Array.isArray(value)) {
        if (value.length === 0) continue;
        parts.push(key, '[');
        for (const child of value) {
          if (child === null) parts.push('-');
          else if (typeof child === 'object') visit(child as Node);
          else parts.push(String(child));
          parts.push(',');
        }
        parts.push(']');
      } else if (typeof value === 'object') {
        parts.push(key, ':');
        if (typeof (value as Node).type === 'string') visit(value as Node);
        else parts.push(JSON.stringify(value));
      } else {
        parts.push(key, '=', typeof value, JSON.stringify(typeof value === 'bigint' ? String(value) : value));
      }
      parts.push(';');
    }
    parts.push(')');
  };
  visit(node);
  return parts.join('');
}

/**
 * How alike two texts are, from 0 to 1: the Dice coefficient of their words and signs (Dice 1945), each counted as
 * often as it stands there.
 */
export function likeness(a: string, b: string): number {
  if (a === b) return 1;
  const words = (text: string): Map<string, number> => {
    const counts = new Map<string, number>();
    for (const [word] of text.matchAll(/[\p{ID_Continue}$]+|[^\s\p{ID_Continue}$]/gu))
      counts.set(word, (counts.get(word) ?? 0) + 1);
    return counts;
  };
  const left = words(a);
  const right = words(b);
  let shared = 0;
  let total = 0;
  for (const [word, count] of left) {
    total += count;
    shared += Math.min(count, right.get(word) ?? 0);
  }
  for (const count of right.values()) total += count;
  return total === 0 ? 1 : (2 * shared) / total;
}
