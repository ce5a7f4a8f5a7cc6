/**
 * The outline of a file: its imports and exports, its functions and classes,
 * its top-level names and statements, and every reference to a name that the
 * linker must rewrite. Plain data over the tree of one parse.
 */
import { boundNames, eachChild, isFunction, type Node } from './node.js';
import type { Parsed } from './parse.js';

export interface ImportName {
  /** Name in the importing file. */
  local: string;
  /** Name in the imported module; `*` for the whole namespace. */
  imported: string;
  start: number;
  end: number;
}

export interface ImportEntry {
  specifier: string;
  names: ImportName[];
  /** The whole declaration. */
  start: number;
  end: number;
  /** `import type`, or every name is a type. */
  typeOnly: boolean;
  /** `with { type: … }`. */
  attributes: Record<string, string>;
  /** The specifier's own place, for messages. */
  at: { start: number; end: number };
  /** `export … from` has no names in this file. */
  reexport: boolean;
}

export interface ExportEntry {
  exported: string;
  /** Name in this file, or in the module of `from`; `*` re-exports all. */
  local: string;
  from?: string;
}

/** One use of a name that is not bound in an inner scope. */
export interface Reference {
  name: string;
  start: number;
  end: number;
  /** Written in a pattern as name of the property too. */
  shorthand?: true;
  /** `member`: of a member access, whose object the name is. `type`: in a type that is at hand while the program runs. */
  use: 'read' | 'write' | 'call' | 'member' | 'type' | 'shorthand' | 'export' | 'jsx' | 'tag' | 'decorator';
  /** The expression that assigns, for `write`. */
  by?: Node;
}

export type FunctionKind = 'function' | 'arrow' | 'method' | 'getter' | 'setter' | 'constructor';

export interface FunctionInfo {
  node: Node;
  kind: FunctionKind;
  name: string;
  /** Place in the file by names: `Chamber.advance`, `fill/step`, `setInterval()`. Unique with `#n` where needed. */
  path: string;
  start: number;
  end: number;
  /** Index of the enclosing function in `functions`, or -1. */
  parent: number;
  /** Index of the class whose member it is, or -1. */
  owner: number;
  isStatic: boolean;
  async: boolean;
  generator: boolean;
  /** Stands inside a block, loop or `catch` that may bind names of its own. */
  inBlock: boolean;
}

export interface ClassInfo {
  node: Node;
  name: string;
  path: string;
  start: number;
  end: number;
  /** Index of the enclosing function, or -1. */
  parent: number;
}

export interface TopLevelStatement {
  node: Node;
  start: number;
  end: number;
  /** What it declares, if anything. */
  names: string[];
  kind:
    | 'import'
    | 'export'
    | 'function'
    | 'class'
    | 'const'
    | 'let'
    | 'var'
    | 'using'
    | 'enum'
    | 'namespace'
    | 'type'
    | 'statement';
}

export interface Outline {
  parsed: Parsed;
  imports: ImportEntry[];
  exports: ExportEntry[];
  /** Specifiers of `import('…')` and `require('…')` calls with a literal. */
  dynamicImports: { specifier: string; start: number; end: number; call: 'import' | 'require' }[];
  functions: FunctionInfo[];
  classes: ClassInfo[];
  statements: TopLevelStatement[];
  /** References to top-level names and to the names listed in {@link WATCHED}. */
  references: Reference[];
  /** Names bound at the top level, without imports. */
  topLevel: Map<string, TopLevelStatement['kind']>;
  topLevelAwait: boolean;
  /** Types to erase; nothing else. */
  hasTypes: boolean;
  /** Syntax that the target does not run and that erasing does not help: JSX, enums, decorators, `using` … */
  needsTranslation: boolean;
  hasJsx: boolean;
  /** Namespaces that only TypeScript itself translates: in several parts, or with other names for what is in them. */
  needsCompiler: boolean;
  usesImportMeta: boolean;
}

/** Free names of interest besides imports and top-level names. */
const WATCHED = new Set([
  'require',
  'module',
  'exports',
  '__filename',
  '__dirname',
  'console',
  'process',
  'eval',
  'React',
]);

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

interface Scope {
  parent: Scope | null;
  /** Where `var` lands. */
  isFunction: boolean;
  names: Set<string> | null;
}

/** Makes the outline of a parsed text; `parsed.program` must not be null. */
export function outlineOf(parsed: Parsed): Outline {
  const program = parsed.program!;
  const typed = parsed.language === 'ts' || parsed.language === 'tsx';
  const outline: Outline = {
    parsed,
    imports: [],
    exports: [],
    dynamicImports: [],
    functions: [],
    classes: [],
    statements: [],
    references: [],
    topLevel: new Map(),
    topLevelAwait: false,
    hasTypes: false,
    needsTranslation: false,
    hasJsx: false,
    needsCompiler: false,
    usesImportMeta: false,
  };
  const assignsFields = typed && parsed.settings?.useDefineForClassFields === false;
  const metadata = parsed.settings?.emitDecoratorMetadata === true;
  collectTopLevel(program, outline);
  if (parsed.settings?.verbatimModuleSyntax === true)
    for (const entry of outline.imports) {
      const { node } = outline.statements.find((one) => one.start === entry.start)!;
      entry.typeOnly = node.importKind === 'type' || node.exportKind === 'type';
    }
  const watched = new Set(WATCHED);
  for (const entry of outline.imports) for (const name of entry.names) watched.add(name.local);
  for (const name of outline.topLevel.keys()) watched.add(name);

  const top: Scope = { parent: null, isFunction: true, names: new Set() };
  const pending: { scope: Scope; reference: Reference }[] = [];
  const namespaces = new Set<string>();
  const usedPaths = new Map<string, number>();
  const pathNames: string[] = [];
  let currentFunction = -1;
  /** Blocks between here and the enclosing function or the top level. */
  let blocks = 0;

  const declare = (scope: Scope, name: string): void => {
    if (scope === top) return;
    if (watched.has(name)) (scope.names ??= new Set()).add(name);
  };
  const functionScope = (scope: Scope): Scope => {
    let at = scope;
    while (!at.isFunction) at = at.parent!;
    return at;
  };
  const refer = (scope: Scope, node: Node, use: Reference['use'], by?: Node, shorthand = false): void => {
    if (!watched.has(node.name)) return;
    const reference: Reference = { name: node.name, start: node.start, end: node.start + node.name.length, use };
    if (by) reference.by = by;
    if (shorthand) reference.shorthand = true;
    pending.push({ scope, reference });
  };

  const uniquePath = (name: string): string => {
    const path = [...pathNames, name].join('/');
    const seen = usedPaths.get(path) ?? 0;
    usedPaths.set(path, seen + 1);
    return seen === 0 ? path : `${path}#${seen + 1}`;
  };

  /** Declares what a statement list binds, before its contents are walked: names are visible from the start of their scope. */
  const hoist = (statements: readonly Node[], scope: Scope): void => {
    for (let statement of statements) {
      if (
        (statement.type === 'ExportNamedDeclaration' || statement.type === 'ExportDefaultDeclaration') &&
        statement.declaration
      )
        statement = statement.declaration;
      if (statement.type === 'VariableDeclaration') {
        if (statement.kind !== 'var')
          for (const declarator of statement.declarations)
            for (const id of boundNames(declarator.id)) declare(scope, id.name);
      } else if (
        statement.type === 'FunctionDeclaration' ||
        statement.type === 'ClassDeclaration' ||
        statement.type === 'TSEnumDeclaration'
      ) {
        if (statement.id) declare(scope, statement.id.name);
      }
    }
  };

  const patternParts = (pattern: Node | null, scope: Scope): void => {
    if (!pattern) return;
    markTypes(pattern);
    switch (pattern.type) {
      case 'ObjectPattern':
        for (const property of pattern.properties) {
          if (property.type === 'RestElement') patternParts(property.argument, scope);
          else {
            if (property.computed) walk(property.key, scope);
            patternParts(property.value, scope);
          }
        }
        break;
      case 'ArrayPattern':
        for (const element of pattern.elements) patternParts(element, scope);
        break;
      case 'AssignmentPattern':
        patternParts(pattern.left, scope);
        named(pattern.right, nameOfPattern(pattern.left), scope);
        break;
      case 'RestElement':
        patternParts(pattern.argument, scope);
        break;
      case 'TSParameterProperty':
        outline.needsTranslation = true;
        patternParts(pattern.parameter, scope);
        break;
    }
  };

  /** Walks an assignment target; identifiers in it are written. */
  const target = (node: Node, scope: Scope, by: Node, shorthand = false): void => {
    switch (node.type) {
      case 'Identifier':
        refer(scope, node, 'write', by, shorthand);
        break;
      case 'ObjectPattern':
        for (const property of node.properties) {
          if (property.type === 'RestElement') target(property.argument, scope, by);
          else {
            if (property.computed) walk(property.key, scope);
            target(property.value, scope, by, property.shorthand === true);
          }
        }
        break;
      case 'ArrayPattern':
        for (const element of node.elements) if (element) target(element, scope, by);
        break;
      case 'AssignmentPattern':
        target(node.left, scope, by, shorthand);
        walk(node.right, scope);
        break;
      case 'RestElement':
        target(node.argument, scope, by);
        break;
      case 'TSAsExpression':
      case 'TSNonNullExpression':
      case 'TSSatisfiesExpression':
      case 'TSTypeAssertion':
        outline.hasTypes = true;
        target(node.expression, scope, by);
        break;
      case 'MemberExpression':
        // What is written to is the object itself, also where reading from it would go another way.
        walk(node.object, scope);
        if (node.computed) walk(node.property, scope);
        break;
      default:
        walk(node, scope);
    }
  };

  const markTypes = (node: Node): void => {
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
      outline.hasTypes = true;
    if (node.decorators?.length) outline.needsTranslation = true;
  };

  /** Names in the types of what is decorated: they are there while the program runs, where the settings say so. */
  const typeNames = (node: Node | null | undefined, scope: Scope): void => {
    if (!metadata || !node) return;
    if (node.type === 'TSTypeReference') {
      let root: Node = node.typeName;
      while (root.type === 'TSQualifiedName') root = root.left;
      if (root.type === 'Identifier') refer(scope, root, 'type');
    } else if (node.type === 'TSTypeAnnotation') typeNames(node.typeAnnotation, scope);
    else if (node.type === 'TSUnionType') for (const part of node.types as Node[]) typeNames(part, scope);
  };
  const decoratedTypes = (member: Node, scope: Scope, whole: boolean): void => {
    if (!metadata) return;
    const parameters = (member.params ?? []) as Node[];
    const decorated =
      (member.decorators?.length as number) > 0 ||
      parameters.some((parameter) => (parameter.decorators?.length as number) > 0) ||
      (whole && member.kind === 'constructor');
    if (!decorated) return;
    typeNames(member.typeAnnotation, scope);
    typeNames(member.returnType, scope);
    for (const parameter of parameters) {
      const inner: Node = parameter.type === 'TSParameterProperty' ? parameter.parameter : parameter;
      typeNames((inner.type === 'AssignmentPattern' ? inner.left : inner).typeAnnotation, scope);
    }
  };

  const enterFunction = (
    node: Node,
    scope: Scope,
    name: string,
    kind: FunctionKind,
    owner: number,
    isStatic: boolean,
  ): void => {
    if (node.typeParameters || node.returnType || node.accessibility || node.override || node.optional)
      outline.hasTypes = true;
    const index = outline.functions.length;
    outline.functions.push({
      node,
      kind,
      name,
      path: uniquePath(name || '()'),
      start: node.start,
      end: node.end,
      parent: currentFunction,
      owner,
      isStatic,
      async: node.async === true,
      generator: node.generator === true,
      inBlock: blocks > 0,
    });
    const inner: Scope = { parent: scope, isFunction: true, names: null };
    if (node.type === 'FunctionExpression' && node.id) declare(inner, node.id.name);
    const outerFunction = currentFunction;
    const outerBlocks = blocks;
    currentFunction = index;
    blocks = 0;
    pathNames.push(name || '()');
    for (const parameter of node.params as Node[]) for (const id of boundNames(parameter)) declare(inner, id.name);
    for (const parameter of node.params as Node[]) {
      if (parameter.type === 'Identifier' && parameter.name === 'this') outline.hasTypes = true;
      markTypes(parameter);
      patternParts(parameter, inner);
    }
    if (node.body.type === 'BlockStatement') {
      hoist(node.body.body, inner);
      for (const statement of node.body.body) walk(statement, inner);
    } else named(node.body, '', inner);
    pathNames.pop();
    currentFunction = outerFunction;
    blocks = outerBlocks;
  };

  const enterClass = (node: Node, scope: Scope, name: string): void => {
    if (node.typeParameters || node.superTypeParameters || node.implements?.length || node.abstract || node.declare)
      outline.hasTypes = true;
    if (node.decorators?.length) outline.needsTranslation = true;
    for (const decorator of node.decorators ?? []) walk(decorator.expression, scope);
    const inner: Scope = { parent: scope, isFunction: false, names: null };
    if (node.id) declare(inner, node.id.name);
    if (node.superClass) walk(node.superClass, inner);
    const index = outline.classes.length;
    outline.classes.push({
      node,
      name,
      path: uniquePath(name || 'class'),
      start: node.start,
      end: node.end,
      parent: currentFunction,
    });
    pathNames.push(name || 'class');
    for (const member of node.body.body as Node[]) {
      markTypes(member);
      decoratedTypes(member, scope, (node.decorators?.length as number) > 0);
      for (const decorator of member.decorators ?? []) walk(decorator.expression, inner);
      for (const parameter of (member.params ?? []) as Node[])
        for (const decorator of parameter.decorators ?? []) walk(decorator.expression, scope);
      if (member.computed && member.key) walk(member.key, inner);
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
          enterFunction(member, inner, memberName(member), kind, index, member.static === true);
          break;
        }
        case 'ClassProperty':
        case 'ClassPrivateProperty':
        case 'ClassAccessorProperty':
          if (member.type === 'ClassAccessorProperty' || assignsFields) outline.needsTranslation = true;
          if (member.value) {
            named(member.value, memberName(member), { parent: inner, isFunction: true, names: null });
          }
          break;
        case 'StaticBlock': {
          const block: Scope = { parent: inner, isFunction: true, names: null };
          hoist(member.body, block);
          for (const statement of member.body) walk(statement, block);
          break;
        }
        default:
          outline.hasTypes = true;
      }
    }
    pathNames.pop();
  };

  /** Walks an expression that takes `name` from where it stands. */
  const named = (node: Node, name: string, scope: Scope): void => {
    switch (node.type) {
      case 'ArrowFunctionExpression':
        enterFunction(node, scope, name, 'arrow', -1, false);
        break;
      case 'FunctionExpression':
        enterFunction(node, scope, node.id?.name ?? name, 'function', -1, false);
        break;
      case 'ClassExpression':
        enterClass(node, scope, node.id?.name ?? name);
        break;
      default:
        walk(node, scope);
    }
  };

  const walk = (node: Node, scope: Scope): void => {
    const block = BLOCKS.has(node.type);
    if (block) blocks++;
    walkNode(node, scope);
    if (block) blocks--;
  };

  const walkNode = (node: Node, scope: Scope): void => {
    switch (node.type) {
      case 'Identifier':
        refer(scope, node, 'read');
        return;
      case 'StringLiteral':
      case 'NumericLiteral':
      case 'ThisExpression':
        return;
      case 'MemberExpression':
      case 'OptionalMemberExpression':
        if (node.object.type === 'Identifier') refer(scope, node.object, 'member');
        else walk(node.object, scope);
        if (node.computed) walk(node.property, scope);
        return;
      case 'CallExpression':
      case 'OptionalCallExpression':
      case 'NewExpression': {
        if (node.typeArguments || node.typeParameters) outline.hasTypes = true;
        const { callee } = node;
        if (callee.type === 'Identifier') refer(scope, callee, node.type === 'NewExpression' ? 'read' : 'call');
        else walk(callee, scope);
        const first = node.arguments[0];
        if (first?.type === 'StringLiteral') {
          if (callee.type === 'Import')
            outline.dynamicImports.push({ specifier: first.value, start: first.start, end: first.end, call: 'import' });
          else if (callee.type === 'Identifier' && callee.name === 'require')
            outline.dynamicImports.push({
              specifier: first.value,
              start: first.start,
              end: first.end,
              call: 'require',
            });
        }
        for (const argument of node.arguments) named(argument, `${calleeName(callee)}()`, scope);
        return;
      }
      case 'FunctionDeclaration':
        if (node.id && node.body) declare(scope, node.id.name);
        enterFunction(node, scope, node.id?.name ?? 'default', 'function', -1, false);
        return;
      case 'FunctionExpression':
      case 'ArrowFunctionExpression':
      case 'ClassExpression':
        named(node, '', scope);
        return;
      case 'ClassDeclaration':
        if (node.declare) {
          outline.hasTypes = true;
          return;
        }
        enterClass(node, scope, node.id?.name ?? 'default');
        return;
      case 'ObjectExpression':
        for (const property of node.properties as Node[]) {
          if (property.type === 'SpreadElement') walk(property.argument, scope);
          else if (property.type === 'ObjectMethod') {
            if (property.computed) walk(property.key, scope);
            const kind: FunctionKind =
              property.kind === 'get' ? 'getter' : property.kind === 'set' ? 'setter' : 'method';
            enterFunction(property, scope, memberName(property), kind, -1, false);
          } else {
            if (property.computed) walk(property.key, scope);
            if (property.shorthand && property.value.type === 'Identifier') refer(scope, property.value, 'shorthand');
            else named(property.value, memberName(property), scope);
          }
        }
        return;
      case 'VariableDeclaration': {
        if (node.declare) {
          outline.hasTypes = true;
          return;
        }
        if (node.kind === 'using' || node.kind === 'await using') outline.needsTranslation = true;
        if (node.kind === 'await using' && currentFunction < 0) outline.topLevelAwait = true;
        const into = node.kind === 'var' ? functionScope(scope) : scope;
        for (const declarator of node.declarations as Node[]) {
          for (const id of boundNames(declarator.id)) declare(into, id.name);
          markTypes(declarator.id);
          if (declarator.definite) outline.hasTypes = true;
          patternParts(declarator.id, scope);
          if (declarator.init) named(declarator.init, nameOfPattern(declarator.id), scope);
        }
        return;
      }
      case 'AssignmentExpression':
        target(node.left, scope, node);
        named(node.right, node.left.type === 'Identifier' ? node.left.name : memberPath(node.left), scope);
        return;
      case 'UpdateExpression':
        target(node.argument, scope, node);
        return;
      case 'BlockStatement': {
        const inner: Scope = { parent: scope, isFunction: false, names: null };
        hoist(node.body, inner);
        for (const statement of node.body) walk(statement, inner);
        return;
      }
      case 'ForStatement':
      case 'ForInStatement':
      case 'ForOfStatement': {
        if (node.await && currentFunction < 0) outline.topLevelAwait = true;
        const inner: Scope = { parent: scope, isFunction: false, names: null };
        if (node.type === 'ForStatement') {
          if (node.init) {
            hoist([node.init], inner);
            walk(node.init, inner);
          }
          if (node.test) walk(node.test, inner);
          if (node.update) walk(node.update, inner);
        } else {
          if (node.left.type === 'VariableDeclaration') {
            hoist([node.left], inner);
            walk(node.left, inner);
          } else target(node.left, inner, node);
          walk(node.right, inner);
        }
        walk(node.body, inner);
        return;
      }
      case 'SwitchStatement': {
        walk(node.discriminant, scope);
        const inner: Scope = { parent: scope, isFunction: false, names: null };
        for (const branch of node.cases) hoist(branch.consequent, inner);
        for (const branch of node.cases) {
          if (branch.test) walk(branch.test, inner);
          for (const statement of branch.consequent) walk(statement, inner);
        }
        return;
      }
      case 'CatchClause': {
        const inner: Scope = { parent: scope, isFunction: false, names: null };
        if (node.param) {
          for (const id of boundNames(node.param)) declare(inner, id.name);
          markTypes(node.param);
          patternParts(node.param, inner);
        }
        walk(node.body, inner);
        return;
      }
      case 'UnaryExpression':
        if (node.operator === 'delete') target(node.argument, scope, node);
        else walk(node.argument, scope);
        return;
      case 'AwaitExpression':
        if (currentFunction < 0) outline.topLevelAwait = true;
        walk(node.argument, scope);
        return;
      case 'MetaProperty':
        if (node.meta.name === 'import') outline.usesImportMeta = true;
        return;
      case 'TaggedTemplateExpression':
        if (node.typeParameters || node.typeArguments) outline.hasTypes = true;
        if (node.tag.type === 'Identifier') refer(scope, node.tag, 'tag');
        else walk(node.tag, scope);
        for (const expression of node.quasi.expressions) walk(expression, scope);
        return;
      case 'ImportDeclaration':
      case 'ExportAllDeclaration':
        return;
      case 'ExportNamedDeclaration':
        if (node.declaration) walk(node.declaration, scope);
        else if (!node.source)
          for (const specifier of node.specifiers as Node[])
            if (specifier.local?.type === 'Identifier' && specifier.exportKind !== 'type')
              refer(scope, specifier.local, 'export');
        return;
      case 'ExportDefaultDeclaration':
        if (node.declaration.type === 'FunctionDeclaration' || node.declaration.type === 'ClassDeclaration')
          walk(node.declaration, scope);
        else if (node.declaration.type.startsWith('TS')) outline.hasTypes = true;
        else named(node.declaration, 'default', scope);
        return;
      case 'JSXElement':
      case 'JSXFragment':
        outline.hasJsx = true;
        outline.needsTranslation = true;
        eachChild(node, (child) => walk(child, scope));
        return;
      case 'JSXOpeningElement':
        if (node.name.type === 'JSXIdentifier' && /^[^a-z]/.test(node.name.name)) refer(scope, node.name, 'jsx');
        else if (node.name.type === 'JSXMemberExpression') walk(node.name, scope);
        for (const attribute of node.attributes) walk(attribute, scope);
        return;
      case 'JSXMemberExpression':
        if (node.object.type === 'JSXIdentifier') refer(scope, node.object, 'jsx');
        else walk(node.object, scope);
        return;
      case 'TSAsExpression':
      case 'TSSatisfiesExpression':
      case 'TSTypeAssertion':
      case 'TSNonNullExpression':
      case 'TSInstantiationExpression':
        outline.hasTypes = true;
        walk(node.expression, scope);
        return;
      case 'TSEnumDeclaration':
        outline.needsTranslation = true;
        for (const member of node.members ?? node.body?.members ?? [])
          if (member.initializer) walk(member.initializer, { parent: scope, isFunction: false, names: null });
        return;
      case 'TSModuleDeclaration':
        if (node.declare || !node.body) {
          outline.hasTypes = true;
          return;
        }
        outline.needsTranslation = true;
        if (node.id.type !== 'Identifier' || namespaces.has(node.id.name as string)) outline.needsCompiler = true;
        else namespaces.add(node.id.name as string);
        {
          const inner: Scope = { parent: scope, isFunction: true, names: null };
          const body: Node = node.body;
          if (body.type === 'TSModuleBlock') {
            hoist(body.body, inner);
            for (const statement of body.body) walk(statement, inner);
          } else walk(body, inner);
        }
        return;
      case 'TSExportAssignment':
        outline.hasTypes = true;
        walk(node.expression, scope);
        return;
      case 'TSImportEqualsDeclaration':
        outline.needsTranslation = true;
        if (node.moduleReference.type === 'TSExternalModuleReference') {
          const source: Node = node.moduleReference.expression;
          if (node.importKind !== 'type')
            outline.dynamicImports.push({
              specifier: source.value as string,
              start: source.start,
              end: source.end,
              call: 'require',
            });
        } else {
          outline.needsCompiler = true;
          let root: Node = node.moduleReference;
          while (root.type === 'TSQualifiedName') root = root.left;
          refer(scope, root, 'read');
        }
        return;
      default:
        if (node.type.startsWith('TS')) {
          outline.hasTypes = true;
          return;
        }
        eachChild(node, (child) => walk(child, scope));
    }
  };

  for (const statement of program.body as Node[]) walk(statement, top);

  const importedNames = new Set<string>();
  for (const entry of outline.imports) for (const name of entry.names) importedNames.add(name.local);
  const valueUses = new Set<string>();
  for (const { scope, reference } of pending) {
    if (!resolvesToTop(scope, reference.name)) continue;
    outline.references.push(reference);
    valueUses.add(reference.name);
  }
  if (typed && parsed.settings?.verbatimModuleSyntax !== true) dropUnusedImports(outline, valueUses);
  if (parsed.interop)
    for (const { typeOnly, specifier, at } of outline.imports)
      if (!typeOnly) outline.dynamicImports.push({ specifier, ...at, call: 'require' });
  if (outline.imports.some((entry) => entry.typeOnly)) outline.hasTypes = true;
  return outline;
}

function resolvesToTop(scope: Scope, name: string): boolean {
  let at: Scope = scope;
  while (at.parent !== null) {
    if (at.names?.has(name)) return false;
    at = at.parent;
  }
  return true;
}

/** As TypeScript does: a name imported but never used as a value is taken for a type. A bare `import './x'` stays. */
function dropUnusedImports(outline: Outline, used: ReadonlySet<string>): void {
  const { settings, text } = outline.parsed;
  const pragmas = [...text.slice(0, 2_000).matchAll(/@jsx(?:Frag)?\s+([\w$]+)/g)].map((match) => match[1]!);
  const factories = [
    'React',
    ...[settings?.jsxFactory, settings?.jsxFragmentFactory].flatMap((name) => name?.split('.')[0] ?? []),
    ...pragmas,
  ];
  for (const entry of outline.imports) {
    if (entry.typeOnly || entry.names.length === 0 || entry.reexport) continue;
    entry.names = entry.names.filter(
      (name) => used.has(name.local) || (outline.hasJsx && factories.includes(name.local)),
    );
    if (entry.names.length === 0) entry.typeOnly = true;
  }
}

function collectTopLevel(program: Node, outline: Outline): void {
  const add = (node: Node, kind: TopLevelStatement['kind'], names: string[] = []): void => {
    outline.statements.push({ node, start: node.start, end: node.end, names, kind });
    if (kind !== 'type' && kind !== 'import') for (const name of names) outline.topLevel.set(name, kind);
  };
  for (const node of program.body as Node[]) {
    switch (node.type) {
      case 'ImportDeclaration':
        outline.imports.push(importOf(node));
        add(node, 'import');
        break;
      case 'ExportAllDeclaration':
        if (node.exportKind === 'type') add(node, 'type');
        else {
          outline.imports.push({ ...sourceOf(node), names: [], typeOnly: false, reexport: true });
          outline.exports.push({ exported: '*', local: '*', from: node.source.value });
          add(node, 'export');
        }
        break;
      case 'ExportNamedDeclaration':
        if (node.exportKind === 'type') {
          outline.hasTypes = true;
          add(node, 'type');
        } else if (node.declaration) {
          const { kind, names } = declarationOf(node.declaration);
          add(node, kind, names);
          if (kind !== 'type') for (const name of names) outline.exports.push({ exported: name, local: name });
        } else {
          if (node.source) outline.imports.push({ ...sourceOf(node), names: [], typeOnly: false, reexport: true });
          for (const specifier of node.specifiers as Node[]) {
            if (specifier.exportKind === 'type') continue;
            const exported = nameOf(specifier.exported);
            if (specifier.type === 'ExportNamespaceSpecifier')
              outline.exports.push({ exported, local: '*', from: node.source.value });
            else {
              const entry: ExportEntry = { exported, local: nameOf(specifier.local) };
              if (node.source) entry.from = node.source.value;
              outline.exports.push(entry);
            }
          }
          add(node, 'export');
        }
        break;
      case 'ExportDefaultDeclaration': {
        const { declaration } = node;
        const local =
          (declaration.type === 'FunctionDeclaration' || declaration.type === 'ClassDeclaration') && declaration.id
            ? declaration.id.name
            : undefined;
        if (declaration.type === 'TSInterfaceDeclaration' || declaration.type === 'TSDeclareFunction')
          add(node, 'type');
        else {
          outline.exports.push({ exported: 'default', local: local ?? '*default*' });
          add(
            node,
            local === undefined ? 'export' : declaration.type === 'ClassDeclaration' ? 'class' : 'function',
            local === undefined ? [] : [local],
          );
        }
        break;
      }
      default: {
        const { kind, names } = declarationOf(node);
        add(node, kind, names);
      }
    }
  }
  // `var` and functions nested in top-level blocks (sloppy) are rare enough to be seen by name only.
}

function declarationOf(node: Node): { kind: TopLevelStatement['kind']; names: string[] } {
  switch (node.type) {
    case 'VariableDeclaration': {
      if (node.declare) return { kind: 'type', names: [] };
      const names = (node.declarations as Node[]).flatMap((declarator) =>
        boundNames(declarator.id).map((id) => id.name as string),
      );
      return { kind: node.kind === 'await using' ? 'using' : node.kind, names };
    }
    case 'FunctionDeclaration':
      return { kind: 'function', names: node.id ? [node.id.name] : [] };
    case 'ClassDeclaration':
      return node.declare ? { kind: 'type', names: [] } : { kind: 'class', names: node.id ? [node.id.name] : [] };
    case 'TSEnumDeclaration':
      return node.declare ? { kind: 'type', names: [] } : { kind: 'enum', names: [node.id.name] };
    case 'TSModuleDeclaration':
      return node.declare || node.id.type !== 'Identifier' || !holdsValues(node)
        ? { kind: 'type', names: [] }
        : { kind: 'namespace', names: [node.id.name] };
    case 'TSImportEqualsDeclaration':
      // Like a namespace it is made once and not again.
      return node.importKind === 'type' ? { kind: 'type', names: [] } : { kind: 'namespace', names: [node.id.name] };
    default:
      return { kind: /^TS(Interface|TypeAlias|Declare)/.test(node.type) ? 'type' : 'statement', names: [] };
  }
}

/** A namespace of types alone leaves nothing behind. */
function holdsValues(node: Node): boolean {
  const { body } = node;
  if (!body) return false;
  if (body.type !== 'TSModuleBlock') return holdsValues(body);
  return (body.body as Node[]).some((inner) => {
    const declared = inner.type === 'ExportNamedDeclaration' && inner.declaration ? inner.declaration : inner;
    return (
      !/^TS(Interface|TypeAlias|Declare)/.test(declared.type) &&
      !(declared.type === 'TSModuleDeclaration' && !holdsValues(declared))
    );
  });
}

function importOf(node: Node): ImportEntry {
  const names: ImportName[] = [];
  let types = 0;
  for (const specifier of node.specifiers as Node[]) {
    if (specifier.importKind === 'type') {
      types++;
      continue;
    }
    names.push({
      local: specifier.local.name,
      imported:
        specifier.type === 'ImportDefaultSpecifier'
          ? 'default'
          : specifier.type === 'ImportNamespaceSpecifier'
            ? '*'
            : nameOf(specifier.imported),
      start: specifier.start,
      end: specifier.end,
    });
  }
  const typeOnly = node.importKind === 'type' || (types > 0 && names.length === 0);
  return { ...sourceOf(node), names, typeOnly, reexport: false };
}

function sourceOf(node: Node): Pick<ImportEntry, 'specifier' | 'start' | 'end' | 'attributes' | 'at'> {
  const attributes: Record<string, string> = {};
  for (const attribute of (node.attributes ?? []) as Node[]) attributes[nameOf(attribute.key)] = attribute.value.value;
  return {
    specifier: node.source.value,
    start: node.start,
    end: node.end,
    attributes,
    at: { start: node.source.start, end: node.source.end },
  };
}

function nameOf(node: Node): string {
  return node.type === 'StringLiteral' ? node.value : node.name;
}

function nameOfPattern(node: Node): string {
  return node.type === 'Identifier' ? node.name : '';
}

/** The name of a class or object member as written: `advance`, `#level`, `'a b'`, `[expression]`. */
export function memberName(member: Node): string {
  const { key } = member;
  if (member.computed) return '[computed]';
  if (!key) return '';
  if (key.type === 'PrivateName') return `#${key.id.name}`;
  if (key.type === 'Identifier') return key.name;
  return String(key.value);
}

function calleeName(node: Node): string {
  return memberPath(node) || 'call';
}

function memberPath(node: Node): string {
  if (node.type === 'Identifier') return node.name;
  if (node.type === 'ThisExpression') return 'this';
  if ((node.type === 'MemberExpression' || node.type === 'OptionalMemberExpression') && !node.computed) {
    const property = node.property.type === 'PrivateName' ? `#${node.property.id.name}` : node.property.name;
    const object = memberPath(node.object);
    return object ? `${object}.${property}` : property;
  }
  return '';
}

/** Index of the innermost class around a node, or -1. */
export function classAround(outline: Outline, node: Node): number {
  let best = -1;
  outline.classes.forEach((entry, index) => {
    if (entry.start <= node.start && entry.end >= node.end && (best < 0 || entry.start >= outline.classes[best]!.start))
      best = index;
  });
  return best;
}

export { isFunction };
