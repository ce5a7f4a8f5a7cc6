/** Binding patterns and assignment targets: what runs inside them. */
import { boundNames, type Node } from '../syntax/node.js';
import { probeValue } from './probes.js';
import { isDefinition } from './safety.js';
import type { Context, Walk } from './walk.js';
import { beginPart, endPart } from './steps.js';
import { visitWritten, type Written } from './writes.js';

/** Walks what runs inside a binding pattern: defaults and computed keys. */
export function visitPattern(walk: Walk, context: Context, node: Node | null): void {
  if (!node) return;
  const { visit } = walk;
  switch (node.type) {
    case 'ObjectPattern':
      for (const property of node.properties as Node[]) {
        if (property.type === 'RestElement') visitPattern(walk, context, property.argument);
        else {
          if (property.computed) visit.expression(walk, context, property.key, false);
          visitPattern(walk, context, property.value);
        }
      }
      break;
    case 'ArrayPattern':
      for (const element of node.elements as (Node | null)[]) visitPattern(walk, context, element);
      break;
    case 'AssignmentPattern':
      visitPattern(walk, context, node.left);
      beginPart(walk, context, node, node.right as Node);
      if (walk.facts.values && !isDefinition(node.right))
        probeValue(walk, context, 'default', node.right, node.left.type === 'Identifier' ? node.left.name : '');
      else visit.expression(walk, context, node.right, false);
      endPart(walk, node.right as Node);
      break;
    case 'RestElement':
      visitPattern(walk, context, node.argument);
      break;
    case 'TSParameterProperty':
      visitPattern(walk, context, node.parameter);
      break;
  }
}

/**
 * Walks what runs inside an assignment target, and never wraps the target itself.
 *
 * @param writes takes the properties that are written, where they are told
 */
export function visitTarget(walk: Walk, context: Context, node: Node, writes?: Written[]): void {
  const { visit } = walk;
  switch (node.type) {
    case 'Identifier':
      break;
    case 'MemberExpression':
    case 'OptionalMemberExpression': {
      const written = writes && visitWritten(walk, context, node);
      if (written) writes.push(written);
      else {
        visit.expression(walk, context, node.object, false);
        if (node.computed) visit.expression(walk, context, node.property, false);
      }
      break;
    }
    case 'ObjectPattern':
      for (const property of node.properties as Node[]) {
        if (property.type === 'RestElement') visitTarget(walk, context, property.argument, writes);
        else {
          if (property.computed) visit.expression(walk, context, property.key, false);
          visitTarget(walk, context, property.value, writes);
        }
      }
      break;
    case 'ArrayPattern':
      for (const element of node.elements as (Node | null)[]) if (element) visitTarget(walk, context, element, writes);
      break;
    case 'AssignmentPattern':
      visitTarget(walk, context, node.left, writes);
      visit.expression(walk, context, node.right, false);
      break;
    case 'RestElement':
      visitTarget(walk, context, node.argument, writes);
      break;
    case 'TSAsExpression':
    case 'TSSatisfiesExpression':
    case 'TSNonNullExpression':
    case 'TSTypeAssertion':
      visitTarget(walk, context, node.expression, writes);
      break;
    default:
      visit.expression(walk, context, node, false);
  }
}

/** Identifiers of an assignment target that are plain variables of this file (an imported name is not). */
export function ownNames({ facts }: Walk, node: Node): Node[] {
  const names = node.type === 'Identifier' ? [node] : boundNames(node);
  const imported = new Set(facts.outline.imports.flatMap((entry) => entry.names.map((name) => name.local)));
  return names.filter((name) => !imported.has(name.name));
}
