/** Finds the scopes of a text and the uses of names in them. */
import { type Node, boundNames, eachChild, isFunction } from './node.js';
import type { Scope, ScopeKind, Scopes } from './scope-data.js';

export class Analyser {
  constructor(private readonly scopes: Scopes) {}

  program(program: Node): void {
    this.hoist(program.body as Node[], this.scopes.module);
    for (const statement of program.body as Node[]) this.walk(statement, this.scopes.module);
  }

  private open(kind: ScopeKind, node: Node, parent: Scope): Scope {
    const scope: Scope = { kind, node, parent, names: new Set() };
    if (!this.scopes.inner.has(node)) this.scopes.inner.set(node, scope);
    return scope;
  }

  private use(node: Node, scope: Scope, write = false): void {
    this.scopes.uses.push({
      name: node.name as string,
      start: node.start,
      end: node.start + (node.name as string).length,
      scope,
      write,
    });
  }

  /** Names that a statement list binds from its start on. */
  private hoist(statements: readonly Node[], scope: Scope): void {
    for (const outer of statements) {
      const statement =
        (outer.type === 'ExportNamedDeclaration' || outer.type === 'ExportDefaultDeclaration') && outer.declaration
          ? (outer.declaration as Node)
          : outer;
      if (statement.declare === true) continue;
      switch (statement.type) {
        case 'VariableDeclaration':
          if (statement.kind !== 'var') this.bind(statement, scope);
          break;
        case 'FunctionDeclaration':
        case 'ClassDeclaration':
        case 'TSEnumDeclaration':
          if (statement.id) scope.names.add(statement.id.name as string);
          break;
        case 'TSModuleDeclaration':
        case 'TSImportEqualsDeclaration':
          if (statement.id.type === 'Identifier') scope.names.add(statement.id.name as string);
          break;
        case 'ImportDeclaration':
          if (statement.importKind !== 'type')
            for (const specifier of statement.specifiers as Node[]) scope.names.add(specifier.local.name as string);
          break;
      }
      // `var` lands in the function, however deep it stands.
      this.hoistVar(statement, scope);
    }
  }

  private hoistVar(node: Node, scope: Scope): void {
    switch (node.type) {
      case 'VariableDeclaration':
        if (node.kind === 'var' && !node.declare) this.bind(node, functionScope(scope));
        return;
      case 'IfStatement':
        this.hoistVar(node.consequent, scope);
        if (node.alternate) this.hoistVar(node.alternate, scope);
        return;
      case 'ForStatement':
        if (node.init) this.hoistVar(node.init, scope);
        this.hoistVar(node.body, scope);
        return;
      case 'ForInStatement':
      case 'ForOfStatement':
        this.hoistVar(node.left, scope);
        this.hoistVar(node.body, scope);
        return;
      case 'WhileStatement':
      case 'DoWhileStatement':
      case 'LabeledStatement':
      case 'WithStatement':
        this.hoistVar(node.body, scope);
        return;
      case 'BlockStatement':
        for (const statement of node.body as Node[]) this.hoistVar(statement, scope);
        return;
      case 'TryStatement':
        this.hoistVar(node.block, scope);
        if (node.handler) this.hoistVar(node.handler.body, scope);
        if (node.finalizer) this.hoistVar(node.finalizer, scope);
        return;
      case 'SwitchStatement':
        for (const branch of node.cases as Node[])
          for (const statement of branch.consequent as Node[]) this.hoistVar(statement, scope);
        return;
    }
  }

  private bind(declaration: Node, scope: Scope): void {
    for (const declarator of declaration.declarations as Node[])
      for (const id of boundNames(declarator.id)) {
        scope.names.add(id.name as string);
        if (declaration.kind !== 'let' && declaration.kind !== 'var')
          (scope.constants ??= new Set()).add(id.name as string);
      }
  }

  private list(statements: readonly Node[], scope: Scope): void {
    this.hoist(statements, scope);
    for (const statement of statements) this.walk(statement, scope);
  }

  private fn(node: Node, scope: Scope): void {
    this.scopes.outer.set(node, scope);
    let at = scope;
    if (node.type === 'FunctionExpression' && node.id) {
      const own = new Set([node.id.name as string]);
      at = { kind: 'self', node, parent: at, names: own, constants: own };
    }
    const parameters: Scope = { kind: 'parameters', node, parent: at, names: new Set() };
    if (node.type !== 'ArrowFunctionExpression') parameters.names.add('arguments');
    for (const parameter of node.params as Node[])
      for (const id of boundNames(parameter)) if (id.name !== 'this') parameters.names.add(id.name as string);
    for (const parameter of node.params as Node[]) this.pattern(parameter, parameters);
    const body: Scope = { kind: 'function', node, parent: parameters, names: new Set() };
    this.scopes.inner.set(node, body);
    if (node.body.type === 'BlockStatement') {
      this.scopes.inner.set(node.body, body);
      this.list(node.body.body as Node[], body);
    } else this.walk(node.body, body);
  }

  private class(node: Node, scope: Scope): void {
    this.scopes.outer.set(node, scope);
    for (const decorator of (node.decorators ?? []) as Node[]) this.walk(decorator.expression, scope);
    const inner = this.open('class', node, scope);
    if (node.id) inner.names.add(node.id.name as string);
    if (node.superClass) this.walk(node.superClass, inner);
    for (const member of node.body.body as Node[]) {
      for (const decorator of (member.decorators ?? []) as Node[]) this.walk(decorator.expression, inner);
      if (member.computed && member.key) this.walk(member.key, inner);
      switch (member.type) {
        case 'ClassMethod':
        case 'ClassPrivateMethod':
          this.fn(member, inner);
          break;
        case 'ClassProperty':
        case 'ClassPrivateProperty':
        case 'ClassAccessorProperty':
          this.scopes.outer.set(member, inner);
          if (member.value) {
            const field = this.open('field', member, inner);
            field.names.add('arguments');
            this.walk(member.value, field);
          }
          break;
        case 'StaticBlock': {
          const block = this.open('static', member, inner);
          this.list(member.body as Node[], block);
          break;
        }
      }
    }
  }

  /** A binding pattern: defaults and computed keys in it use names. */
  private pattern(node: Node | null, scope: Scope): void {
    if (!node) return;
    switch (node.type) {
      case 'ObjectPattern':
        for (const property of node.properties as Node[]) {
          if (property.type === 'RestElement') this.pattern(property.argument, scope);
          else {
            if (property.computed) this.walk(property.key, scope);
            this.pattern(property.value, scope);
          }
        }
        return;
      case 'ArrayPattern':
        for (const element of node.elements as (Node | null)[]) this.pattern(element, scope);
        return;
      case 'AssignmentPattern':
        this.pattern(node.left, scope);
        this.walk(node.right, scope);
        return;
      case 'RestElement':
        this.pattern(node.argument, scope);
        return;
      case 'TSParameterProperty':
        this.pattern(node.parameter, scope);
        return;
    }
  }

  /** An assignment target: identifiers in it are written. */
  private target(node: Node, scope: Scope): void {
    switch (node.type) {
      case 'Identifier':
        this.use(node, scope, true);
        return;
      case 'ObjectPattern':
        for (const property of node.properties as Node[]) {
          if (property.type === 'RestElement') this.target(property.argument, scope);
          else {
            if (property.computed) this.walk(property.key, scope);
            this.target(property.value, scope);
          }
        }
        return;
      case 'ArrayPattern':
        for (const element of node.elements as (Node | null)[]) if (element) this.target(element, scope);
        return;
      case 'AssignmentPattern':
        this.target(node.left, scope);
        this.walk(node.right, scope);
        return;
      case 'RestElement':
        this.target(node.argument, scope);
        return;
      case 'TSAsExpression':
      case 'TSNonNullExpression':
      case 'TSSatisfiesExpression':
      case 'TSTypeAssertion':
      case 'ParenthesizedExpression':
        this.target(node.expression, scope);
        return;
      default:
        this.walk(node, scope);
    }
  }

  private walk(node: Node, scope: Scope): void {
    if (isFunction(node)) {
      if (node.type === 'ObjectMethod' && node.computed) this.walk(node.key, scope);
      if (node.body) this.fn(node, scope);
      return;
    }
    switch (node.type) {
      case 'Identifier':
      case 'JSXIdentifier':
        this.use(node, scope);
        return;
      case 'ClassDeclaration':
      case 'ClassExpression':
        if (!node.declare) this.class(node, scope);
        return;
      case 'MemberExpression':
      case 'OptionalMemberExpression':
        this.walk(node.object, scope);
        if (node.computed) this.walk(node.property, scope);
        return;
      case 'ObjectProperty':
        if (node.computed) this.walk(node.key, scope);
        this.walk(node.value, scope);
        return;
      case 'VariableDeclaration':
        if (node.declare) return;
        for (const declarator of node.declarations as Node[]) {
          this.pattern(declarator.id, scope);
          if (declarator.init) this.walk(declarator.init, scope);
        }
        return;
      case 'AssignmentExpression':
        this.target(node.left, scope);
        this.walk(node.right, scope);
        return;
      case 'UpdateExpression':
        this.target(node.argument, scope);
        return;
      case 'BlockStatement':
        this.list(node.body as Node[], this.open('block', node, scope));
        return;
      case 'ForStatement':
      case 'ForInStatement':
      case 'ForOfStatement':
        this.loop(node, scope);
        return;
      case 'SwitchStatement':
        this.switchStatement(node, scope);
        return;
      case 'CatchClause':
        this.catchClause(node, scope);
        return;
      case 'WithStatement':
        this.walk(node.object, scope);
        this.walk(node.body, this.open('with', node, scope));
        return;
      case 'LabeledStatement':
        this.walk(node.body, scope);
        return;
      case 'ExportNamedDeclaration':
        if (node.declaration) this.walk(node.declaration, scope);
        else if (!node.source)
          for (const specifier of node.specifiers as Node[])
            if (specifier.exportKind !== 'type' && specifier.local?.type === 'Identifier')
              this.use(specifier.local, scope);
        return;
      case 'ImportDeclaration':
      case 'ExportAllDeclaration':
        return;
      case 'TSEnumDeclaration':
        this.enumeration(node, scope);
        return;
      case 'TSModuleDeclaration':
        this.namespace(node, scope);
        return;
      case 'JSXOpeningElement':
      case 'JSXClosingElement':
        if (node.name.type === 'JSXIdentifier') {
          if (/^[^a-z]/.test(node.name.name as string)) this.use(node.name, scope);
        } else if (node.name.type === 'JSXMemberExpression') this.walk(node.name, scope);
        for (const attribute of (node.attributes ?? []) as Node[]) this.walk(attribute, scope);
        return;
      case 'JSXMemberExpression':
        if (node.object.type === 'JSXIdentifier') this.use(node.object, scope);
        else this.walk(node.object, scope);
        return;
      default:
        eachChild(node, (child) => this.walk(child, scope));
    }
  }

  private loop(node: Node, scope: Scope): void {
    const loop = this.open('loop', node, scope);
    const head = (node.type === 'ForStatement' ? node.init : node.left) as Node | null;
    if (head?.type === 'VariableDeclaration') {
      if (head.kind !== 'var') this.bind(head, loop);
      this.walk(head, loop);
    } else if (head) {
      if (node.type === 'ForStatement') this.walk(head, loop);
      else this.target(head, loop);
    }
    if (node.type === 'ForStatement') {
      if (node.test) this.walk(node.test, loop);
      if (node.update) this.walk(node.update, loop);
    } else this.walk(node.right, loop);
    this.walk(node.body, loop);
  }

  private switchStatement(node: Node, scope: Scope): void {
    this.walk(node.discriminant, scope);
    const inner = this.open('switch', node, scope);
    for (const branch of node.cases as Node[]) this.hoist(branch.consequent as Node[], inner);
    for (const branch of node.cases as Node[]) {
      if (branch.test) this.walk(branch.test, inner);
      for (const statement of branch.consequent as Node[]) this.walk(statement, inner);
    }
  }

  private catchClause(node: Node, scope: Scope): void {
    const inner = this.open('catch', node, scope);
    if (node.param) {
      for (const id of boundNames(node.param)) inner.names.add(id.name as string);
      this.pattern(node.param, inner);
    }
    this.walk(node.body, inner);
  }

  private enumeration(node: Node, scope: Scope): void {
    if (node.declare) return;
    const inner = this.open('namespace', node, scope);
    for (const member of (node.members ?? node.body?.members ?? []) as Node[]) {
      if (member.id.type === 'Identifier') inner.names.add(member.id.name as string);
      if (member.initializer) this.walk(member.initializer, inner);
    }
  }

  private namespace(node: Node, scope: Scope): void {
    if (node.declare || !node.body) return;
    const inner = this.open('namespace', node, scope);
    const body = node.body as Node;
    if (body.type === 'TSModuleBlock') this.list(body.body as Node[], inner);
    else this.walk(body, inner);
  }
}

function functionScope(scope: Scope): Scope {
  let at = scope;
  while (
    at.parent !== null &&
    at.kind !== 'function' &&
    at.kind !== 'static' &&
    at.kind !== 'namespace' &&
    at.kind !== 'field'
  )
    at = at.parent;
  return at;
}
