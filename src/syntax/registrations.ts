/**
 * Handlers that a text registers, by the shapes that such calls have wherever they come from: a method's name and a
 * path, an object with both, a key `GET /path`; listeners and timers. No library is known by its name.
 */
import type { Outline } from './outline.js';
import { eachChild, isFunction, type Node } from './node.js';
import { LineTable } from './positions.js';

/** A handler of requests, listeners or timers that a text registers. */
export interface Registration {
  kind: 'request' | 'event' | 'timer';
  /** Of a request; `*` for any. */
  method: string;
  /** Of a request its path, of an event its name, of a timer the function's name. */
  path: string;
  /** The name of the function, where it has one. */
  handler?: string;
  /** The object it is registered at, and the function around that has a name. */
  on: string;
  inside: string;
  /** Zero-based. */
  line: number;
}

/** What a text puts below a path: another object, or a file by its specifier. */
export interface Mount {
  prefix: string;
  what: { name: string } | { specifier: string };
  on: string;
  inside: string;
}

export interface Registrations {
  handlers: Registration[];
  mounts: Mount[];
  /** Paths that objects were made with, by name: `new Router({ prefix: '/api' })`. */
  bases: Map<string, string>;
}

const METHODS = /^(?:get|post|put|patch|delete|head|options|all|del|any)$/;
const KEY = /^(GET|POST|PUT|PATCH|DELETE|HEAD|OPTIONS)\s+(\/\S*)$/;
/** What streams tell: a part of reading and writing, and nothing that comes in by itself. */
const STREAM = /^(?:data|end|error|close|finish|drain|readable|pause|resume)$/;
const MOUNTS = /^(?:use|route|register|mount|basePath|group)$/;

/** What is known while a text is gone through. */
interface Walk {
  lines: LineTable;
  constants: ReadonlyMap<string, string>;
  out: Registrations;
}

export function registrationsOf(outline: Outline): Registrations {
  const out: Registrations = { handlers: [], mounts: [], bases: new Map() };
  const { program, text } = outline.parsed;
  if (!program) return out;
  const walk: Walk = { lines: new LineTable(text), constants: constantsOf(program as Node), out };
  visit(program as Node, '', walk);
  return out;
}

/** Texts that names at the top level stand for. */
function constantsOf(program: Node): Map<string, string> {
  const found = new Map<string, string>();
  for (const statement of program.body as Node[]) {
    const declared = statement.type === 'ExportNamedDeclaration' ? (statement.declaration as Node | null) : statement;
    if (declared?.type !== 'VariableDeclaration' || declared.kind !== 'const') continue;
    for (const { id, init } of declared.declarations as { id: Node; init: Node | null }[])
      if (id.type === 'Identifier' && init?.type === 'StringLiteral')
        found.set(id.name as string, init.value as string);
  }
  return found;
}

function visit(node: Node, inside: string, walk: Walk): void {
  if (node.type === 'CallExpression') takeCall(node, inside, walk);
  else if (node.type === 'ObjectExpression') takeObject(node, inside, walk);
  else if (node.type === 'StringLiteral') takeKey(node, inside, walk);
  else if (node.type === 'VariableDeclarator') takeBase(node, walk);
  const named = nameOfFunction(node) ?? inside;
  // A part of a longer text is no key.
  const isJoined = node.type === 'BinaryExpression' && node.operator === '+';
  eachChild(node, (child) => {
    if (!isJoined || child.type !== 'StringLiteral') visit(child, named, walk);
  });
}

/** The name that a function has in the text, or none. */
function nameOfFunction(node: Node): string | undefined {
  if (node.type === 'VariableDeclarator') {
    const { id, init } = node as unknown as { id: Node; init: Node | null };
    return id.type === 'Identifier' && init && isFunction(init) ? (id.name as string) : undefined;
  }
  return isFunction(node) && node.id ? ((node.id as Node).name as string) : undefined;
}

function takeCall(node: Node, inside: string, walk: Walk): void {
  const callee = node.callee as Node;
  const given = node.arguments as Node[];
  const line = walk.lines.lineAt(node.start);
  if (callee.type === 'Identifier') {
    if (callee.name === 'setInterval' && given[0])
      walk.out.handlers.push({
        ...{ kind: 'timer', method: '', path: functionName(given[0]) ?? (callee.name as string), on: '', inside, line },
      });
    return;
  }
  if (callee.type !== 'MemberExpression' || callee.computed) return;
  const name = (callee.property as Node).name as string | undefined;
  if (name === undefined) return;
  const on = rootName(callee.object as Node);
  const text = textOf(given[0], walk.constants);
  const takesFunction = given.slice(1).some((one) => mayBeFunction(one));
  if (METHODS.test(name)) {
    const path = text ?? routeAround(callee.object as Node, walk.constants);
    const isHandled = text === undefined ? given.some((one) => mayBeFunction(one)) : takesFunction;
    if (path?.startsWith('/') && isHandled)
      walk.out.handlers.push({ kind: 'request', method: methodNamed(name), path, on, inside, line });
    return;
  }
  if (MOUNTS.test(name)) takeMount(name, given, on, inside, walk);
  const isListener = name === 'on' || name === 'once' || name === 'addListener' || name === 'addEventListener';
  if (isListener && text !== undefined && takesFunction && !text.startsWith('/') && !STREAM.test(text))
    walk.out.handlers.push({
      ...{ kind: 'event', method: '', path: text, on, inside, line },
      ...namedHandler(given[1]),
    });
}

/** `new Router({ prefix: '/api' })`, `new App().basePath('/api')`. */
function takeBase({ id, init }: Node, { constants, out }: Walk): void {
  const name = (id as Node).name as string | undefined;
  let made = init as Node | null;
  let base: string | undefined;
  while (name !== undefined && made && (made.type === 'NewExpression' || made.type === 'CallExpression')) {
    const callee = made.callee as Node;
    const [first] = made.arguments as Node[];
    const isBase =
      callee.type === 'MemberExpression' && /^(?:basePath|prefix)$/.test(String((callee.property as Node).name));
    const found = isBase ? textOf(first, constants) : first && textOf(propertyOf(first, 'prefix'), constants);
    if (found?.startsWith('/')) base = found + (base ?? '');
    made = callee.type === 'MemberExpression' ? (callee.object as Node) : null;
  }
  if (name !== undefined && base !== undefined) out.bases.set(name, base);
}

/** `use('/tolls', tolls)`, `register(tolls, { prefix: '/tolls' })`. */
function takeMount(name: string, given: readonly Node[], on: string, inside: string, walk: Walk): void {
  const text = textOf(given[0], walk.constants);
  const prefix =
    text ??
    given
      .slice(1)
      .map((one) => textOf(propertyOf(one, 'prefix'), walk.constants))
      .find((one) => one !== undefined) ??
    '';
  // `route('/path')` alone begins a chain of methods.
  const parts = text === undefined ? given : given.slice(1);
  if (prefix !== '' && !prefix.startsWith('/')) return;
  for (const one of name === 'register' ? parts.slice(0, 1) : parts) {
    const what = mounted(one);
    if (what) walk.out.mounts.push({ prefix, what, on, inside });
  }
}

function mounted(node: Node): Mount['what'] | undefined {
  if (node.type === 'Identifier') return { name: node.name as string };
  const loaded = loadedFile(node.type === 'AwaitExpression' ? (node.argument as Node) : node);
  if (loaded !== undefined) return { specifier: loaded };
  // `tolls.routes()`, `tolls.router`.
  if (node.type === 'CallExpression' && (node.callee as Node).type === 'MemberExpression')
    return mounted((node.callee as Node).object as Node);
  if (node.type === 'MemberExpression') return mounted(node.object as Node);
  return undefined;
}

/** `require('./tolls')`, `import('./tolls.js')`. */
function loadedFile(node: Node): string | undefined {
  if (node.type === 'ImportExpression') return textOf(node.source as Node, new Map());
  if (node.type !== 'CallExpression') return undefined;
  const callee = node.callee as Node;
  if (callee.type !== 'Import' && !(callee.type === 'Identifier' && callee.name === 'require')) return undefined;
  return textOf((node.arguments as Node[])[0], new Map());
}

/** `{ method: 'GET', url: '/tolls', handler }`. */
function takeObject(node: Node, inside: string, walk: Walk): void {
  const path = textOf(propertyOf(node, 'url') ?? propertyOf(node, 'path'), walk.constants);
  const method = propertyOf(node, 'method');
  if (!path?.startsWith('/') || !method) return;
  const isHandled = ['handler', 'handle', 'handlers', 'action', 'run'].some((name) => propertyOf(node, name));
  if (!isHandled) return;
  const methods = method.type === 'ArrayExpression' ? (method.elements as Node[]) : [method];
  for (const one of methods) {
    const text = textOf(one, walk.constants);
    if (text !== undefined)
      walk.out.handlers.push({
        ...{ kind: 'request', method: methodNamed(text), path, on: '', inside, line: walk.lines.lineAt(node.start) },
      });
  }
}

/** `'GET /tolls'`, wherever it stands. */
function takeKey(node: Node, inside: string, walk: Walk): void {
  const found = KEY.exec(node.value as string);
  if (found)
    walk.out.handlers.push({
      ...{ kind: 'request', method: found[1]!, path: found[2]!, on: '', inside, line: walk.lines.lineAt(node.start) },
    });
}

function methodNamed(name: string): string {
  const upper = name.toUpperCase();
  return upper === 'ALL' || upper === 'ANY' ? '*' : upper === 'DEL' ? 'DELETE' : upper;
}

function textOf(node: Node | undefined, constants: ReadonlyMap<string, string>): string | undefined {
  if (node?.type === 'StringLiteral') return node.value as string;
  if (node?.type === 'Identifier') return constants.get(node.name as string);
  if (node?.type !== 'TemplateLiteral') return undefined;
  let text = '';
  const quasis = node.quasis as { value: { cooked: string } }[];
  for (let i = 0; i < quasis.length; i++) {
    text += quasis[i]!.value.cooked;
    const inner = (node.expressions as Node[])[i];
    if (!inner) continue;
    const value = textOf(inner, constants);
    if (value === undefined) return undefined;
    text += value;
  }
  return text;
}

/** The path of `route('/tolls').get(…).post(…)`. */
function routeAround(node: Node, constants: ReadonlyMap<string, string>): string | undefined {
  for (let at = node; at.type === 'CallExpression';) {
    const callee = at.callee as Node;
    if (callee.type !== 'MemberExpression') return undefined;
    if ((callee.property as Node).name === 'route') return textOf((at.arguments as Node[])[0], constants);
    at = callee.object as Node;
  }
  return undefined;
}

/** The name at the root of `router.route('/tolls').get`. */
function rootName(node: Node): string {
  let at = node;
  for (;;) {
    if (at.type === 'MemberExpression') at = at.object as Node;
    else if (at.type === 'CallExpression') at = at.callee as Node;
    else return at.type === 'Identifier' ? (at.name as string) : '';
  }
}

function propertyOf(node: Node, name: string): Node | undefined {
  if (node.type !== 'ObjectExpression') return undefined;
  for (const property of node.properties as Node[]) {
    const key = property.key as Node | undefined;
    if (!key || property.computed) continue;
    if (key.name !== name && key.value !== name) continue;
    return property.type === 'ObjectMethod' ? property : (property.value as Node);
  }
  return undefined;
}

/** A function, or something that may stand for one. */
function mayBeFunction(node: Node): boolean {
  return (
    isFunction(node) ||
    node.type === 'Identifier' ||
    node.type === 'MemberExpression' ||
    node.type === 'CallExpression' ||
    (node.type === 'ArrayExpression' && (node.elements as (Node | null)[]).some((one) => one && mayBeFunction(one)))
  );
}

function namedHandler(node: Node | undefined): { handler?: string } {
  const handler = node && functionName(node);
  return handler === undefined ? {} : { handler };
}

function functionName(node: Node): string | undefined {
  if (node.type === 'Identifier') return node.name as string;
  return isFunction(node) && node.id ? ((node.id as Node).name as string) : undefined;
}
