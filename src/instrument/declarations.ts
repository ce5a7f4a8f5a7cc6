/**
 * Variable declarations, expressions that are statements, and the declarations that TypeScript has beyond the language.
 */
import { bare, boundNames, type Node } from '../syntax/node.js';
import { consoleMethod, declaredTest, isExpectation, isTool } from './calls.js';
import { ownNames, visitPattern, visitTarget } from './patterns.js';
import { addSite, countText, insertBehind, openProbe, probeValue, sampleNames } from './probes.js';
import { isAssertion, isDefinition } from './safety.js';
import { nameFrom, type Context, type Walk } from './walk.js';
import { propertyWrite, type Written } from './writes.js';

/** Walks the declarators; samples each name bound, in order, behind the statement's `end`. */
export function visitDeclarators(walk: Walk, context: Context, node: Node, end: number): void {
  const { facts, visit } = walk;
  const isUsing = node.kind === 'using' || node.kind === 'await using';
  let after = '';
  for (const declarator of node.declarations as Node[]) {
    const { id, init } = declarator;
    if (id.type !== 'Identifier') {
      visitPattern(walk, context, id);
      if (init) visit.expression(walk, context, init, false);
      if (facts.values && init) after += sampleNames(walk, context, 'declaration', boundNames(id));
    } else if (init) {
      if (!facts.values || isDefinition(init) || isUsing) {
        visit.expression(walk, context, init, false);
        if (facts.steps) after += sampleNames(walk, context, 'step', [id]);
      } else probeValue(walk, context, 'declaration', init, id.name, id.start, id.start + id.name.length);
    } else if (facts.steps) after += sampleNames(walk, context, 'step', [id]);
  }
  insertBehind(walk, end, after);
}

/** A top-level constant of patchable code is a variable that only patches assign. */
export function loosenConstant({ facts, out }: Walk, declaration: Node): void {
  if (facts.topConstants.has(declaration)) out.edits.replace(declaration.start, declaration.start + 5, 'let');
}

export function visitExpressionStatement(walk: Walk, context: Context, node: Node): void {
  const { facts, known, marks, out, visit } = walk;
  const { expression } = node;
  const inner = bare(expression);
  // Put in parentheses, the call would go on with the statement above it where that has no semicolon.
  if (context.making !== undefined && inner.type === 'CallExpression' && inner.callee.type === 'Super')
    out.edits.insert(node.start, 'void');
  // What a test gives stands at its line anyhow; its promise says nothing.
  const isTest =
    inner.type === 'CallExpression' &&
    declaredTest(walk, inner) !== undefined &&
    !marks.at.has(inner) &&
    !marks.at.has(expression);
  if (!facts.values || isAssertion(node) || isTest || isExpectation(walk, inner) || isTool(walk, inner)) {
    visit.expression(walk, context, expression, true);
    return;
  }
  switch (inner.type) {
    case 'AssignmentExpression':
      visit.expression(walk, context, expression, true);
      if (inner.left.type === 'ObjectPattern' || inner.left.type === 'ArrayPattern')
        insertBehind(walk, node.end, sampleNames(walk, context, 'assignment', ownNames(walk, inner.left)));
      return;
    case 'UpdateExpression':
      if (known.constantWrites.has(inner) || known.exportedWrites.has(inner))
        visit.expression(walk, context, inner, true);
      else visitUpdate(walk, context, inner);
      return;
    case 'YieldExpression':
    case 'FunctionExpression':
    case 'ClassExpression':
      visit.expression(walk, context, expression, true);
      return;
    case 'CallExpression':
      if (inner.callee.type === 'Super' || consoleMethod(walk, inner) !== undefined) {
        visit.expression(walk, context, expression, true);
        return;
      }
  }
  probeValue(walk, context, 'expression', expression);
}

/** `x++` alone on its line shows what `x` is now: its prefix form has the same effect and that value. */
function visitUpdate(walk: Walk, context: Context, node: Node): void {
  const { facts, out } = walk;
  const { argument } = node;
  const operator = node.prefix ? '' : (node.operator as string);
  const id = addSite(walk, context, 'assignment', node.start, node.end, nameFrom(walk, argument));
  const closing = openProbe(walk, context, id, node.start, facts.steps ? '' : operator);
  const slot = facts.steps ? out.edits.reserve(node.start) : -1;
  const written: Written[] = [];
  visitTarget(walk, context, argument, written);
  const write = written.length > 0 ? propertyWrite(walk, id, written[0]!) : { opening: '', closing: '' };
  if (facts.steps) out.edits.fill(slot, `${write.opening}${operator}`);
  if (!node.prefix) out.edits.replace(node.end - 2, node.end, '');
  out.edits.insert(node.end, `${write.closing}${closing}`);
}

/** A constant enum is there while the program runs too: other files, compiled one by one, ask for it. */
export function keepConstEnum({ facts, out }: Walk, node: Node): void {
  if (node.const === true && facts.linked) out.edits.blank(node.start, node.start + 5);
}

/**
 * `import x = require('…')` is a constant; `import A = N.b` is left to TypeScript, where what it means is not a type
import { propertyWrite, type Written } from './writes.js';
 * alone.
 */
export function linkImportEquals({ facts, out }: Walk, node: Node): void {
  const { moduleReference } = node;
  if (!facts.linked || moduleReference.type !== 'TSExternalModuleReference') return;
  out.edits.replace(node.start, node.start + 6, 'const');
  // An ES module has no `require` of its own.
  if (facts.outline.parsed.goal === 'module')
    out.edits.replace(moduleReference.start, moduleReference.start + 7, `${facts.names.module}.require`);
}

/** Walks the block of a namespace. */
export function visitNamespace(walk: Walk, context: Context, block: Node): void {
  const { facts, out, visit } = walk;
  let before = -1;
  for (const statement of block.body as Node[]) {
    if (before >= 0) out.edits.statement(statement.start, before);
    before = statement.end;
    const declaration =
      statement.type === 'ExportNamedDeclaration' ? (statement.declaration as Node | null) : undefined;
    if (!declaration) {
      visit.statement(walk, context, statement, -1);
      continue;
    }
    if (declaration.type === 'VariableDeclaration') {
      if (facts.counts)
        out.edits.insert(
          statement.start,
          `${countText(walk, addSite(walk, context, 'statement', statement.start, statement.end))};`,
        );
      visitDeclarators(walk, context, declaration, statement.end);
    } else if (declaration.type === 'FunctionDeclaration' && declaration.body)
      visit.functionNode(walk, context, declaration);
    else if (declaration.type === 'ClassDeclaration') visit.classNode(walk, context, declaration);
    else if (declaration.type === 'TSModuleDeclaration' && declaration.body?.type === 'TSModuleBlock')
      visitNamespace(walk, context, declaration.body);
  }
}
