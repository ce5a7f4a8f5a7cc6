/** Binding patterns and assignment targets. */
import type { Node } from '../node.js';
import { refer, type Collector, type Scope } from './collector.js';
import { nameOfPattern } from './names.js';
import { markTypes } from './types.js';

export function patternParts(c: Collector, pattern: Node | null, scope: Scope): void {
  if (!pattern) return;
  markTypes(c, pattern);
  switch (pattern.type) {
    case 'ObjectPattern':
      for (const property of pattern.properties) {
        if (property.type === 'RestElement') patternParts(c, property.argument, scope);
        else {
          if (property.computed) c.visit.walk(c, property.key, scope);
          patternParts(c, property.value, scope);
        }
      }
      break;
    case 'ArrayPattern':
      for (const element of pattern.elements) patternParts(c, element, scope);
      break;
    case 'AssignmentPattern':
      patternParts(c, pattern.left, scope);
      c.visit.named(c, pattern.right, nameOfPattern(pattern.left), scope);
      break;
    case 'RestElement':
      patternParts(c, pattern.argument, scope);
      break;
    case 'TSParameterProperty':
      c.outline.needsTranslation = true;
      patternParts(c, pattern.parameter, scope);
      break;
  }
}

/** Walks an assignment target; identifiers in it are written. */
export function target(c: Collector, node: Node, scope: Scope, by: Node, shorthand = false): void {
  switch (node.type) {
    case 'Identifier':
      refer(c, scope, node, 'write', by, shorthand);
      break;
    case 'ObjectPattern':
      for (const property of node.properties) {
        if (property.type === 'RestElement') target(c, property.argument, scope, by);
        else {
          if (property.computed) c.visit.walk(c, property.key, scope);
          target(c, property.value, scope, by, property.shorthand === true);
        }
      }
      break;
    case 'ArrayPattern':
      for (const element of node.elements) if (element) target(c, element, scope, by);
      break;
    case 'AssignmentPattern':
      target(c, node.left, scope, by, shorthand);
      c.visit.walk(c, node.right, scope);
      break;
    case 'RestElement':
      target(c, node.argument, scope, by);
      break;
    case 'TSAsExpression':
    case 'TSNonNullExpression':
    case 'TSSatisfiesExpression':
    case 'TSTypeAssertion':
      c.outline.hasTypes = true;
      target(c, node.expression, scope, by);
      break;
    case 'MemberExpression':
      // What is written to is the object itself, also where reading from it would go another way.
      c.visit.walk(c, node.object, scope);
      if (node.computed) c.visit.walk(c, node.property, scope);
      break;
    default:
      c.visit.walk(c, node, scope);
  }
}
