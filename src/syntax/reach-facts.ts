/** What a piece of code reads, writes and does, as far as its text tells. */
import { type Node, boundNames, eachChild, isFunction } from './node.js';

const words = (text: string): ReadonlySet<string> => new Set(text.split(' '));

/** Globals that give the same for the same, and change nothing. */
export const HARMLESS = words(
  'undefined NaN Infinity Object Array String Number Boolean BigInt Symbol Map Set WeakMap WeakSet Promise ' +
    'RegExp Error TypeError RangeError SyntaxError EvalError URIError AggregateError URL URLSearchParams ' +
    'ArrayBuffer DataView Uint8Array Uint8ClampedArray Int8Array Uint16Array Int16Array Uint32Array ' +
    'Int32Array Float32Array Float64Array BigInt64Array BigUint64Array parseInt parseFloat isNaN isFinite structuredClone encodeURIComponent decodeURIComponent encodeURI decodeURI Math JSON Date TextEncoder TextDecoder arguments console',
);

/** Methods of the language's own objects that change nothing, unless the program has a method of that name itself. */
const READING = words(
  'map filter reduce reduceRight slice concat join flat flatMap find findIndex findLast findLastIndex some ' +
    'every includes indexOf lastIndexOf at keys values entries forEach toSorted toReversed toSpliced with ' +
    'has get split trim trimStart trimEnd padStart padEnd repeat replace replaceAll match matchAll charAt ' +
    'charCodeAt codePointAt startsWith endsWith toUpperCase toLowerCase toLocaleUpperCase toLocaleLowerCase normalize localeCompare substring search toFixed toPrecision toExponential toString toLocaleString valueOf getTime getFullYear getMonth getDate getDay getHours getMinutes getSeconds getMilliseconds getUTCFullYear getUTCMonth getUTCDate getUTCDay getUTCHours getUTCMinutes getUTCSeconds toISOString toJSON then catch finally hasOwnProperty isPrototypeOf isArray from of stringify parse assign fromEntries getOwnPropertyNames getPrototypeOf is isInteger isSafeInteger isFinite isNaN fromCharCode fromCodePoint resolve all allSettled race any reject raw UTC encode decode abs ceil floor round trunc sign sqrt cbrt hypot pow exp log log2 log10 min max sin cos tan asin acos atan atan2 fround clz32 imul',
);

export interface Facts {
  names: Set<string>;
  /** Names of members that are called or read where the program has a method or getter of that name. */
  members: Set<string>;
  mutates: boolean;
  world: boolean;
  /** Prints: a result taken from before would print nothing. */
  prints: boolean;
}

/** The call that a statement consists of. */
export function calledAt(node: Node): Node | undefined {
  let inner = node.type === 'ExpressionStatement' ? (node.expression as Node) : undefined;
  while (inner && (inner.type === 'AwaitExpression' || (inner.type === 'UnaryExpression' && inner.operator === 'void')))
    inner = inner.argument as Node;
  return inner?.type === 'CallExpression' ? inner : undefined;
}

interface Context {
  harmless: ReadonlySet<string>;
  asserting: ReadonlySet<string>;
  testing: ReadonlySet<string>;
  own: ReadonlySet<string>;
  top: ReadonlyMap<string, unknown>;
  imports: ReadonlyMap<string, unknown>;
}

/** What executing a statement may do to what lies outside of it, and what it reads. */
export function factsOf(root: Node, context: Context): Facts {
  const walk = new FactsWalk(root, context);
  walk.visit(root, false);
  return walk.facts;
}

/** One walk over a statement. */
class FactsWalk {
  readonly facts: Facts = { names: new Set(), members: new Set(), mutates: false, world: false, prints: false };
  private readonly locals = new Map<string, 'fresh' | 'function' | 'other'>();

  constructor(
    root: Node,
    private readonly context: Context,
  ) {
    collectLocals(root, this.locals, context.top);
  }

  private isOutside(name: string): boolean {
    return this.context.top.has(name) || this.context.imports.has(name);
  }

  /** Something is assigned to. @param construct inside a constructor, where `this` is fresh */
  private changed(target: Node, construct: boolean): void {
    const { facts, locals } = this;
    switch (target.type) {
      case 'Identifier':
        if (!locals.has(target.name) || this.isOutside(target.name)) facts.mutates = true;
        break;
      case 'MemberExpression':
      case 'OptionalMemberExpression': {
        let object = target;
        while (object.type === 'MemberExpression' || object.type === 'OptionalMemberExpression')
          object = object.object as Node;
        const fresh =
          (object.type === 'ThisExpression' && construct && target.object === object) ||
          (object.type === 'Identifier' &&
            locals.get(object.name as string) === 'fresh' &&
            !this.isOutside(object.name as string) &&
            target.object === object);
        if (!fresh) facts.mutates = true;
        break;
      }
      case 'ObjectPattern':
        for (const property of target.properties as Node[])
          this.changed((property.type === 'RestElement' ? property.argument : property.value) as Node, construct);
        break;
      case 'ArrayPattern':
        for (const element of target.elements as (Node | null)[]) if (element) this.changed(element, construct);
        break;
      case 'AssignmentPattern':
        this.changed(target.left as Node, construct);
        break;
      case 'RestElement':
        this.changed(target.argument as Node, construct);
        break;
      default:
        facts.mutates = true;
    }
  }

  private called(node: Node): void {
    const { context, facts, locals } = this;
    let callee = node.callee as Node;
    while (callee.type === 'ParenthesizedExpression' || callee.type === 'TSNonNullExpression')
      callee = callee.expression as Node;
    if (callee.type === 'Super' || isFunction(callee)) return;
    if (callee.type === 'Identifier') {
      const name = callee.name as string;
      if (this.isOutside(name) || context.harmless.has(name) || locals.get(name) === 'function') return;
      facts.mutates = true;
      return;
    }
    if (callee.type !== 'MemberExpression' && callee.type !== 'OptionalMemberExpression') {
      facts.mutates = true;
      return;
    }
    if (callee.computed || callee.property.type !== 'Identifier') {
      facts.mutates = true;
      return;
    }
    const method = callee.property.name as string;
    const object = callee.object as Node;
    const holder = object.type === 'Identifier' ? (object.name as string) : '';
    if (holder === 'console' && !locals.has(holder) && !this.isOutside(holder)) facts.prints = true;
    else if (context.own.has(method)) facts.members.add(method);
    else if (context.testing.size > 0 && locals.has(holder) && /^(test|diagnostic|skip|todo|plan)$/.test(method))
      return;
    else if (context.asserting.has(holder) || (context.testing.has(holder) && !locals.has(holder))) return;
    else if (holder === 'Math' && method === 'random') facts.world = true;
    else if (holder === 'Date' && method === 'now') facts.world = true;
    else if (holder === 'Object' && method === 'assign') {
      const first = (node.arguments as Node[])[0];
      if (first?.type !== 'ObjectExpression') facts.mutates = true;
    } else if (!READING.has(method)) facts.mutates = true;
  }

  visit(node: Node, construct: boolean): void {
    const { context, facts, locals } = this;
    switch (node.type) {
      case 'Identifier':
      case 'JSXIdentifier': {
        const name = node.name as string;
        if (this.isOutside(name)) facts.names.add(name);
        else if (!locals.has(name) && !context.harmless.has(name)) facts.world = true;
        return;
      }
      case 'AssignmentExpression':
        this.changed(node.left as Node, construct);
        break;
      case 'UpdateExpression':
        this.changed(node.argument as Node, construct);
        break;
      case 'ForInStatement':
      case 'ForOfStatement':
        if (node.left.type !== 'VariableDeclaration') this.changed(node.left as Node, construct);
        break;
      case 'UnaryExpression':
        if (node.operator === 'delete') facts.mutates = true;
        break;
      case 'CallExpression':
      case 'OptionalCallExpression':
        this.called(node);
        break;
      case 'NewExpression':
        if (node.callee.type === 'Identifier') {
          const name = node.callee.name as string;
          if (name === 'Date' && node.arguments.length === 0) facts.world = true;
          else if (!this.isOutside(name) && !context.harmless.has(name)) facts.mutates = true;
        } else facts.mutates = true;
        break;
      case 'ImportExpression':
      case 'TaggedTemplateExpression':
      case 'WithStatement':
      case 'MetaProperty':
        facts.world = true;
        break;
      case 'Import':
        facts.world = true;
        return;
    }
    const inConstructor =
      node.type === 'ClassMethod' || node.type === 'ClassPrivateMethod'
        ? node.kind === 'constructor'
        : node.type === 'ClassProperty' || node.type === 'ClassPrivateProperty'
          ? true
          : node.type === 'FunctionExpression' || node.type === 'FunctionDeclaration' || node.type === 'ObjectMethod'
            ? false
            : construct;
    eachChild(node, (child) => {
      if (
        (node.type === 'MemberExpression' || node.type === 'OptionalMemberExpression') &&
        child === node.property &&
        !node.computed
      ) {
        if (child.type === 'Identifier' && context.own.has(child.name as string))
          facts.members.add(child.name as string);
        return;
      }
      if (
        /^(Object|Class)(Property|Method)|^Class(Private|Accessor)/.test(node.type) &&
        child === node.key &&
        !node.computed &&
        node.shorthand !== true
      )
        return;
      this.visit(child, inConstructor);
    });
  }
}

/** Names bound inside a statement, below its top level. */
function collectLocals(
  root: Node,
  locals: Map<string, 'fresh' | 'function' | 'other'>,
  top: ReadonlyMap<string, unknown>,
): void {
  const bind = (pattern: Node, as: 'fresh' | 'function' | 'other'): void => {
    for (const id of boundNames(pattern)) {
      const name = id.name as string;
      if (top.has(name)) continue;
      const known = locals.get(name);
      locals.set(name, known !== undefined && known !== as ? 'other' : as);
    }
  };
  const visit = (node: Node): void => {
    if (isFunction(node)) {
      for (const parameter of node.params as Node[]) bind(parameter, 'other');
      if (node.id) bind(node.id as Node, 'function');
    } else if (node.type === 'VariableDeclarator') {
      const init = node.init as Node | null;
      bind(
        node.id as Node,
        init && isFunction(init)
          ? 'function'
          : init &&
              node.id.type === 'Identifier' &&
              /^(ObjectExpression|ArrayExpression|NewExpression)$/.test(init.type)
            ? 'fresh'
            : 'other',
      );
    } else if (node.type === 'AssignmentExpression' && node.left.type === 'Identifier') {
      if (locals.has(node.left.name as string)) bind(node.left as Node, 'other');
    } else if (node.type === 'CatchClause' && node.param) bind(node.param as Node, 'other');
    else if ((node.type === 'ClassDeclaration' || node.type === 'ClassExpression') && node.id)
      bind(node.id as Node, 'other');
    eachChild(node, visit);
  };
  visit(root);
}

export function ownMembers(root: Node): Set<string> {
  const names = new Set<string>();
  const visit = (node: Node): void => {
    if (
      (node.type === 'ClassMethod' || node.type === 'ObjectMethod') &&
      node.kind !== 'constructor' &&
      !node.computed &&
      node.key.type === 'Identifier'
    )
      names.add(node.key.name as string);
    else if (
      (node.type === 'ClassProperty' || node.type === 'ObjectProperty') &&
      !node.computed &&
      node.key.type === 'Identifier' &&
      node.value &&
      isFunction(node.value as Node)
    )
      names.add(node.key.name as string);
    eachChild(node, visit);
  };
  visit(root);
  return names;
}
