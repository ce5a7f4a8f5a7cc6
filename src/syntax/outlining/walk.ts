/** The walk over the tree of a file: each node goes to the part that knows it. */
import { eachChild, type Node } from '../node.js';
import { refer, type Collector, type Scope, type Visit } from './collector.js';
import { enterClass, enterFunction, named } from './functions.js';
import { calleeName, memberPath } from './names.js';
import { target } from './patterns.js';
import { walkDeclaration, walkExport, walkScoped } from './statements.js';
import { walkElement, walkTypeScript } from './typescript.js';

const BLOCKS = new Set([
  'BlockStatement',
  'ForStatement',
  'ForInStatement',
  'ForOfStatement',
  'SwitchStatement',
  'CatchClause',
  'StaticBlock',
  'TSModuleDeclaration',
]);

export function walk(c: Collector, node: Node, scope: Scope): void {
  const block = BLOCKS.has(node.type);
  if (block) c.blocks++;
  walkNode(c, node, scope);
  if (block) c.blocks--;
}

function walkNode(c: Collector, node: Node, scope: Scope): void {
  switch (node.type) {
    case 'Identifier':
      refer(c, scope, node, 'read');
      return;
    case 'StringLiteral':
    case 'NumericLiteral':
    case 'ThisExpression':
      return;
    case 'MemberExpression':
    case 'OptionalMemberExpression':
      if (node.object.type === 'Identifier') refer(c, scope, node.object, 'member');
      else walk(c, node.object, scope);
      if (node.computed) walk(c, node.property, scope);
      return;
    case 'CallExpression':
    case 'OptionalCallExpression':
    case 'NewExpression': {
      if (node.typeArguments || node.typeParameters) c.outline.hasTypes = true;
      const { callee } = node;
      if (callee.type === 'Identifier') refer(c, scope, callee, node.type === 'NewExpression' ? 'read' : 'call');
      else walk(c, callee, scope);
      const first = node.arguments[0];
      if (first?.type === 'StringLiteral') {
        if (callee.type === 'Import')
          c.outline.dynamicImports.push({ specifier: first.value, start: first.start, end: first.end, call: 'import' });
        else if (callee.type === 'Identifier' && callee.name === 'require')
          c.outline.dynamicImports.push({
            specifier: first.value,
            start: first.start,
            end: first.end,
            call: 'require',
          });
      }
      for (const argument of node.arguments) named(c, argument, `${calleeName(callee)}()`, scope);
      return;
    }
    case 'AssignmentExpression':
      target(c, node.left, scope, node);
      named(c, node.right, node.left.type === 'Identifier' ? node.left.name : memberPath(node.left), scope);
      return;
    case 'UpdateExpression':
      target(c, node.argument, scope, node);
      return;
    case 'UnaryExpression':
      if (node.operator === 'delete') target(c, node.argument, scope, node);
      else if (node.operator === 'typeof' && node.argument.type === 'Identifier') {
        c.outline.asked.add(node.argument.name);
        refer(c, scope, node.argument, 'read');
      } else walk(c, node.argument, scope);
      return;
    case 'AwaitExpression':
      if (c.currentFunction < 0) c.outline.topLevelAwait = true;
      walk(c, node.argument, scope);
      return;
    case 'MetaProperty':
      if (node.meta.name === 'import') c.outline.usesImportMeta = true;
      return;
    case 'TaggedTemplateExpression':
      if (node.typeParameters || node.typeArguments) c.outline.hasTypes = true;
      if (node.tag.type === 'Identifier') refer(c, scope, node.tag, 'tag');
      else walk(c, node.tag, scope);
      for (const expression of node.quasi.expressions) walk(c, expression, scope);
      return;
    default:
      if (walkDeclaration(c, node, scope) || walkScoped(c, node, scope) || walkExport(c, node, scope)) return;
      if (walkElement(c, node, scope) || walkTypeScript(c, node, scope)) return;
      if (node.type.startsWith('TS')) {
        c.outline.hasTypes = true;
        return;
      }
      eachChild(node, (child) => walk(c, child, scope));
  }
}

export const VISIT: Visit = { walk, named, enterFunction, enterClass };
