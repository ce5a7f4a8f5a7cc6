/** Names as the text writes them. */
import type { Node } from '../node.js';

export function nameOf(node: Node): string {
  return node.type === 'StringLiteral' ? node.value : node.name;
}

export function nameOfPattern(node: Node): string {
  return node.type === 'Identifier' ? node.name : '';
}

/** The name of a class or object member as written: `advance`, `#level`, `'a b'`, `[expression]`. */
export function memberName(member: Node): string {
  const { key } = member;
  if (member.computed) return '[computed]';
  if (!key) return '';
  if (key.type === 'PrivateName') return `#${key.id.name}`;
  if (key.type === 'Identifier') return key.name;
  return String(key.value);
}

export function calleeName(node: Node): string {
  return memberPath(node) || 'call';
}

export function memberPath(node: Node): string {
  if (node.type === 'Identifier') return node.name;
  if (node.type === 'ThisExpression') return 'this';
  if ((node.type === 'MemberExpression' || node.type === 'OptionalMemberExpression') && !node.computed) {
    const property = node.property.type === 'PrivateName' ? `#${node.property.id.name}` : node.property.name;
    const object = memberPath(node.object);
    return object ? `${object}.${property}` : property;
  }
  return '';
}
