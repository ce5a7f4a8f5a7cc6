/** Functions and classes, with their paths. */
import { boundNames, type Node } from '../node.js';
import { declare, hoist, isLowered, uniquePath, type Collector, type Scope } from './collector.js';
import type { FunctionKind } from './data.js';
import { memberName } from './names.js';
import { patternParts } from './patterns.js';
import { decoratedTypes, markTypes } from './types.js';

export function enterFunction(
  c: Collector,
  node: Node,
  scope: Scope,
  name: string,
  kind: FunctionKind,
  owner: number,
  isStatic: boolean,
): void {
  if (node.typeParameters || node.returnType || node.accessibility || node.override || node.optional)
    c.outline.hasTypes = true;
  const index = c.outline.functions.length;
  c.outline.functions.push({
    node,
    kind,
    name,
    path: uniquePath(c, name || '()'),
    start: node.start,
    end: node.end,
    parent: c.currentFunction,
    owner,
    isStatic,
    async: node.async === true,
    generator: node.generator === true,
    inBlock: c.blocks > 0,
  });
  const inner: Scope = { parent: scope, isFunction: true, names: null };
  if (node.type === 'FunctionExpression' && node.id) declare(c, inner, node.id.name);
  const outerFunction = c.currentFunction;
  const outerBlocks = c.blocks;
  c.currentFunction = index;
  c.blocks = 0;
  c.pathNames.push(name || '()');
  for (const parameter of node.params as Node[]) for (const id of boundNames(parameter)) declare(c, inner, id.name);
  for (const parameter of node.params as Node[]) {
    if (parameter.type === 'Identifier' && parameter.name === 'this') c.outline.hasTypes = true;
    markTypes(c, parameter);
    patternParts(c, parameter, inner);
  }
  if (node.body.type === 'BlockStatement') {
    hoist(c, node.body.body, inner);
    for (const statement of node.body.body) c.visit.walk(c, statement, inner);
  } else c.visit.named(c, node.body, '', inner);
  c.pathNames.pop();
  c.currentFunction = outerFunction;
  c.blocks = outerBlocks;
}

export function enterClass(c: Collector, node: Node, scope: Scope, name: string): void {
  if (node.typeParameters || node.superTypeParameters || node.implements?.length || node.abstract || node.declare)
    c.outline.hasTypes = true;
  if (node.decorators?.length) isLowered(c);
  for (const decorator of node.decorators ?? []) c.visit.walk(c, decorator.expression, scope);
  const inner: Scope = { parent: scope, isFunction: false, names: null };
  if (node.id) declare(c, inner, node.id.name);
  if (node.superClass) c.visit.walk(c, node.superClass, inner);
  const index = c.outline.classes.length;
  c.outline.classes.push({
    node,
    name,
    path: uniquePath(c, name || 'class'),
    start: node.start,
    end: node.end,
    parent: c.currentFunction,
  });
  c.pathNames.push(name || 'class');
  for (const member of node.body.body as Node[]) {
    markTypes(c, member);
    decoratedTypes(c, member, scope, (node.decorators?.length as number) > 0);
    for (const decorator of member.decorators ?? []) c.visit.walk(c, decorator.expression, inner);
    for (const parameter of (member.params ?? []) as Node[])
      for (const decorator of parameter.decorators ?? []) c.visit.walk(c, decorator.expression, scope);
    if (member.computed && member.key) c.visit.walk(c, member.key, inner);
    switch (member.type) {
      case 'ClassMethod':
      case 'ClassPrivateMethod': {
        const kind: FunctionKind =
          member.kind === 'get'
            ? 'getter'
            : member.kind === 'set'
              ? 'setter'
              : member.kind === 'constructor'
                ? 'constructor'
                : 'method';
        c.visit.enterFunction(c, member, inner, memberName(member), kind, index, member.static === true);
        break;
      }
      case 'ClassProperty':
      case 'ClassPrivateProperty':
      case 'ClassAccessorProperty':
        if (member.type === 'ClassAccessorProperty' || c.assignsFields) isLowered(c);
        if (member.value) {
          c.visit.named(c, member.value, memberName(member), { parent: inner, isFunction: true, names: null });
        }
        break;
      case 'StaticBlock': {
        const block: Scope = { parent: inner, isFunction: true, names: null };
        hoist(c, member.body, block);
        for (const statement of member.body) c.visit.walk(c, statement, block);
        break;
      }
      default:
        c.outline.hasTypes = true;
    }
  }
  c.pathNames.pop();
}

/** Walks an expression that takes `name` from where it stands. */
export function named(c: Collector, node: Node, name: string, scope: Scope): void {
  switch (node.type) {
    case 'ArrowFunctionExpression':
      c.visit.enterFunction(c, node, scope, name, 'arrow', -1, false);
      break;
    case 'FunctionExpression':
      c.visit.enterFunction(c, node, scope, node.id?.name ?? name, 'function', -1, false);
      break;
    case 'ClassExpression':
      c.visit.enterClass(c, node, scope, node.id?.name ?? name);
      break;
    default:
      c.visit.walk(c, node, scope);
  }
}
