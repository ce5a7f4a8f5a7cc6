/** What in a file is for TypeScript alone, and types that are at hand while the program runs. */
import type { Node } from '../node.js';
import { isLowered, refer, type Collector, type Scope } from './collector.js';

export function markTypes(c: Collector, node: Node): void {
  if (
    node.typeAnnotation ||
    node.optional === true ||
    node.definite ||
    node.accessibility ||
    node.readonly ||
    node.declare ||
    node.abstract ||
    node.override
  )
    c.outline.hasTypes = true;
  if (node.decorators?.length) isLowered(c);
}

/** Names in the types of what is decorated: they are there while the program runs, where the settings say so. */
export function typeNames(c: Collector, node: Node | null | undefined, scope: Scope): void {
  if (!c.metadata || !node) return;
  if (node.type === 'TSTypeReference') {
    let root: Node = node.typeName;
    while (root.type === 'TSQualifiedName') root = root.left;
    if (root.type === 'Identifier') refer(c, scope, root, 'type');
  } else if (node.type === 'TSTypeAnnotation') typeNames(c, node.typeAnnotation, scope);
  else if (node.type === 'TSUnionType') for (const part of node.types as Node[]) typeNames(c, part, scope);
}
export function decoratedTypes(c: Collector, member: Node, scope: Scope, whole: boolean): void {
  if (!c.metadata) return;
  const parameters = (member.params ?? []) as Node[];
  const decorated =
    (member.decorators?.length as number) > 0 ||
    parameters.some((parameter) => (parameter.decorators?.length as number) > 0) ||
    (whole && member.kind === 'constructor');
  if (!decorated) return;
  typeNames(c, member.typeAnnotation, scope);
  typeNames(c, member.returnType, scope);
  for (const parameter of parameters) {
    const inner: Node = parameter.type === 'TSParameterProperty' ? parameter.parameter : parameter;
    typeNames(c, (inner.type === 'AssignmentPattern' ? inner.left : inner).typeAnnotation, scope);
  }
}
