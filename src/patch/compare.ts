/**
 * Compares two versions of a file: what changed, function by function and
 * statement by statement. Pure: from two outlines to a list of changes.
 */
import type { Node } from '../syntax/node.js';
import { boundNames } from '../syntax/node.js';
import type { ClassInfo, FunctionInfo, Outline, TopLevelStatement } from '../syntax/outline.js';

export type Change =
  | { kind: 'function'; name: string; before: number; after: number }
  | { kind: 'added-function'; name: string; after: number; exported: boolean }
  | { kind: 'added-class'; name: string; node: Node; exported: boolean }
  | { kind: 'added-value'; name: string; init: Node | null; exported: boolean; constant: boolean }
  | { kind: 'value'; name: string; init: Node | null; constant: boolean }
  | { kind: 'member'; name: string; className: string; before: number; after: number }
  | { kind: 'added-member'; name: string; className: string; after: number }
  | { kind: 'removed'; name: string; what: 'function' | 'class' | 'value' | 'member' }
  | { kind: 'class-shape'; name: string; what: string }
  | { kind: 'statement'; text: string; line: number; added: boolean }
  | { kind: 'import'; text: string }
  | { kind: 'cannot'; name: string; reason: string };

export interface Comparison {
  changes: Change[];
  /** For each function of the new outline, the function of the old one that it continues, or -1. */
  continues: Int32Array;
}

/** Compares two outlines of one file. */
export function compareOutlines(before: Outline, after: Outline): Comparison {
  return new Comparer(before, after).compare();
}

class Comparer {
  private readonly changes: Change[] = [];
  private readonly continues: Int32Array;
  private readonly exported: Set<string>;

  constructor(
    private readonly before: Outline,
    private readonly after: Outline,
  ) {
    this.continues = new Int32Array(after.functions.length).fill(-1);
    this.exported = new Set(after.exports.filter((entry) => entry.from === undefined).map((entry) => entry.local));
  }

  compare(): Comparison {
    this.matchByPath();
    const old = new Map<string, TopLevelStatement>();
    for (const statement of this.before.statements) for (const name of statement.names) if (statement.kind !== 'type') old.set(name, statement);
    const seen = new Set<string>();
    const loose: TopLevelStatement[] = [];
    for (const statement of this.after.statements) {
      switch (statement.kind) {
        case 'function':
          this.fn(statement, old, seen);
          break;
        case 'class':
          this.class(statement, old, seen);
          break;
        case 'const':
        case 'let':
        case 'var':
          this.values(statement, old, seen);
          break;
        case 'import':
        case 'type':
          break;
        default:
          loose.push(statement);
      }
    }
    for (const [name, statement] of old) {
      if (seen.has(name)) continue;
      const what = statement.kind === 'function' ? 'function' : statement.kind === 'class' ? 'class' : 'value';
      if (statement.kind !== 'enum' && statement.kind !== 'namespace') this.changes.push({ kind: 'removed', name, what });
    }
    this.statements(loose);
    this.imports();
    return { changes: this.changes, continues: this.continues };
  }

  /** A function continues the one with its path; a renamed or moved one is found by its statement below. */
  private matchByPath(): void {
    const paths = new Map(this.before.functions.map((info, index) => [info.path, index]));
    this.after.functions.forEach((info, index) => {
      const match = paths.get(info.path);
      if (match !== undefined && sameKind(this.before.functions[match]!, info)) this.continues[index] = match;
    });
  }

  private fn(statement: TopLevelStatement, old: Map<string, TopLevelStatement>, seen: Set<string>): void {
    const name = statement.names[0] ?? 'default';
    seen.add(name);
    const index = this.after.functions.findIndex((info) => info.parent < 0 && info.node === declarationNode(statement.node));
    const previous = old.get(name);
    if (index < 0) return;
    if (!previous || previous.kind !== 'function') {
      if (previous) this.changes.push({ kind: 'cannot', name, reason: 'it was something else than a function before: restart to change that' });
      else this.changes.push({ kind: 'added-function', name, after: index, exported: this.exported.has(name) });
      return;
    }
    const match = this.before.functions.findIndex((info) => info.parent < 0 && info.node === declarationNode(previous.node));
    this.pair(name, match, index);
  }

  /** Two versions of one function. */
  private pair(name: string, before: number, after: number): void {
    const from = this.before.functions[before]!;
    const to = this.after.functions[after]!;
    this.continues[after] = before;
    this.matchInner(before, after);
    if (textOf(this.before, from.node) === textOf(this.after, to.node)) return;
    if (from.generator !== to.generator) {
      this.changes.push({ kind: 'cannot', name, reason: 'a generator cannot become a plain function in place, nor the other way round' });
      return;
    }
    if (to.inBlock) {
      this.changes.push({
        kind: 'cannot',
        name,
        reason: 'it stands inside a block whose own names later code cannot see: move it to the top level, or restart',
      });
      return;
    }
    if (
      to.kind === 'arrow' &&
      parametersOf(this.before, from) !== parametersOf(this.after, to) &&
      !(simpleParameters(from) && simpleParameters(to) && to.node.params.length <= from.node.params.length)
    ) {
      this.changes.push({
        kind: 'cannot',
        name,
        reason: 'an arrow function in place cannot be given more parameters than it had: restart, or write it as a function',
      });
      return;
    }
    this.changes.push({ kind: 'function', name, before, after });
  }

  /** Functions inside a matched function: in order, kind by kind. */
  private matchInner(before: number, after: number): void {
    const inside = (outline: Outline, root: number): number[] => outline.functions.flatMap((info, index) => (info.parent === root ? [index] : []));
    const old = inside(this.before, before);
    inside(this.after, after).forEach((index, position) => {
      if (this.continues[index]! >= 0) return;
      const candidate = old[position];
      if (candidate !== undefined && sameKind(this.before.functions[candidate]!, this.after.functions[index]!)) this.continues[index] = candidate;
    });
  }

  private class(statement: TopLevelStatement, old: Map<string, TopLevelStatement>, seen: Set<string>): void {
    const name = statement.names[0] ?? 'default';
    seen.add(name);
    const node = declarationNode(statement.node);
    const previous = old.get(name);
    if (!previous) {
      this.changes.push({ kind: 'added-class', name, node, exported: this.exported.has(name) });
      return;
    }
    if (previous.kind !== 'class') {
      this.changes.push({ kind: 'cannot', name, reason: 'it was something else than a class before: restart to change that' });
      return;
    }
    const before = classIndex(this.before, declarationNode(previous.node));
    const after = classIndex(this.after, node);
    const from = this.before.classes[before]!;
    const to = this.after.classes[after]!;
    const members = (outline: Outline, owner: number): Map<string, number> => {
      const found = new Map<string, number>();
      outline.functions.forEach((info, index) => {
        if (info.owner === owner)
          found.set(`${info.isStatic ? 'static ' : ''}${info.kind === 'getter' ? 'get ' : info.kind === 'setter' ? 'set ' : ''}${info.name}`, index);
      });
      return found;
    };
    const oldMembers = members(this.before, before);
    for (const [key, index] of members(this.after, after)) {
      const info = this.after.functions[index]!;
      const match = oldMembers.get(key);
      oldMembers.delete(key);
      const shown = `${name}.${key}`;
      if (match === undefined) {
        if (info.name.startsWith('#'))
          this.changes.push({
            kind: 'cannot',
            name: shown,
            reason: 'a class that is made cannot be given a new private member: restart, or write it without #',
          });
        else if (info.kind === 'constructor') this.changes.push({ kind: 'class-shape', name, what: 'its constructor' });
        else this.changes.push({ kind: 'added-member', name: shown, className: name, after: index });
        continue;
      }
      this.continues[index] = match;
      this.matchInner(match, index);
      if (textOf(this.before, this.before.functions[match]!.node) === textOf(this.after, info.node)) continue;
      if (info.kind === 'constructor') this.changes.push({ kind: 'class-shape', name, what: 'its constructor' });
      else if (this.before.functions[match]!.generator !== info.generator)
        this.changes.push({ kind: 'cannot', name: shown, reason: 'a generator cannot become a plain method in place, nor the other way round' });
      else if (info.name === '[computed]') this.changes.push({ kind: 'cannot', name: shown, reason: 'its key is computed' });
      else this.changes.push({ kind: 'member', name: shown, className: name, before: match, after: index });
    }
    for (const key of oldMembers.keys()) this.changes.push({ kind: 'removed', name: `${name}.${key}`, what: 'member' });
    if (shapeOf(this.before, from) !== shapeOf(this.after, to)) this.changes.push({ kind: 'class-shape', name, what: 'its fields or parent' });
  }

  private values(statement: TopLevelStatement, old: Map<string, TopLevelStatement>, seen: Set<string>): void {
    const declaration = declarationNode(statement.node);
    for (const declarator of declaration.declarations as Node[]) {
      if (declarator.id.type !== 'Identifier') {
        const names = boundNames(declarator.id).map((id) => id.name as string);
        for (const name of names) seen.add(name);
        const same = names.every((name) => old.has(name)) && this.before.parsed.text.includes(textOf(this.after, declarator));
        if (!same)
          this.changes.push({
            kind: 'cannot',
            name: names.join(', '),
            reason: 'a destructuring declaration cannot be changed in place: restart, or write it name by name',
          });
        continue;
      }
      const name: string = declarator.id.name;
      seen.add(name);
      const previous = old.get(name);
      const constant = statement.kind === 'const';
      if (!previous) {
        const index = this.functionAt(this.after, declarator.init);
        if (index >= 0) this.changes.push({ kind: 'added-function', name, after: index, exported: this.exported.has(name) });
        else this.changes.push({ kind: 'added-value', name, init: declarator.init ?? null, exported: this.exported.has(name), constant });
        continue;
      }
      const before = declaratorOf(previous, name);
      if (!before) {
        this.changes.push({ kind: 'cannot', name, reason: 'it was declared in another way before: restart to change that' });
        continue;
      }
      const oldFunction = this.functionAt(this.before, before.init);
      const newFunction = this.functionAt(this.after, declarator.init);
      if (oldFunction >= 0 && newFunction >= 0 && sameKind(this.before.functions[oldFunction]!, this.after.functions[newFunction]!)) {
        this.pair(name, oldFunction, newFunction);
        continue;
      }
      const from = before.init ? textOf(this.before, before.init) : '';
      const to = declarator.init ? textOf(this.after, declarator.init) : '';
      if (from === to) continue;
      if (before.init && declarator.init && this.insideOnly(before.init, declarator.init, name)) continue;
      this.changes.push({ kind: 'value', name, init: declarator.init ?? null, constant: constant && previous.kind === 'const' });
    }
  }

  private functionAt(outline: Outline, node: Node | null | undefined): number {
    return node ? outline.functions.findIndex((info) => info.node === node) : -1;
  }

  /** True when two texts differ only inside functions, which are then compared one by one. */
  private insideOnly(before: Node, after: Node, name: string): boolean {
    const from = masked(this.before, before.start, before.end);
    const to = masked(this.after, after.start, after.end);
    if (from.text !== to.text || from.functions.length === 0) return false;
    from.functions.forEach((index, position) => {
      const info = this.after.functions[to.functions[position]!]!;
      this.pair(info.name && info.name !== name ? `${name}.${info.name}` : name, index, to.functions[position]!);
    });
    return true;
  }

  /** Statements without a name: matched by their text with functions left out. */
  private statements(after: TopLevelStatement[]): void {
    const before = this.before.statements.filter((statement) => !['function', 'class', 'const', 'let', 'var', 'import', 'type'].includes(statement.kind));
    const left = new Map<string, TopLevelStatement[]>();
    for (const statement of before) {
      const key = masked(this.before, statement.start, statement.end).text;
      const list = left.get(key);
      if (list) list.push(statement);
      else left.set(key, [statement]);
    }
    for (const statement of after) {
      const { text, functions } = masked(this.after, statement.start, statement.end);
      const match = left.get(text)?.shift();
      if (!match) {
        this.changes.push({ kind: 'statement', text: firstLine(textOf(this.after, statement.node)), line: lineOf(this.after, statement.start), added: true });
        continue;
      }
      const old = masked(this.before, match.start, match.end).functions;
      functions.forEach((index, position) => {
        const info = this.after.functions[index]!;
        this.pair(`${info.path} (line ${lineOf(this.after, info.start)})`, old[position]!, index);
      });
    }
    for (const list of left.values())
      for (const statement of list)
        this.changes.push({
          kind: 'statement',
          text: firstLine(textOf(this.before, statement.node)),
          line: lineOf(this.before, statement.start),
          added: false,
        });
  }

  private imports(): void {
    const key = (outline: Outline): Set<string> =>
      new Set(
        outline.imports
          .filter((entry) => !entry.typeOnly)
          .flatMap((entry) => (entry.names.length === 0 ? [entry.specifier] : entry.names.map((name) => `${name.local} from '${entry.specifier}'`))),
      );
    const before = key(this.before);
    for (const text of key(this.after)) if (!before.has(text)) this.changes.push({ kind: 'import', text });
  }
}

/** The text of a range with its outermost functions left out, and those functions in order. */
function masked(outline: Outline, start: number, end: number): { text: string; functions: number[] } {
  const functions: number[] = [];
  let text = '';
  let at = start;
  outline.functions
    .map((info, index) => ({ info, index }))
    .filter(({ info }) => info.parent < 0 && info.owner < 0 && info.start >= start && info.end <= end)
    .sort((a, b) => a.info.start - b.info.start)
    .forEach(({ info, index }) => {
      if (info.start < at) return;
      text += `${outline.parsed.text.slice(at, info.start)}ƒ${info.kind}`;
      functions.push(index);
      at = info.end;
    });
  return { text: squeeze(text + outline.parsed.text.slice(at, end)), functions };
}

function squeeze(text: string): string {
  return text.replace(/\s+/g, ' ').replace(/;\s*$/, '').trim();
}

function textOf(outline: Outline, node: { start: number; end: number }): string {
  return outline.parsed.text.slice(node.start, node.end);
}

function parametersOf(outline: Outline, info: FunctionInfo): string {
  return (info.node.params as Node[]).map((parameter) => textOf(outline, parameter)).join(',');
}

function simpleParameters(info: FunctionInfo): boolean {
  return (info.node.params as Node[]).every((parameter) => parameter.type === 'Identifier');
}

/** A class without its methods: fields, static blocks, parent. */
function shapeOf(outline: Outline, info: ClassInfo): string {
  const { node } = info;
  const parts = [node.superClass ? textOf(outline, node.superClass) : ''];
  for (const member of node.body.body as Node[]) if (/Property$|StaticBlock/.test(member.type)) parts.push(squeeze(textOf(outline, member)));
  return parts.join('\n');
}

function classIndex(outline: Outline, node: Node): number {
  return outline.classes.findIndex((info) => info.node === node);
}

function declarationNode(node: Node): Node {
  return (node.type === 'ExportNamedDeclaration' || node.type === 'ExportDefaultDeclaration') && node.declaration ? node.declaration : node;
}

function declaratorOf(statement: TopLevelStatement, name: string): Node | undefined {
  const declaration = declarationNode(statement.node);
  if (declaration.type !== 'VariableDeclaration') return undefined;
  return (declaration.declarations as Node[]).find((declarator) => declarator.id.type === 'Identifier' && declarator.id.name === name);
}

function sameKind(a: FunctionInfo, b: FunctionInfo): boolean {
  return (a.kind === 'arrow') === (b.kind === 'arrow') && a.owner >= 0 === b.owner >= 0;
}

function lineOf(outline: Outline, offset: number): number {
  let line = 1;
  const { text } = outline.parsed;
  for (let i = text.indexOf('\n'); i >= 0 && i < offset; i = text.indexOf('\n', i + 1)) line++;
  return line;
}

function firstLine(text: string): string {
  const line = text.split('\n')[0]!;
  return line.length > 60 ? `${line.slice(0, 59)}…` : line;
}
