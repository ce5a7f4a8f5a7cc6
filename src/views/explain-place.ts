/** Where an error happened: the source there, and the values that were known. */
import { historyOf } from '../record/histories.js';
import type { ProgramFile } from '../record/program.js';
import type { PadRecord } from '../record/record.js';
import type { Sample } from '../record/site-index.js';
import { type Node, boundNames, eachChild, isFunction } from '../syntax/node.js';
import { parse } from '../syntax/parse.js';
import type { LineTable } from '../syntax/positions.js';
import type { Value } from '../wire/value.js';

export interface Place {
  record: PadRecord;
  file: ProgramFile;
  /** Nodes that hold the place, outermost first. */
  way: Node[];
  offset: number;
  until: number;
  /** The error was told some time after it was thrown. */
  late: boolean;
}

const trees = new WeakMap<LineTable, { tree: Node | null }>();

export function treeOf(file: ProgramFile): Node | null {
  let known = trees.get(file.lines);
  if (!known) {
    known = { tree: parse(file.lines.text, { file: file.file }).program };
    trees.set(file.lines, known);
  }
  return known.tree;
}

export function nodesAt(root: Node, offset: number): Node[] {
  const way: Node[] = [];
  const visit = (node: Node): void => {
    way.push(node);
    let found: Node | undefined;
    eachChild(node, (child) => {
      if (child.start <= offset && child.end > offset) found = child;
    });
    if (found) visit(found);
  };
  if (root.start <= offset && root.end >= offset) visit(root);
  return way;
}

// ---- what failed ------------------------------------------------------------

export function memberAt(place: Place): Node | undefined {
  const { way, offset } = place;
  for (let i = way.length - 1; i >= 0; i--) {
    const node = way[i]!;
    if (
      (node.type === 'MemberExpression' || node.type === 'OptionalMemberExpression') &&
      node.property.end > offset &&
      node.property.start <= offset
    )
      return node;
    if (node.type === 'MemberExpression' && node.start === offset) return node;
  }
  const write = [...way]
    .reverse()
    .find((node) => node.type === 'AssignmentExpression' || node.type === 'ExpressionStatement');
  const left = (write?.type === 'ExpressionStatement' ? (write.expression as Node).left : write?.left) as
    Node | undefined;
  if (left?.type === 'MemberExpression') return left;
  const last = way[way.length - 1];
  return last?.type === 'MemberExpression' ? last : undefined;
}

export function textOf(place: Place, node: Node): string {
  const text = place.file.lines.text.slice(node.start, node.end).replace(/\s+/g, ' ');
  return text.length > 60 ? `${text.slice(0, 59)}…` : text;
}

export function declarationLine(place: Place, name: string): number | undefined {
  let found: number | undefined;
  const visit = (node: Node): void => {
    if (node.type === 'VariableDeclarator')
      for (const id of boundNames(node.id as Node)) if (id.name === name) found ??= place.file.lines.lineAt(id.start);
    if ((node.type === 'ClassDeclaration' || node.type === 'FunctionDeclaration') && node.id?.name === name)
      found ??= place.file.lines.lineAt(node.start);
    eachChild(node, visit);
  };
  visit(place.way[0]!);
  return found;
}

const GLOBALS = Object.getOwnPropertyNames(globalThis).filter((name) => /^[a-zA-Z]/.test(name));

/** Names that code at the place may use. */
export function namesInScope(place: Place): string[] {
  const names = new Set<string>();
  const bind = (pattern: Node | null | undefined): void => {
    for (const id of boundNames(pattern)) names.add(id.name as string);
  };
  const declared = (node: Node): void => {
    const inner = /^Export/.test(node.type) ? ((node.declaration as Node | null) ?? node) : node;
    if (inner.type === 'VariableDeclaration')
      for (const declarator of inner.declarations as Node[]) bind(declarator.id as Node);
    else if ((inner.type === 'FunctionDeclaration' || inner.type === 'ClassDeclaration') && inner.id)
      names.add(inner.id.name as string);
    else if (inner.type === 'ImportDeclaration')
      for (const specifier of inner.specifiers as Node[]) names.add(specifier.local.name as string);
  };
  for (const node of place.way) {
    if (isFunction(node)) for (const parameter of node.params as Node[]) bind(parameter);
    if (node.type === 'CatchClause') bind(node.param as Node | null);
    if (node.type === 'ForStatement' || node.type === 'ForOfStatement' || node.type === 'ForInStatement') {
      const head = (node.init ?? node.left) as Node | null;
      if (head) declared(head);
    }
    if (Array.isArray(node.body)) for (const statement of node.body as Node[]) declared(statement);
  }
  return [...names, ...GLOBALS];
}

// ---- values -----------------------------------------------------------------

/** `boat.cargo` for names and plain members of them. */
export function pathOf(node: Node): string | undefined {
  if (node.type === 'Identifier') return node.name as string;
  if (node.type === 'ThisExpression') return undefined;
  if (node.type !== 'MemberExpression' || node.computed || node.property.type !== 'Identifier') return undefined;
  const object = pathOf(node.object as Node);
  return object === undefined ? undefined : `${object}.${node.property.name as string}`;
}

export function valueOf(place: Place, node: Node): Value | undefined {
  if (node.type === 'Identifier') return known(place, node.name as string);
  if (node.type === 'MemberExpression' && !node.computed && node.property.type === 'Identifier') {
    const object = valueOf(place, node.object as Node);
    return object && memberOf(object, node.property.name as string);
  }
  return sampleAt(place, node)?.value;
}

/** The value of an expression that was itself reported. */
function sampleAt(place: Place, node: Node): Sample | undefined {
  const { file, record } = place;
  for (const site of file.sites)
    if (site.start === node.start && site.end === node.end) {
      const history = historyOf(record, site.id, file.file, place.until);
      if (history && history.length > 0) return history.at(history.length - 1);
    }
  return undefined;
}

/** The last value that a name was given by then, in a function around the place. */
export function known(place: Place, name: string): Value | undefined {
  return latest(place, name)?.sample.value;
}

export function latest(place: Place, name: string): { sample: Sample; total: number } | undefined {
  const { record, file } = place;
  const around = new Set<number>([-1]);
  for (const site of file.sites)
    if (site.kind === 'function' && site.start <= place.offset && site.end > place.offset) around.add(site.id);
  let best: { sample: Sample; total: number; inner: number } | undefined;
  for (const site of file.sites) {
    if (site.name !== name || !NAMING.has(site.kind) || !around.has(site.within)) continue;
    const history = historyOf(record, site.id, file.file, place.until);
    if (!history || history.length === 0) continue;
    const sample = history.at(history.length - 1);
    // An inner name hides an outer one.
    if (!best || site.within > best.inner || (site.within === best.inner && sample.moment > best.sample.moment))
      best = { sample, total: history.total, inner: site.within };
  }
  return best;
}

const NAMING = new Set(['declaration', 'assignment', 'variable', 'item', 'default', 'caught']);

export function memberOf(value: Value, name: string): Value | undefined {
  const entry = value.form === 'map' ? undefined : value.entries?.find((one) => one.key === name);
  if (entry) return entry.value.form === 'getter' ? undefined : entry.value;
  if (name === 'length' && (value.form === 'array' || value.form === 'typed'))
    return { type: 'number', text: String(value.size ?? 0) };
  if (name === 'size' && (value.form === 'map' || value.form === 'set'))
    return { type: 'number', text: String(value.size ?? 0) };
  // All own members are known, and it is none of them.
  if (
    value.type === 'object' &&
    value.form === undefined &&
    value.class === undefined &&
    value.entries &&
    value.more === undefined
  )
    return { type: 'undefined' };
  return undefined;
}

export function kindOf(value: Value): string {
  if (value.type !== 'object') return value.type;
  return value.form === 'array' ? 'array' : (value.class ?? value.form ?? 'object');
}

const PROTOTYPES: Partial<Record<string, object>> = {
  array: Array.prototype,
  map: Map.prototype,
  set: Set.prototype,
  date: Date.prototype,
  regexp: RegExp.prototype,
  promise: Promise.prototype,
  typed: Uint8Array.prototype,
};

export function* memberNames(value: Value, place: Place): Generator<string> {
  for (const entry of value.entries ?? []) if (entry.key !== undefined && value.form !== 'map') yield entry.key;
  const prototype =
    value.type === 'string'
      ? String.prototype
      : value.type === 'number'
        ? Number.prototype
        : value.type === 'function'
          ? Function.prototype
          : PROTOTYPES[value.form ?? ''];
  for (
    let at: object | null = prototype ?? null;
    at && at !== Object.prototype;
    at = Object.getPrototypeOf(at) as object | null
  )
    yield* Object.getOwnPropertyNames(at);
  if (value.class === undefined) return;
  // Methods of a class of the program.
  const names: string[] = [];
  const visit = (node: Node): void => {
    if ((node.type === 'ClassDeclaration' || node.type === 'ClassExpression') && node.id?.name === value.class)
      for (const member of node.body.body as Node[])
        if (member.key?.type === 'Identifier' && member.kind !== 'constructor') names.push(member.key.name as string);
    eachChild(node, visit);
  };
  for (const file of place.record.program.files) {
    const tree = treeOf(file);
    if (tree) visit(tree);
  }
  yield* names;
}

// ---- the way ----------------------------------------------------------------
