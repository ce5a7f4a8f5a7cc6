/**
 * Errors explained from the record: what failed in the words of the source,
 * the values that took part as they were then, the nearest name for one that
 * does not exist, and the way there. Says nothing that it does not know.
 */
import { boundNames, eachChild, isFunction, type Node } from '../syntax/node.js';
import { nearest } from '../syntax/names.js';
import { parse } from '../syntax/parse.js';
import type { LineTable } from '../syntax/positions.js';
import type { ProgramFile } from '../record/program.js';
import { historyOf, type Sample } from '../record/questions.js';
import type { Frame, PadRecord, RecordError } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import type { Value } from '../wire/value.js';

/** A place on the way to an error; or, folded, frames of a library. */
export type Step = { frame: Frame; times?: number } | { folded: number; of: string };

export interface Explanation {
  /** `boat.cargo is undefined, so it has no 'tonnes'`; empty where the message says it all. */
  reason: string;
  /** `Did you mean 'rates'?`, or empty. */
  hint: string;
  /** Names at the place that failed, with their values then. */
  values: { name: string; text: string }[];
  /** The way there, innermost first. */
  path: Step[];
}

const cache = new WeakMap<RecordError, { record: PadRecord; explanation: Explanation }>();

/** Explains one error of a record; the same object for the same record. */
export function explain(record: PadRecord, error: RecordError): Explanation {
  const known = cache.get(error);
  if (known?.record.ended) return known.explanation;
  const explanation = make(record, error);
  cache.set(error, { record, explanation });
  return explanation;
}

function make(record: PadRecord, error: RecordError): Explanation {
  const explanation: Explanation = { reason: '', hint: '', values: [], path: stepsOf(error.frames) };
  const file = record.program.files.find((one) => one.file === error.file);
  if (!file || error.kind === 'syntax' || error.kind === 'resolve' || !error.frames.some((frame) => frame.local))
    return explanation;
  const tree = treeOf(file);
  if (!tree) return explanation;
  const offset = file.lines.offsetAt(error.range.start);
  const way = nodesAt(tree, offset);
  if (way.length === 0) return explanation;
  const place: Place = { record, file, way, offset, until: error.moment, late: error.kind === 'rejection' };
  Object.assign(explanation, reasonOf(error, place));
  explanation.values = valuesAt(place, error);
  return explanation;
}

interface Place {
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

function treeOf(file: ProgramFile): Node | null {
  let known = trees.get(file.lines);
  if (!known) {
    known = { tree: parse(file.lines.text, { file: file.file }).program };
    trees.set(file.lines, known);
  }
  return known.tree;
}

function nodesAt(root: Node, offset: number): Node[] {
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

function reasonOf(error: RecordError, place: Place): Pick<Explanation, 'reason' | 'hint'> {
  const { message } = error;
  const none = { reason: '', hint: '' };
  let match: RegExpExecArray | null;
  if (
    (match = /^Cannot (read|set) properties of (undefined|null)(?: \((?:reading|setting) '(.*)'\))?$/s.exec(message))
  ) {
    const member = memberAt(place);
    const object = member ? textOf(place, member.object as Node) : '';
    if (object === '') return none;
    return {
      reason: `${object} is ${match[2]}${match[3] === undefined ? '' : `, so '${match[3]}' cannot be ${match[1] === 'read' ? 'read from' : 'set on'} it`}`,
      hint: missingHint(place, member!.object as Node),
    };
  }
  if ((match = /^(.+?) is not (defined|a function|a constructor|iterable)(.*)$/s.exec(message))) {
    const [, subject, what] = match;
    if (what === 'defined') return { reason: '', hint: didYouMean(subject!, namesInScope(place)) };
    const call = [...place.way].reverse().find((node) => /^(Optional)?CallExpression$|^NewExpression$/.test(node.type));
    const callee = call?.callee as Node | undefined;
    if (what === 'iterable' || !callee) return none;
    if (callee.type === 'MemberExpression' || callee.type === 'OptionalMemberExpression') {
      const object = textOf(place, callee.object as Node);
      const name = callee.computed ? '' : (callee.property.name as string);
      const value = valueOf(place, callee.object as Node);
      const found = value && memberOf(value, name);
      const reason = found
        ? `${object}.${name} is ${valueText(found, 80)}`
        : value
          ? `${object} is ${article(kindOf(value))} and has no '${name}'`
          : '';
      return { reason, hint: value ? didYouMean(name, [...memberNames(value, place)]) : '' };
    }
    const value = callee.type === 'Identifier' ? known(place, callee.name as string) : undefined;
    return { reason: value ? `${textOf(place, callee)} is ${valueText(value, 80)}` : '', hint: '' };
  }
  if ((match = /^Cannot access '(.+)' before initialization$/.exec(message))) {
    const line = declarationLine(place, match[1]!);
    return {
      reason: line === undefined ? '' : `${match[1]} gets its value at line ${line + 1}, which had not run`,
      hint: '',
    };
  }
  if (message === 'Assignment to constant variable.') {
    const write = [...place.way]
      .reverse()
      .find(
        (node) =>
          node.type === 'AssignmentExpression' ||
          node.type === 'UpdateExpression' ||
          node.type === 'ExpressionStatement',
      );
    const whole = write?.type === 'ExpressionStatement' ? (write.expression as Node) : write;
    const target = (whole?.left ?? whole?.argument) as Node | undefined;
    const name = target?.type === 'Identifier' ? (target.name as string) : undefined;
    const line = name === undefined ? undefined : declarationLine(place, name);
    return {
      reason: line === undefined ? '' : `${name} is a const, made at line ${line + 1}`,
      hint: line === undefined ? '' : 'Make it a let there, or give the value another name.',
    };
  }
  if (/^Maximum call stack size exceeded/.test(message)) {
    const names = [
      ...new Set(error.frames.filter((frame) => frame.local).map((frame) => frame.name || 'a function')),
    ].slice(0, 4);
    return {
      reason:
        names.length > 0
          ? `${names.join(' and ')} ${names.length === 1 ? 'calls itself' : 'call each other'} without an end`
          : '',
      hint: '',
    };
  }
  return none;
}

/** Why a name or member holds nothing, where a misspelling may be the reason. */
function missingHint(place: Place, object: Node): string {
  if (object.type !== 'MemberExpression' || object.computed) return '';
  const value = valueOf(place, object.object as Node);
  const name = object.property.name as string;
  if (!value || value.entries?.some((entry) => entry.key === name)) return '';
  return didYouMean(name, [...memberNames(value, place)]);
}

function didYouMean(name: string, names: readonly string[]): string {
  const found =
    name.length > 1
      ? nearest(
          name,
          names.filter((one) => one !== name),
        )
      : undefined;
  return found === undefined ? '' : `Did you mean '${found}'?`;
}

function memberAt(place: Place): Node | undefined {
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

function textOf(place: Place, node: Node): string {
  const text = place.file.lines.text.slice(node.start, node.end).replace(/\s+/g, ' ');
  return text.length > 60 ? `${text.slice(0, 59)}…` : text;
}

function declarationLine(place: Place, name: string): number | undefined {
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
function namesInScope(place: Place): string[] {
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

const MOST_VALUES = 6;

/** Names in the statement that failed, with what they were. */
function valuesAt(place: Place, error: RecordError): { name: string; text: string }[] {
  const { way } = place;
  let from = way.length - 1;
  while (from > 0 && !/Statement$|^VariableDeclarator$|^ArrowFunctionExpression$|^ClassProperty$/.test(way[from]!.type))
    from--;
  let root = way[from]!;
  // The head of a compound statement, not its body.
  if (root.type === 'ArrowFunctionExpression') root = root.body as Node;
  for (const key of ['test', 'discriminant', 'right', 'init'] as const) {
    const head = root[key] as Node | null | undefined;
    if (
      /^(If|While|For|ForOf|ForIn|Switch|DoWhile)Statement$/.test(root.type) &&
      head &&
      head.start <= place.offset &&
      head.end > place.offset
    )
      root = head;
  }
  const found = new Map<string, string>();
  const visit = (node: Node): void => {
    if (found.size >= MOST_VALUES || (isFunction(node) && !(node.start <= place.offset && node.end > place.offset)))
      return;
    if (node.type === 'BlockStatement') return;
    const path = pathOf(node);
    if (path !== undefined) {
      if (!found.has(path)) {
        const value = valueOf(place, node);
        if (value && value.type !== 'function' && !error.message.startsWith(`Cannot access '${path}'`))
          found.set(path, valueText(value, 120) + staleness(place, node));
      }
      if (node.type === 'MemberExpression') visit(node.object as Node);
      return;
    }
    eachChild(node, visit);
  };
  visit(root);
  // What the assertion tells itself needs no second telling.
  if (error.differences && error.differences.list.length > 0 && found.size === 0) return [];
  return [...found].map(([name, text]) => ({ name, text }));
}

/** `boat.cargo` for names and plain members of them. */
function pathOf(node: Node): string | undefined {
  if (node.type === 'Identifier') return node.name as string;
  if (node.type === 'ThisExpression') return undefined;
  if (node.type !== 'MemberExpression' || node.computed || node.property.type !== 'Identifier') return undefined;
  const object = pathOf(node.object as Node);
  return object === undefined ? undefined : `${object}.${node.property.name as string}`;
}

function valueOf(place: Place, node: Node): Value | undefined {
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
function known(place: Place, name: string): Value | undefined {
  return latest(place, name)?.sample.value;
}

function latest(place: Place, name: string): { sample: Sample; total: number } | undefined {
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

/** Says so where the value is that of an earlier visit, because not every visit was looked at. */
function staleness(place: Place, node: Node): string {
  let root = node;
  while (root.type === 'MemberExpression') root = root.object as Node;
  const found = root.type === 'Identifier' ? latest(place, root.name as string) : undefined;
  if (!found || (place.late ? found.total < 2 : found.sample.visit >= found.total)) return '';
  if (place.late) return ' (as last seen)';
  return ` (at visit ${found.sample.visit.toLocaleString('en-US')} of ${found.total.toLocaleString('en-US')})`;
}

function memberOf(value: Value, name: string): Value | undefined {
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

function kindOf(value: Value): string {
  if (value.type !== 'object') return value.type;
  return value.form === 'array' ? 'array' : (value.class ?? value.form ?? 'object');
}

function article(noun: string): string {
  return noun === 'undefined' || noun === 'null' ? noun : `${/^[aeiou]/i.test(noun) ? 'an' : 'a'} ${noun}`;
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

function* memberNames(value: Value, place: Place): Generator<string> {
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

/** Frames with those of libraries folded between the person's own; none behind the last of them. */
export function stepsOf(frames: readonly Frame[]): Step[] {
  const steps: Step[] = [];
  let last = -1;
  frames.forEach((frame, index) => {
    if (frame.local) last = index;
  });
  for (let i = 0; i <= last; i++) {
    const frame = frames[i]!;
    const previous = steps[steps.length - 1];
    if (frame.local) {
      // A function that calls itself stands there once.
      if (previous && 'frame' in previous && isSame(previous.frame, frame)) previous.times = (previous.times ?? 1) + 1;
      else steps.push({ frame });
      continue;
    }
    const of = libraryOf(frame.file);
    if (previous && 'folded' in previous && previous.of === of) previous.folded++;
    else steps.push({ folded: 1, of });
  }
  return steps;
}

function isSame(a: Frame, b: Frame): boolean {
  return (
    a.file === b.file &&
    a.name === b.name &&
    a.range.start.line === b.range.start.line &&
    a.range.start.character === b.range.start.character
  );
}

function libraryOf(file: string): string {
  const at = file.lastIndexOf('/node_modules/');
  if (at < 0) return file.startsWith('node:') || file === '' ? 'the platform' : file.slice(file.lastIndexOf('/') + 1);
  const parts = file.slice(at + 14).split('/');
  return parts[0]!.startsWith('@') ? `${parts[0]}/${parts[1] ?? ''}` : parts[0]!;
}
