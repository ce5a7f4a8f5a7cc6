/**
 * What a test can reach, as its text tells: the code that takes part in it,
 * and whether that code changes or asks anything outside. Always on the safe
 * side: what is not known to be harmless counts as harm.
 */
import { boundNames, eachChild, isFunction, type Node } from './node.js';
import type { Outline } from './outline.js';
import { testNamesOf } from './tests.js';

const words = (text: string): ReadonlySet<string> => new Set(text.split(' '));

/** Globals that give the same for the same, and change nothing. */
const HARMLESS = words(
  'undefined NaN Infinity Object Array String Number Boolean BigInt Symbol Map Set WeakMap WeakSet Promise RegExp Error TypeError RangeError SyntaxError EvalError URIError AggregateError URL URLSearchParams ArrayBuffer DataView Uint8Array Uint8ClampedArray Int8Array Uint16Array Int16Array Uint32Array Int32Array Float32Array Float64Array BigInt64Array BigUint64Array parseInt parseFloat isNaN isFinite structuredClone encodeURIComponent decodeURIComponent encodeURI decodeURI Math JSON Date TextEncoder TextDecoder arguments console',
);
/** Methods of the language's own objects that change nothing, unless the program has a method of that name itself. */
const READING = words(
  'map filter reduce reduceRight slice concat join flat flatMap find findIndex findLast findLastIndex some every includes indexOf lastIndexOf at keys values entries forEach toSorted toReversed toSpliced with has get split trim trimStart trimEnd padStart padEnd repeat replace replaceAll match matchAll charAt charCodeAt codePointAt startsWith endsWith toUpperCase toLowerCase toLocaleUpperCase toLocaleLowerCase normalize localeCompare substring search toFixed toPrecision toExponential toString toLocaleString valueOf getTime getFullYear getMonth getDate getDay getHours getMinutes getSeconds getMilliseconds getUTCFullYear getUTCMonth getUTCDate getUTCDay getUTCHours getUTCMinutes getUTCSeconds toISOString toJSON then catch finally hasOwnProperty isPrototypeOf isArray from of stringify parse assign fromEntries getOwnPropertyNames getPrototypeOf is isInteger isSafeInteger isFinite isNaN fromCharCode fromCodePoint resolve all allSettled race any reject raw UTC encode decode abs ceil floor round trunc sign sqrt cbrt hypot pow exp log log2 log10 min max sin cos tan asin acos atan atan2 fround clz32 imul',
);

interface Facts {
  names: Set<string>;
  /** Names of members that are called or read where the program has a method or getter of that name. */
  members: Set<string>;
  mutates: boolean;
  world: boolean;
  /** Prints: a result taken from before would print nothing. */
  prints: boolean;
}

interface Statement {
  file: string;
  text: string;
  declares: string[];
  facts: Facts;
  /** A call of `test`, `describe` and the like. */
  test: Node | undefined;
  hook: boolean;
  kind: string;
}

export interface ReachFile {
  file: string;
  outline: Outline;
  /** The local file that a specifier means; undefined for packages and builtins. */
  local(specifier: string): string | undefined;
}

export interface ReachedTest {
  file: string;
  /** Offset of the call that declares it. */
  start: number;
  /** What has to be the same for its last result to hold; undefined where that cannot be told. */
  key: string | undefined;
}

/** The tests at the top level of some files, each with what its result depends on. */
export function reachedTests(files: readonly ReachFile[]): ReachedTest[] {
  const own = new Set<string>();
  for (const { outline } of files) for (const name of memberNames(outline)) own.add(name);
  const shared = [...own].sort().join(' ');
  const programs = new Map(files.map((one) => [one.file, factsOfFile(one, own, shared)]));
  const found: ReachedTest[] = [];
  for (const program of programs.values())
    for (const statement of program.statements)
      if (statement.test)
        found.push({ file: program.file, start: statement.test.start, key: keyOf(statement, program, programs) });
  return found;
}

function keyOf(test: Statement, home: FileFacts, programs: ReadonlyMap<string, FileFacts>): string | undefined {
  const parts = new Set<Statement>([test]);
  const open: { statement: Statement; in: FileFacts; tests: boolean }[] = [{ statement: test, in: home, tests: true }];
  const names = new Set<string>();
  for (const program of programs.values())
    for (const hook of program.hooks) {
      parts.add(hook);
      open.push({ statement: hook, in: program, tests: true });
    }
  const take = (statement: Statement, program: FileFacts, own: boolean): void => {
    if (parts.has(statement)) return;
    parts.add(statement);
    open.push({ statement, in: program, tests: own });
  };
  const members = new Set<string>();
  while (open.length > 0) {
    const { statement, in: program, tests } = open.pop()!;
    const { facts } = statement;
    if (facts.world) return undefined;
    // What the test itself runs must not change anything that others see; what others change is part of the key, with those that call for it.
    if (tests && (facts.mutates || facts.prints)) return undefined;
    if (facts.mutates)
      for (const name of statement.declares)
        for (const each of program.mentioning.get(name) ?? []) take(each, program, false);
    for (const name of facts.names) {
      const id = `${program.file}\n${name}`;
      if (names.has(id)) continue;
      names.add(id);
      const entry = program.imports.get(name);
      if (entry) {
        const target = programs.get(entry.file);
        if (!target) return undefined;
        for (const each of target.statements) {
          // Who else calls what changes a module's state is not followed over files.
          if (each.facts.mutates) return undefined;
          if (each.test === undefined) take(each, target, each.declares.length > 0 && tests);
        }
        continue;
      }
      for (const each of program.declaring.get(name) ?? []) take(each, program, tests);
      for (const each of program.mutating.get(name) ?? []) if (each !== test) take(each, program, false);
    }
    for (const member of facts.members) {
      if (members.has(member)) continue;
      members.add(member);
      // A method of that name, wherever it is written.
      for (const other of programs.values())
        for (const each of other.withMember.get(member) ?? []) take(each, other, tests);
    }
  }
  return [...parts].map((part) => `${part.file}\n${part.text}`).join('\n\u0000\n');
}

const known = new WeakMap<Outline, { shared: string; facts: FileFacts }>();

/** The facts of a file stay while its text does, and the names of methods in the program. */
function factsOfFile(file: ReachFile, own: ReadonlySet<string>, shared: string): FileFacts {
  const links = file.outline.imports.map((entry) => file.local(entry.specifier) ?? '').join('\n');
  const before = known.get(file.outline);
  if (before && before.shared === shared + links) return before.facts;
  const facts = new FileFacts(file, own);
  known.set(file.outline, { shared: shared + links, facts });
  return facts;
}

class FileFacts {
  readonly file: string;
  readonly statements: Statement[] = [];
  readonly hooks: Statement[] = [];
  readonly declaring = new Map<string, Statement[]>();
  readonly mutating = new Map<string, Statement[]>();
  readonly mentioning = new Map<string, Statement[]>();
  readonly withMember = new Map<string, Statement[]>();
  readonly imports = new Map<string, { file: string; imported: string }>();

  constructor({ file, outline, local }: ReachFile, own: ReadonlySet<string>) {
    this.file = file;
    const { text } = outline.parsed;
    const testing = testNamesOf(outline);
    const hooks = new Set<string>();
    const harmless = new Set(HARMLESS);
    const asserting = new Set<string>();
    for (const entry of outline.imports) {
      if (entry.typeOnly) continue;
      const target = local(entry.specifier);
      for (const { local: name, imported } of entry.names) {
        // Data: its text is part of every key.
        if (/\.json$/i.test(entry.specifier)) harmless.add(name);
        else if (entry.specifier === 'node:test') {
          harmless.add(name);
          if (/^(before|after)(Each)?$/.test(imported)) hooks.add(name);
        } else if (/^(node:)?assert(\/strict)?$/.test(entry.specifier)) {
          harmless.add(name);
          asserting.add(name);
        } else if (target !== undefined) this.imports.set(name, { file: target, imported });
      }
    }
    for (const { node, start, end, names, kind } of outline.statements) {
      if (kind === 'import' || kind === 'type') continue;
      const call = calledAt(node);
      const callee = call && (call.callee.type === 'MemberExpression' ? call.callee.object : call.callee);
      const name = callee?.type === 'Identifier' ? (callee.name as string) : '';
      const statement: Statement = {
        file,
        text: text.slice(start, end),
        declares: names,
        facts: factsOf(node, { harmless, asserting, testing, own, top: outline.topLevel, imports: this.imports }),
        test: testing.has(name) ? call : undefined,
        hook: hooks.has(name),
        kind,
      };
      this.statements.push(statement);
      if (statement.hook) this.hooks.push(statement);
      for (const declared of names) add(this.declaring, declared, statement);
      for (const used of statement.facts.names) {
        if (statement.facts.mutates) add(this.mutating, used, statement);
        add(this.mentioning, used, statement);
      }
      for (const member of ownMembers(node)) add(this.withMember, member, statement);
    }
  }
}

function add(map: Map<string, Statement[]>, key: string, statement: Statement): void {
  const list = map.get(key);
  if (list) list.push(statement);
  else map.set(key, [statement]);
}

/** The call that a statement consists of. */
function calledAt(node: Node): Node | undefined {
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

/** One walk over a statement. */
function factsOf(root: Node, context: Context): Facts {
  const facts: Facts = { names: new Set(), members: new Set(), mutates: false, world: false, prints: false };
  const locals = new Map<string, 'fresh' | 'function' | 'other'>();
  collectLocals(root, locals, context.top);
  const isOutside = (name: string): boolean => context.top.has(name) || context.imports.has(name);

  const changed = (target: Node, construct: boolean): void => {
    switch (target.type) {
      case 'Identifier':
        if (!locals.has(target.name) || isOutside(target.name)) facts.mutates = true;
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
            !isOutside(object.name as string) &&
            target.object === object);
        if (!fresh) facts.mutates = true;
        break;
      }
      case 'ObjectPattern':
        for (const property of target.properties as Node[])
          changed((property.type === 'RestElement' ? property.argument : property.value) as Node, construct);
        break;
      case 'ArrayPattern':
        for (const element of target.elements as (Node | null)[]) if (element) changed(element, construct);
        break;
      case 'AssignmentPattern':
        changed(target.left as Node, construct);
        break;
      case 'RestElement':
        changed(target.argument as Node, construct);
        break;
      default:
        facts.mutates = true;
    }
  };

  const called = (node: Node): void => {
    let callee = node.callee as Node;
    while (callee.type === 'ParenthesizedExpression' || callee.type === 'TSNonNullExpression')
      callee = callee.expression as Node;
    if (callee.type === 'Super' || isFunction(callee)) return;
    if (callee.type === 'Identifier') {
      const name = callee.name as string;
      if (isOutside(name) || context.harmless.has(name) || locals.get(name) === 'function') return;
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
    if (holder === 'console' && !locals.has(holder) && !isOutside(holder)) facts.prints = true;
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
  };

  const visit = (node: Node, construct: boolean): void => {
    switch (node.type) {
      case 'Identifier':
      case 'JSXIdentifier': {
        const name = node.name as string;
        if (isOutside(name)) facts.names.add(name);
        else if (!locals.has(name) && !context.harmless.has(name)) facts.world = true;
        return;
      }
      case 'AssignmentExpression':
        changed(node.left as Node, construct);
        break;
      case 'UpdateExpression':
        changed(node.argument as Node, construct);
        break;
      case 'ForInStatement':
      case 'ForOfStatement':
        if (node.left.type !== 'VariableDeclaration') changed(node.left as Node, construct);
        break;
      case 'UnaryExpression':
        if (node.operator === 'delete') facts.mutates = true;
        break;
      case 'CallExpression':
      case 'OptionalCallExpression':
        called(node);
        break;
      case 'NewExpression':
        if (node.callee.type === 'Identifier') {
          const name = node.callee.name as string;
          if (name === 'Date' && node.arguments.length === 0) facts.world = true;
          else if (!isOutside(name) && !context.harmless.has(name)) facts.mutates = true;
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
      visit(child, inConstructor);
    });
  };
  visit(root, false);
  return facts;
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

/** Names of methods and accessors that a file writes itself. */
function memberNames(outline: Outline): Set<string> {
  const before = memberCache.get(outline);
  if (before) return before;
  const names = new Set<string>();
  for (const { node } of outline.statements) for (const name of ownMembers(node)) names.add(name);
  memberCache.set(outline, names);
  return names;
}

const memberCache = new WeakMap<Outline, Set<string>>();

function ownMembers(root: Node): Set<string> {
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
