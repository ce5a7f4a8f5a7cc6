/** Statements that bind names or have a scope of their own. */
import { boundNames, type Node } from '../node.js';
import { declare, functionScope, hoist, isLowered, refer, type Collector, type Scope } from './collector.js';
import type { FunctionKind } from './data.js';
import { memberName, nameOfPattern } from './names.js';
import { patternParts, target } from './patterns.js';
import { markTypes } from './types.js';

/** Walks a declaration, or a function, class or object that stands in an expression. Returns false for other nodes. */
export function walkDeclaration(c: Collector, node: Node, scope: Scope): boolean {
  switch (node.type) {
    case 'FunctionDeclaration':
      if (node.id && node.body) declare(c, scope, node.id.name);
      c.visit.enterFunction(c, node, scope, node.id?.name ?? 'default', 'function', -1, false);
      return true;
    case 'FunctionExpression':
    case 'ArrowFunctionExpression':
    case 'ClassExpression':
      c.visit.named(c, node, '', scope);
      return true;
    case 'ClassDeclaration':
      if (node.declare) {
        c.outline.hasTypes = true;
        return true;
      }
      c.visit.enterClass(c, node, scope, node.id?.name ?? 'default');
      return true;
    case 'ObjectExpression':
      for (const property of node.properties as Node[]) {
        if (property.type === 'SpreadElement') c.visit.walk(c, property.argument, scope);
        else if (property.type === 'ObjectMethod') {
          if (property.computed) c.visit.walk(c, property.key, scope);
          const kind: FunctionKind = property.kind === 'get' ? 'getter' : property.kind === 'set' ? 'setter' : 'method';
          c.visit.enterFunction(c, property, scope, memberName(property), kind, -1, false);
        } else {
          if (property.computed) c.visit.walk(c, property.key, scope);
          if (property.shorthand && property.value.type === 'Identifier') refer(c, scope, property.value, 'shorthand');
          else c.visit.named(c, property.value, memberName(property), scope);
        }
      }
      return true;
    case 'VariableDeclaration': {
      if (node.declare) {
        c.outline.hasTypes = true;
        return true;
      }
      if (node.kind === 'using' || node.kind === 'await using') isLowered(c);
      if (node.kind === 'await using' && c.currentFunction < 0) c.outline.topLevelAwait = true;
      const into = node.kind === 'var' ? functionScope(scope) : scope;
      for (const declarator of node.declarations as Node[]) {
        for (const id of boundNames(declarator.id)) declare(c, into, id.name);
        markTypes(c, declarator.id);
        if (declarator.definite) c.outline.hasTypes = true;
        patternParts(c, declarator.id, scope);
        if (declarator.init) c.visit.named(c, declarator.init, nameOfPattern(declarator.id), scope);
      }
      return true;
    }
    default:
      return false;
  }
}

/** Walks a statement with a scope of its own. Returns false for other nodes. */
export function walkScoped(c: Collector, node: Node, scope: Scope): boolean {
  switch (node.type) {
    case 'BlockStatement': {
      const inner: Scope = { parent: scope, isFunction: false, names: null };
      hoist(c, node.body, inner);
      for (const statement of node.body) c.visit.walk(c, statement, inner);
      return true;
    }
    case 'ForStatement':
    case 'ForInStatement':
    case 'ForOfStatement': {
      if (node.await && c.currentFunction < 0) c.outline.topLevelAwait = true;
      const inner: Scope = { parent: scope, isFunction: false, names: null };
      if (node.type === 'ForStatement') {
        if (node.init) {
          hoist(c, [node.init], inner);
          c.visit.walk(c, node.init, inner);
        }
        if (node.test) c.visit.walk(c, node.test, inner);
        if (node.update) c.visit.walk(c, node.update, inner);
      } else {
        if (node.left.type === 'VariableDeclaration') {
          hoist(c, [node.left], inner);
          c.visit.walk(c, node.left, inner);
        } else target(c, node.left, inner, node);
        c.visit.walk(c, node.right, inner);
      }
      c.visit.walk(c, node.body, inner);
      return true;
    }
    case 'SwitchStatement': {
      c.visit.walk(c, node.discriminant, scope);
      const inner: Scope = { parent: scope, isFunction: false, names: null };
      for (const branch of node.cases) hoist(c, branch.consequent, inner);
      for (const branch of node.cases) {
        if (branch.test) c.visit.walk(c, branch.test, inner);
        for (const statement of branch.consequent) c.visit.walk(c, statement, inner);
      }
      return true;
    }
    case 'CatchClause': {
      const inner: Scope = { parent: scope, isFunction: false, names: null };
      if (node.param) {
        for (const id of boundNames(node.param)) declare(c, inner, id.name);
        markTypes(c, node.param);
        patternParts(c, node.param, inner);
      }
      c.visit.walk(c, node.body, inner);
      return true;
    }
    default:
      return false;
  }
}

/** Walks imports and exports. Returns false for other nodes. */
export function walkExport(c: Collector, node: Node, scope: Scope): boolean {
  switch (node.type) {
    case 'ImportDeclaration':
    case 'ExportAllDeclaration':
      return true;
    case 'ExportNamedDeclaration':
      if (node.declaration) c.visit.walk(c, node.declaration, scope);
      else if (!node.source)
        for (const specifier of node.specifiers as Node[])
          if (specifier.local?.type === 'Identifier' && specifier.exportKind !== 'type')
            refer(c, scope, specifier.local, 'export');
      return true;
    case 'ExportDefaultDeclaration':
      if (node.declaration.type === 'FunctionDeclaration' || node.declaration.type === 'ClassDeclaration')
        c.visit.walk(c, node.declaration, scope);
      else if (node.declaration.type.startsWith('TS')) c.outline.hasTypes = true;
      else c.visit.named(c, node.declaration, 'default', scope);
      return true;
    default:
      return false;
  }
}
