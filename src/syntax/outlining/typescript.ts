/** Nodes that only TypeScript has, and elements. */
import { eachChild, type Node } from '../node.js';
import { hoist, isLowered, refer, type Collector, type Scope } from './collector.js';

/** Walks what only TypeScript has. Returns false for other nodes. */
export function walkTypeScript(c: Collector, node: Node, scope: Scope): boolean {
  switch (node.type) {
    case 'TSAsExpression':
    case 'TSSatisfiesExpression':
    case 'TSTypeAssertion':
    case 'TSNonNullExpression':
    case 'TSInstantiationExpression':
      c.outline.hasTypes = true;
      c.visit.walk(c, node.expression, scope);
      return true;
    case 'TSEnumDeclaration':
      c.outline.needsTranslation = true;
      for (const member of node.members ?? node.body?.members ?? [])
        if (member.initializer) c.visit.walk(c, member.initializer, { parent: scope, isFunction: false, names: null });
      return true;
    case 'TSModuleDeclaration':
      if (node.declare || !node.body) {
        c.outline.hasTypes = true;
        return true;
      }
      isLowered(c);
      if (node.id.type !== 'Identifier' || c.namespaces.has(node.id.name as string)) c.outline.needsCompiler = true;
      else c.namespaces.add(node.id.name as string);
      {
        const inner: Scope = { parent: scope, isFunction: true, names: null };
        const body: Node = node.body;
        if (body.type === 'TSModuleBlock') {
          hoist(c, body.body, inner);
          for (const statement of body.body) c.visit.walk(c, statement, inner);
        } else c.visit.walk(c, body, inner);
      }
      return true;
    case 'TSExportAssignment':
      c.outline.hasTypes = true;
      c.visit.walk(c, node.expression, scope);
      return true;
    case 'TSImportEqualsDeclaration':
      c.outline.needsTranslation = true;
      if (node.moduleReference.type === 'TSExternalModuleReference') {
        const source: Node = node.moduleReference.expression;
        if (node.importKind !== 'type')
          c.outline.dynamicImports.push({
            specifier: source.value as string,
            start: source.start,
            end: source.end,
            call: 'require',
          });
      } else {
        isLowered(c);
        c.outline.needsCompiler = true;
        let root: Node = node.moduleReference;
        while (root.type === 'TSQualifiedName') root = root.left;
        refer(c, scope, root, 'read');
      }
      return true;
    default:
      return false;
  }
}

/** Walks an element of JSX. Returns false for other nodes. */
export function walkElement(c: Collector, node: Node, scope: Scope): boolean {
  switch (node.type) {
    case 'JSXElement':
    case 'JSXFragment':
      c.outline.hasJsx = true;
      c.outline.needsTranslation = true;
      eachChild(node, (child) => c.visit.walk(c, child, scope));
      return true;
    case 'JSXOpeningElement':
    case 'JSXClosingElement':
      if (node.name.type === 'JSXIdentifier' && /^[^a-z]/.test(node.name.name)) refer(c, scope, node.name, 'jsx');
      else if (node.name.type === 'JSXMemberExpression') c.visit.walk(c, node.name, scope);
      for (const attribute of node.attributes ?? []) c.visit.walk(c, attribute, scope);
      return true;
    case 'JSXMemberExpression':
      if (node.object.type === 'JSXIdentifier') refer(c, scope, node.object, 'jsx');
      else c.visit.walk(c, node.object, scope);
      return true;
    default:
      return false;
  }
}
