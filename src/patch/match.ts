/**
 * Matches the functions and classes of two versions of a file: by name and
 * place first, and through renames, moves and insertions by likeness.
 */
import { bare, type Node } from '../syntax/node.js';
import type { ClassInfo, FunctionInfo, Outline } from '../syntax/outline.js';
import { likeness } from './shape.js';

export interface Matches {
  /** For each function of the new outline, the function of the old one that it continues, or -1. */
  functions: Int32Array;
  classes: Int32Array;
  /** Top-level names that go on under another name: new to old. */
  renamed: Map<string, string>;
}

/** Below this, two functions of other names are two functions. */
const ALIKE = 0.7;
/** Functions without a name are told apart by their place too: less is asked of their text. */
const SOMEWHAT_ALIKE = 0.35;
/** Lists longer than this are matched by text and place alone. */
const LONG = 60;

export function match(before: Outline, after: Outline): Matches {
  return new Matcher(before, after).match();
}

interface Entry {
  index: number;
  name: string;
  text: string;
}

class Matcher {
  private readonly functions: Int32Array;
  private readonly classes: Int32Array;
  private readonly renamed = new Map<string, string>();

  constructor(
    private readonly before: Outline,
    private readonly after: Outline,
  ) {
    this.functions = new Int32Array(after.functions.length).fill(-1);
    this.classes = new Int32Array(after.classes.length).fill(-1);
  }

  match(): Matches {
    this.level(-1, -1, -1, -1);
    return { functions: this.functions, classes: this.classes, renamed: this.renamed };
  }

  /** Matches what stands directly in a function or class of both versions. */
  private level(oldFunction: number, newFunction: number, oldClass: number, newClass: number): void {
    const pairs = this.align(
      this.functionsIn(this.before, oldFunction, oldClass),
      this.functionsIn(this.after, newFunction, newClass),
      (a, b) => this.fits(a, b),
      oldClass < 0,
      (a, b) => this.around(this.before, a.index) === this.around(this.after, b.index),
    );
    for (const [a, b] of pairs) {
      this.functions[b] = a;
      this.note(this.before.functions[a]!, this.after.functions[b]!, this.before, this.after);
      this.level(a, b, -1, -1);
    }
    if (oldClass >= 0) return;
    const classes = this.align(
      this.classesIn(this.before, oldFunction),
      this.classesIn(this.after, newFunction),
      (a, b) => this.classFits(this.before.classes[a]!, this.after.classes[b]!),
      true,
    );
    for (const [a, b] of classes) {
      this.classes[b] = a;
      this.note(this.before.classes[a]!, this.after.classes[b]!, this.before, this.after);
      this.level(oldFunction, newFunction, a, b);
    }
  }

  /** The text of what a function stands in, without the functions in it. */
  private around(outline: Outline, index: number): string {
    const { parent, start } = outline.functions[index]!;
    const outer =
      parent >= 0
        ? outline.functions[parent]!
        : outline.statements.find((statement) => statement.start <= start && statement.end > start);
    if (!outer) return '';
    let text = '';
    let at = outer.start;
    for (const child of this.childrenOf(outline, parent)) {
      const inner = outline.functions[child]!;
      if (inner.start < at || inner.end > outer.end) continue;
      text += `${outline.parsed.text.slice(at, inner.start)}ƒ`;
      at = inner.end;
    }
    return (text + outline.parsed.text.slice(at, outer.end)).replace(/\s+/g, ' ');
  }

  private fits(a: number, b: number): boolean {
    const old = this.before.functions[a]!;
    const now = this.after.functions[b]!;
    if (!sameKind(old, now)) return false;
    const was = isDeclared(this.before, old);
    if (was !== isDeclared(this.after, now)) return false;
    // A top-level name goes over only to one that is new, and from one that is gone.
    return !was || old.name === now.name || (!this.after.topLevel.has(old.name) && !this.before.topLevel.has(now.name));
  }

  private classFits(old: ClassInfo, now: ClassInfo): boolean {
    return (
      old.name === now.name ||
      old.parent >= 0 ||
      now.parent >= 0 ||
      (!this.after.topLevel.has(old.name) && !this.before.topLevel.has(now.name))
    );
  }

  private note(a: FunctionInfo | ClassInfo, b: FunctionInfo | ClassInfo, before: Outline, after: Outline): void {
    if (a.name === b.name || a.parent >= 0 || b.parent >= 0) return;
    if (
      before.topLevel.has(a.name) &&
      after.topLevel.has(b.name) &&
      !after.topLevel.has(a.name) &&
      !before.topLevel.has(b.name)
    )
      this.renamed.set(b.name, a.name);
  }

  private readonly children = new Map<Outline, Map<number, number[]>>();

  private childrenOf(outline: Outline, parent: number): readonly number[] {
    let table = this.children.get(outline);
    if (!table) {
      this.children.set(outline, (table = new Map()));
      for (let index = 0; index < outline.functions.length; index++) {
        const around = outline.functions[index]!.parent;
        const list = table.get(around);
        if (list) list.push(index);
        else table.set(around, [index]);
      }
    }
    return table.get(parent) ?? [];
  }

  private functionsIn(outline: Outline, parent: number, owner: number): Entry[] {
    const found: Entry[] = [];
    for (const index of this.childrenOf(outline, parent)) {
      const info = outline.functions[index]!;
      if (info.owner !== owner) continue;
      const kind = info.kind === 'getter' ? 'get ' : info.kind === 'setter' ? 'set ' : '';
      // Functions in the fields of a class stand beside those around it, and in values under what they are the value
      // of.
      const field =
        owner < 0
          ? outline.classes.find((one) => one.parent === parent && one.start < info.start && one.end > info.end)
          : undefined;
      const statement = owner < 0 && parent < 0 && !isDeclared(outline, info) ? statementName(outline, info) : '';
      const key = info.node.computed
        ? outline.parsed.text.slice(info.node.key.start, info.node.key.end)
        : `${statement}${field ? `${field.name}/` : ''}${info.name}`;
      found.push({
        index,
        name: `${info.isStatic ? 'static ' : ''}${kind}${key}`,
        text: outline.parsed.text.slice(info.start, info.end),
      });
    }
    return found;
  }

  private classesIn(outline: Outline, parent: number): Entry[] {
    return outline.classes.flatMap((info, index) =>
      info.parent === parent ? [{ index, name: info.name, text: outline.parsed.text.slice(info.start, info.end) }] : [],
    );
  }

  private align(
    old: Entry[],
    now: Entry[],
    fits: (a: number, b: number) => boolean,
    likely: boolean,
    samePlace: (a: Entry, b: Entry) => boolean = () => false,
  ): [number, number][] {
    const pairs: [number, number][] = [];
    const left = new Set(old);
    const open = new Set(now);
    const take = (a: Entry, b: Entry): void => {
      left.delete(a);
      open.delete(b);
      pairs.push([a.index, b.index]);
    };
    const groups = new Map<string, { old: Entry[]; now: Entry[] }>();
    const group = (name: string): { old: Entry[]; now: Entry[] } => {
      let found = groups.get(name);
      if (!found) groups.set(name, (found = { old: [], now: [] }));
      return found;
    };
    for (const entry of old) group(entry.name).old.push(entry);
    for (const entry of now) group(entry.name).now.push(entry);
    for (const [name, { old: some, now: others }] of groups) {
      if (some.length === 1 && others.length === 1 && isName(name)) {
        if (fits(some[0]!.index, others[0]!.index)) take(some[0]!, others[0]!);
      } else
        for (const [a, b] of inOrder(
          some,
          others,
          (x, y) => (fits(x.index, y.index) ? likeness(x.text, y.text) : -1),
          isName(name) ? 0 : SOMEWHAT_ALIKE,
        ))
          take(a, b);
      // Of another text altogether, but in a place that is as it was.
      const [gone, come] = [some.filter((one) => left.has(one)), others.filter((one) => open.has(one))];
      if (gone.length === come.length)
        gone.forEach((a, i) => {
          if (fits(a.index, come[i]!.index) && samePlace(a, come[i]!)) take(a, come[i]!);
        });
    }
    if (!likely) return pairs;
    // Renamed or moved: the most alike first.
    const candidates: { a: Entry; b: Entry; score: number }[] = [];
    if (left.size * open.size <= LONG * LONG)
      for (const a of left)
        for (const b of open) {
          if (!fits(a.index, b.index)) continue;
          const score = likeness(withoutName(a), withoutName(b));
          if (score >= ALIKE) candidates.push({ a, b, score });
        }
    candidates.sort((x, y) => y.score - x.score);
    for (const { a, b } of candidates) if (left.has(a) && open.has(b)) take(a, b);
    return pairs;
  }
}

/**
 * Pairs two lists in their order so that the sum of likeness is greatest (a longest common subsequence with weights).
 */
function inOrder(old: Entry[], now: Entry[], score: (a: Entry, b: Entry) => number, least: number): [Entry, Entry][] {
  if (old.length === 0 || now.length === 0) return [];
  if (old.length > LONG || now.length > LONG) {
    const pairs: [Entry, Entry][] = [];
    const byText = new Map<string, Entry[]>();
    for (const entry of old) byText.set(entry.text, [...(byText.get(entry.text) ?? []), entry]);
    const rest: Entry[] = [];
    const used = new Set<Entry>();
    for (const entry of now) {
      const same = byText.get(entry.text)?.shift();
      if (same) {
        pairs.push([same, entry]);
        used.add(same);
      } else rest.push(entry);
    }
    const others = old.filter((entry) => !used.has(entry));
    rest.forEach((entry, index) => {
      if (others[index]) pairs.push([others[index], entry]);
    });
    return pairs;
  }
  const rows = old.length;
  const columns = now.length;
  const scores = old.map((a) => now.map((b) => score(a, b)));
  const best: number[][] = Array.from({ length: rows + 1 }, () => new Array<number>(columns + 1).fill(0));
  for (let i = rows - 1; i >= 0; i--)
    for (let k = columns - 1; k >= 0; k--) {
      const both = scores[i]![k]! >= least ? scores[i]![k]! + best[i + 1]![k + 1]! + 1e-3 : -1;
      best[i]![k] = Math.max(both, best[i + 1]![k]!, best[i]![k + 1]!);
    }
  const pairs: [Entry, Entry][] = [];
  for (let i = 0, k = 0; i < rows && k < columns;) {
    if (scores[i]![k]! >= least && best[i]![k] === scores[i]![k]! + best[i + 1]![k + 1]! + 1e-3)
      pairs.push([old[i++]!, now[k++]!]);
    else if (best[i]![k] === best[i + 1]![k]) i++;
    else k++;
  }
  return pairs;
}

/** A name that a person gave, not the place of a call. */
function isName(name: string): boolean {
  return name !== '' && !name.endsWith('()') && !name.endsWith('›');
}

function withoutName({ name, text }: Entry): string {
  const own = name.replace(/^static /, '').replace(/^[gs]et /, '');
  return own === '' || !/^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(own)
    ? text
    : text.replaceAll(
        new RegExp(`(?<![\\p{ID_Continue}$])${own.replace(/\$/g, '\\$')}(?![\\p{ID_Continue}$])`, 'gu'),
        '',
      );
}

/** Functions in the value of a top-level name stand under it. */
function statementName(outline: Outline, info: FunctionInfo): string {
  let low = 0;
  let high = outline.statements.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (outline.statements[middle]!.start <= info.start) low = middle;
    else high = middle - 1;
  }
  const statement = outline.statements[low];
  return statement && statement.names.length > 0 && statement.kind !== 'class' ? `${statement.names[0]!}›` : '';
}

const declared = new WeakMap<Outline, Set<Node>>();

/** A function that a top-level name stands for. */
export function isDeclared(outline: Outline, info: FunctionInfo): boolean {
  let found = declared.get(outline);
  if (!found) {
    declared.set(outline, (found = new Set()));
    for (const statement of outline.statements) {
      const node = (statement.node.declaration ?? statement.node) as Node;
      if (statement.kind === 'function') found.add(node);
      for (const declarator of (node.declarations ?? []) as { id: Node; init: Node | null }[])
        if (declarator.id.type === 'Identifier' && declarator.init) found.add(bare(declarator.init));
    }
  }
  return found.has(info.node) && outline.topLevel.has(info.name);
}

function sameKind(a: FunctionInfo, b: FunctionInfo): boolean {
  const plain = (info: FunctionInfo): boolean => info.kind === 'arrow' || info.kind === 'function';
  return a.kind === b.kind || (plain(a) && plain(b));
}
