/** Exports: the declarations in them, and the default. */
import type { Node } from '../syntax/node.js';
import { countStatement } from './blocks.js';
import { keepConstEnum, loosenConstant, visitDeclarators, visitNamespace } from './declarations.js';
import { requireInPlace } from './interop.js';
import { probeValue } from './probes.js';
import { isDefinition } from './safety.js';
import { newlinesIn, type Context, type Walk } from './walk.js';

/** Walks `export …`. Returns the cell that counts it, or -1 when it has none. */
export function visitNamedExport(walk: Walk, context: Context, node: Node, shared: number): number {
  const { facts, out } = walk;
  const { declaration } = node;
  if (!declaration) {
    if (facts.interop && node.source) requireInPlace(walk, node);
    else if (facts.linked) out.edits.remove(node.start, node.end);
    return -1;
  }
  const isType =
    node.exportKind === 'type' ||
    declaration.declare ||
    (declaration.type.startsWith('TS') && !/^TS(Enum|Module)Declaration$/.test(declaration.type));
  if (isType) {
    out.edits.remove(node.start, node.end);
    return -1;
  }
  const isCounted = declaration.type !== 'FunctionDeclaration' && declaration.type !== 'TSModuleDeclaration';
  const { cell, inside } = isCounted ? countStatement(walk, context, node, shared) : { cell: -1, inside: context };
  if (facts.linked) {
    const first = facts.text.startsWith('export', node.start);
    const at = first ? node.start : facts.text.lastIndexOf('export', declaration.body?.start ?? declaration.end);
    out.edits.blank(at, at + 6);
  }
  visitExported(walk, inside, declaration, node.end);
  return cell;
}

function visitExported(walk: Walk, context: Context, declaration: Node, end: number): void {
  switch (declaration.type) {
    case 'VariableDeclaration':
      loosenConstant(walk, declaration);
      visitDeclarators(walk, context, declaration, end);
      break;
    case 'FunctionDeclaration':
      if (declaration.body) walk.visit.functionNode(walk, context, declaration);
      break;
    case 'ClassDeclaration':
      walk.visit.classNode(walk, context, declaration);
      break;
    case 'TSEnumDeclaration':
      keepConstEnum(walk, declaration);
      break;
    case 'TSModuleDeclaration':
      if (declaration.body?.type === 'TSModuleBlock') visitNamespace(walk, context, declaration.body);
      break;
  }
}

/** Walks `export default …`. Returns the cell that counts it, or -1 when it has none. */
export function visitDefaultExport(walk: Walk, context: Context, node: Node, shared: number): number {
  const { facts, out, visit } = walk;
  const { declaration } = node;
  if (declaration.type.startsWith('TS')) {
    if (facts.linked) out.edits.remove(node.start, node.end);
    return -1;
  }
  if (declaration.type === 'FunctionDeclaration') {
    if (facts.linked) linkDefaultFunction(walk, node, declaration);
    visit.functionNode(walk, context, declaration);
    return -1;
  }
  const { cell, inside } = countStatement(walk, context, node, shared);
  if (declaration.type === 'ClassDeclaration' && declaration.id) {
    if (facts.linked) out.edits.blank(node.start, declaration.start);
    visit.classNode(walk, inside, declaration);
    return cell;
  }
  const held = facts.options.patchable && !facts.linked;
  if (held) out.defaultValue = true;
  if (facts.linked || held) holdDefault(walk, inside, node, declaration);
  else visitDefaultValue(walk, inside, declaration);
  return cell;
}

function linkDefaultFunction({ facts, out }: Walk, node: Node, declaration: Node): void {
  out.edits.blank(node.start, declaration.start);
  if (declaration.id) return;
  out.edits.insert(facts.text.indexOf('(', declaration.start), ` ${facts.names.default}`);
  out.defaultFunction = true;
}

/** The value of `export default` in a variable of ours. */
function holdDefault(walk: Walk, context: Context, node: Node, declaration: Node): void {
  const { facts, out } = walk;
  // `{ default: … }.default` gives an anonymous function or class the name "default", as the language does.
  const start = declaration.extra?.parenthesized === true ? declaration.extra.parenStart : declaration.start;
  const keyword = facts.options.patchable ? 'let' : 'const';
  out.edits.replace(
    node.start,
    start,
    `${keyword} ${facts.names.default}={default:${newlinesIn(walk, node.start, start)}`,
  );
  visitDefaultValue(walk, context, declaration);
  const isClass = declaration.type === 'ClassDeclaration';
  const hasSemicolon = facts.text[node.end - 1] === ';';
  const end: number = isClass ? declaration.end : hasSemicolon ? node.end - 1 : node.end;
  out.edits.insert(end, '}.default');
  if (!hasSemicolon || isClass) out.edits.insert(end, ';');
}

function visitDefaultValue(walk: Walk, context: Context, declaration: Node): void {
  if (declaration.type === 'ClassDeclaration') walk.visit.classNode(walk, context, declaration);
  else if (walk.facts.values && !isDefinition(declaration))
    probeValue(walk, context, 'declaration', declaration, 'default');
  else walk.visit.expression(walk, context, declaration, false);
}
