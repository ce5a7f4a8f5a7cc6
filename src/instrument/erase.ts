/**
 * Removes types without a compiler: what the parser's own tree calls a type becomes spaces, and all else keeps its
 * place. Where types decide what runs (enums, parameter properties, namespaces that hold values), nothing is removed.
 */
import { parse as parseTree, type ParserPlugin } from '@babel/parser';
import type { Goal } from '../syntax/parse.js';
import type { Node } from '../syntax/node.js';

/** Nodes that need a compiler. */
const NEEDS_COMPILER = new Set(['TSEnumDeclaration', 'TSExportAssignment', 'TSParameterProperty', 'Decorator']);
/** Children that are types, whatever they hang on. */
const TYPE_KEYS = [
  'typeAnnotation',
  'returnType',
  'typeParameters',
  'superTypeParameters',
  'typeArguments',
  'predicate',
] as const;
const GONE = new Set([
  'TSInterfaceDeclaration',
  'TSTypeAliasDeclaration',
  'TSDeclareFunction',
  'TSDeclareMethod',
  'TSIndexSignature',
  'TSNamespaceExportDeclaration',
]);
const MODIFIERS = /^(?:public|private|protected|readonly|override|abstract|declare)$/;
/** What would go on with the line before, were nothing between. */
const GOES_ON = /^[([`+\-*/.,?<>%&|^=]|^(?:in|instanceof)\b/;

class NeedsCompiler extends Error {}

/**
 * @param program the tree of the text, where it is there already
 * @returns the text with spaces for its types, as long as it was; null where a compiler is needed, or it does not parse
 */
export function eraseTypes(text: string, goal: Goal, program?: Node | null): string | null {
  try {
    const eraser = new Eraser(text);
    eraser.visit(program ?? parsed(text, goal), undefined);
    return eraser.result;
  } catch {
    return null;
  }
}

function parsed(text: string, goal: Goal): Node {
  const plugins: ParserPlugin[] = ['typescript', ['decorators', { allowCallParenthesized: true }]];
  const tree = parseTree(text, {
    sourceType: goal,
    plugins: [...plugins, 'decoratorAutoAccessors', 'explicitResourceManagement'],
    allowReturnOutsideFunction: true,
    allowAwaitOutsideFunction: true,
    allowUndeclaredExports: true,
    errorRecovery: false,
    attachComment: false,
  });
  return tree.program as unknown as Node;
}

class Eraser {
  private readonly chars: string[];
  /** End of what was blanked last: a statement that ends there may go on in the next line. */
  private blankedTo = -1;

  constructor(private readonly text: string) {
    this.chars = text.split('');
  }

  get result(): string {
    return this.chars.join('');
  }

  private blank(start: number, end: number): void {
    for (let i = start; i < end; i++) if (!/[\n\r\u2028\u2029]/.test(this.chars[i]!)) this.chars[i] = ' ';
    if (end > this.blankedTo) this.blankedTo = end;
  }

  /** A statement or member goes, and ends what stands before it. */
  private drop({ start, end }: Node): void {
    this.blank(start, end);
    this.chars[start] = ';';
  }

  /** First place from `at` on that is neither space nor comment. */
  private skip(at: number): number {
    const { text } = this;
    for (;;) {
      const rest = /^(?:\s|\/\/[^\n\r\u2028\u2029]*|\/\*[^]*?\*\/)+/.exec(text.slice(at, at + 4096));
      if (!rest) return at;
      at += rest[0].length;
    }
  }

  visit(node: Node, parent: Node | undefined): void {
    if (NEEDS_COMPILER.has(node.type) && node.declare !== true) throw new NeedsCompiler(node.type);
    if (this.isGone(node)) {
      this.drop(node);
      return;
    }
    this.erase(node, parent);
    for (const key of Object.keys(node)) {
      if ((TYPE_KEYS as readonly string[]).includes(key) || key === 'loc' || key === 'extra' || key === 'implements')
        continue;
      const value = node[key] as unknown;
      if (Array.isArray(value)) {
        for (const one of value) if (isNode(one)) this.visit(one, node);
      } else if (isNode(value)) this.visit(value, node);
    }
    if (/Statement$|Declaration$|Property$/.test(node.type)) this.endStatement(node);
  }

  /** What ended in a type and has no semicolon of its own may go on in the next line now. */
  private endStatement({ end }: Node): void {
    if (this.blankedTo !== end || this.chars[end - 1] !== ' ') return;
    const next = this.skip(end);
    if (!/[\n\r]/.test(this.text.slice(end, next)) || !GOES_ON.test(this.text.slice(next, next + 12))) return;
    let at = end - 1;
    while (at > 0 && this.chars[at - 1] === ' ') at--;
    this.chars[at] = ';';
  }

  private isGone(node: Node): boolean {
    const { type, declaration } = node as Node & { declaration?: Node | null };
    if (GONE.has(type) || (node.declare === true && type !== 'Program')) return true;
    if (node.abstract === true && /Property$|Method$/.test(type)) return true;
    if (type === 'TSModuleDeclaration') {
      if (!holdsTypesOnly(node)) throw new NeedsCompiler(type);
      return true;
    }
    if (type === 'TSImportEqualsDeclaration') {
      if (node.importKind !== 'type') throw new NeedsCompiler(type);
      return true;
    }
    if (type === 'ImportDeclaration') return node.importKind === 'type';
    if (!/^Export.*Declaration$/.test(type)) return false;
    if (node.exportKind === 'type' && type !== 'ExportDefaultDeclaration') {
      if (
        declaration &&
        (declaration.type === 'TSModuleDeclaration' || declaration.type === 'TSImportEqualsDeclaration')
      )
        return this.isGone(declaration);
      return true;
    }
    return declaration !== undefined && declaration !== null && this.isGone(declaration);
  }

  private erase(node: Node, parent: Node | undefined): void {
    for (const key of TYPE_KEYS) {
      const value = node[key] as unknown;
      if (!isNode(value)) continue;
      if (key === 'typeAnnotation' && isTypeExpression(node.type)) continue;
      this.blank(value.start, value.end);
    }
    switch (node.type) {
      case 'ArrowFunctionExpression':
        this.arrow(node);
        this.dropThis(node);
        break;
      case 'FunctionDeclaration':
      case 'FunctionExpression':
      case 'ObjectMethod':
        this.dropThis(node);
        break;
      case 'ClassMethod':
      case 'ClassPrivateMethod':
      case 'ClassProperty':
      case 'ClassPrivateProperty':
      case 'ClassAccessorProperty':
        this.member(node);
        this.dropThis(node);
        break;
      case 'ClassDeclaration':
      case 'ClassExpression':
        this.classHead(node);
        break;
      case 'Identifier':
      case 'ArrayPattern':
      case 'ObjectPattern':
        if (node.optional === true) this.sign(node, '?');
        break;
      case 'VariableDeclarator':
        if (node.definite === true) this.sign(node.id as Node, '!');
        break;
      case 'TSAsExpression':
      case 'TSSatisfiesExpression':
        this.blank(this.behind(node.expression as Node), node.end);
        break;
      case 'TSInstantiationExpression':
        break;
      case 'TSNonNullExpression':
        this.blank(node.end - 1, node.end);
        break;
      case 'TSTypeAssertion':
        this.assertion(node, parent);
        break;
      case 'ImportSpecifier':
      case 'ExportSpecifier':
        if (node.importKind === 'type' || node.exportKind === 'type') this.dropOfList(node);
        break;
    }
  }

  /** `<T>value` */
  private assertion(node: Node, parent: Node | undefined): void {
    const { typeAnnotation } = node as Node & { typeAnnotation: Node };
    const close = this.text.indexOf('>', this.skip(typeAnnotation.end)) + 1;
    const starts = this.text[this.skip(close)];
    // Behind `return` a new line would end it, and a brace would begin a block.
    if (/[\n\r]/.test(this.text.slice(node.start, this.skip(close)))) throw new NeedsCompiler(node.type);
    if (starts === '{' && (parent?.type === 'ArrowFunctionExpression' || parent?.type === 'ExpressionStatement'))
      throw new NeedsCompiler(node.type);
    this.blank(node.start, close);
  }

  /** The place behind an expression and the brackets around it, where `as` begins. */
  private behind(expression: Node): number {
    let at = this.skip(expression.end);
    while (this.text[at] === ')') at = this.skip(at + 1);
    return at;
  }

  /** `?` or `!` behind a name. */
  private sign(name: Node, sign: '?' | '!'): void {
    const annotation = name.typeAnnotation as Node | null | undefined;
    const end = annotation ? annotation.start : name.end;
    const at = this.text.lastIndexOf(sign, end);
    if (at >= name.start) this.blank(at, at + 1);
  }

  /** Between `)` and `=>` there may be no new line. */
  private arrow(node: Node): void {
    const { returnType, typeParameters, body } = node as Node & Record<'returnType' | 'typeParameters' | 'body', Node>;
    if (
      typeParameters &&
      node.async === true &&
      /[\n\r]/.test(this.text.slice(typeParameters.start, typeParameters.end))
    )
      throw new NeedsCompiler(node.type);
    if (!returnType) return;
    const arrow = this.text.lastIndexOf('=>', body.start);
    if (!/[\n\r]/.test(this.text.slice(returnType.start, arrow))) return;
    const close = this.text.lastIndexOf(')', returnType.start);
    this.blank(close, close + 1);
    this.chars[returnType.end - 1] = ')';
    if (/[\n\r]/.test(this.text.slice(returnType.end, arrow))) throw new NeedsCompiler(node.type);
  }

  /** A parameter `this` is a type, with the comma behind it. */
  private dropThis({ params }: Node): void {
    const first = (params as Node[] | undefined)?.[0];
    if (first?.type === 'Identifier' && first.name === 'this') this.dropOfList(first);
  }

  private dropOfList({ start, end }: Node): void {
    const comma = this.skip(end);
    this.blank(start, this.text[comma] === ',' ? comma + 1 : end);
  }

  /** Words before a member's name, and signs behind it. */
  private member(node: Node): void {
    const { key, decorators } = node as Node & { key: Node; decorators?: Node[] };
    let at = this.skip(decorators?.length ? decorators.at(-1)!.end : node.start);
    let first = -1;
    const name = node.computed === true ? this.text.lastIndexOf('[', key.start) : key.start;
    while (at < name) {
      const word = /^\w+/.exec(this.text.slice(at, name))?.[0] ?? this.text[at]!;
      if (MODIFIERS.test(word)) {
        if (first < 0) first = at;
        this.blank(at, at + word.length);
      }
      at = this.skip(at + word.length);
    }
    // Without the word before it, it would go on with the field before.
    const kept = first < 0 ? '' : /\S/.exec(this.chars.slice(first, name + 1).join(''))?.[0];
    if (first >= 0 && (kept === '[' || kept === '*')) this.chars[first] = ';';
    const behind = node.computed === true ? this.text.indexOf(']', this.skip(key.end)) + 1 : key.end;
    const sign = this.skip(behind);
    if ((node.optional === true && this.text[sign] === '?') || (node.definite === true && this.text[sign] === '!'))
      this.blank(sign, sign + 1);
  }

  private classHead(node: Node): void {
    const {
      implements: list,
      body,
      superClass,
    } = node as Node & { implements?: Node[]; body: Node; superClass?: Node };
    if (node.abstract === true) {
      const at = this.text.slice(0, body.start).lastIndexOf('abstract', this.text.indexOf('class', node.start));
      if (at >= node.start) this.blank(at, at + 'abstract'.length);
    }
    if (!list?.length) return;
    const from = Math.max(
      ...[superClass, node.id, node.superTypeParameters, node.typeParameters].map(
        (one) => (one as Node | null)?.end ?? 0,
      ),
      node.start,
    );
    const at = this.text.indexOf('implements', from);
    this.blank(at, list.at(-1)!.end);
  }
}

function isNode(value: unknown): value is Node {
  return typeof value === 'object' && value !== null && typeof (value as { type?: unknown }).type === 'string';
}

/** Their type is removed with the word before it. */
function isTypeExpression(type: string): boolean {
  return type === 'TSAsExpression' || type === 'TSSatisfiesExpression' || type === 'TSTypeAssertion';
}

/** A namespace that holds nothing that runs. */
function holdsTypesOnly({ body, declare }: Node): boolean {
  if (declare === true) return true;
  const inner = body as Node | null | undefined;
  if (!inner) return true;
  if (inner.type === 'TSModuleDeclaration') return holdsTypesOnly(inner);
  return (inner.body as Node[]).every((statement) => {
    const { declaration } = statement as { declaration?: Node };
    const one = statement.type === 'ExportNamedDeclaration' && declaration ? declaration : statement;
    if (one.declare === true || GONE.has(one.type)) return true;
    return one.type === 'TSModuleDeclaration' && holdsTypesOnly(one);
  });
}
