/**
 * What a top-level expression uses, as text: when it is the same, and what it
 * imports is, the expression gives the same value again, as far as code can
 * tell. On the safe side: a statement before it that so much as mentions a
 * name it uses belongs to it, and all that statement mentions too.
 */
import { boundNames, eachChild, type Node } from './node.js';
import type { Outline } from './outline.js';

export interface Uses {
  /** The expression and all statements that belong to it. */
  text: string;
  /** Specifiers of the imports among them. */
  imports: string[];
}

/** Names of the language that programs do not change; mentioning them connects nothing. */
const INTRINSIC = new Set(
  (
    'undefined NaN Infinity console Math JSON Object Array String Number Boolean BigInt Symbol Map Set WeakMap ' +
    'WeakSet Promise Date RegExp Error TypeError RangeError SyntaxError URL Uint8Array Float64Array ' +
    'Int32Array parseInt parseFloat isNaN isFinite structuredClone'
  ).split(' '),
);

/** @param node an expression in one of the outline's top-level statements */
export function usesOf(outline: Outline, node: Node): Uses {
  const { text } = outline.parsed;
  const own = outline.statements.find((statement) => statement.start <= node.start && statement.end >= node.end);
  const names = mentioned(node);
  // What is evaluated from text may use anything.
  const everything = /\beval\b|\bFunction\s*\(|\bglobalThis\b|\bwith\s*\(/.test(text);
  const mentions = outline.statements.map((statement) => ({ statement, names: undefined as Set<string> | undefined }));
  const taken = new Set<number>();
  for (let grown = true; grown;) {
    grown = false;
    mentions.forEach((entry, index) => {
      const { statement } = entry;
      if (taken.has(index) || statement === own || statement.kind === 'type') return;
      entry.names ??= mentioned(statement.node);
      const before = own === undefined || statement.end <= own.start;
      // What stands behind has not run yet; but a function declared there may be called.
      const concerns = before ? everything || overlap(entry.names, names) : declares(statement.node, names);
      if (!concerns) return;
      taken.add(index);
      for (const name of entry.names) names.add(name);
      grown = true;
    });
  }
  const parts = [text.slice(node.start, node.end)];
  const imports: string[] = [];
  mentions.forEach(({ statement }, index) => {
    if (!taken.has(index)) return;
    parts.push(text.slice(statement.start, statement.end));
    const specifier = (statement.node.source as Node | undefined)?.value as string | undefined;
    if (specifier !== undefined) imports.push(specifier);
  });
  for (const call of outline.dynamicImports)
    if (parts.some((part) => part.includes(call.specifier))) imports.push(call.specifier);
  return { text: parts.join('\n\u0000\n'), imports: [...new Set(imports)] };
}

function overlap(some: ReadonlySet<string>, others: ReadonlySet<string>): boolean {
  for (const name of some) if (others.has(name)) return true;
  return false;
}

function declares(statement: Node, names: ReadonlySet<string>): boolean {
  const node = (statement.type.startsWith('Export') ? statement.declaration : statement) as Node | null;
  if (!node) return false;
  if (node.type === 'VariableDeclaration')
    return (node.declarations as Node[]).some((one) => boundNames(one.id).some((id) => names.has(id.name as string)));
  if (statement.type === 'ImportDeclaration')
    return (statement.specifiers as Node[]).some((one) => names.has(one.local.name as string));
  return node.id ? names.has(node.id.name as string) : false;
}

/** Every name in a piece of code but those of properties and keys. */
function mentioned(root: Node): Set<string> {
  const names = new Set<string>();
  const visit = (node: Node): void => {
    if (node.type === 'Identifier' || node.type === 'JSXIdentifier') {
      if (!INTRINSIC.has(node.name)) names.add(node.name);
      return;
    }
    if (node.type === 'ImportDeclaration') {
      for (const one of node.specifiers as Node[]) names.add(one.local.name as string);
      return;
    }
    if (node.type === 'ExportNamedDeclaration')
      for (const one of (node.specifiers ?? []) as Node[]) if (one.local?.name) names.add(one.local.name as string);
    eachChild(node, (child) => {
      if (
        (node.type === 'MemberExpression' || node.type === 'OptionalMemberExpression') &&
        child === node.property &&
        !node.computed
      )
        return;
      if (
        /^(Object|Class)(Property|Method)|^ClassAccessor/.test(node.type) &&
        child === node.key &&
        !node.computed &&
        node.shorthand !== true
      )
        return;
      visit(child);
    });
  };
  visit(root);
  return names;
}
