/**
 * Where a live module can be changed: which functions have a patch point of
 * their own, and through which hook a later version of each is compiled, so
 * that it sees the variables of the scope it lives in.
 */
import { seesItself } from './own-name.js';
import { bare, eachChild, isFunction, type Node } from '../syntax/node.js';
import type { ClassInfo, FunctionInfo, Outline } from '../syntax/outline.js';
import { Captures, unnamedUses } from './captures.js';
import { scopesOf, usesWithin } from '../syntax/scopes.js';
import type { Scope, Scopes } from '../syntax/scope-data.js';

/**
 * What a later version sees the variables around it through. `module`: the
 * module's hook, which evaluates code. `scope`: a hook in the block or function
 * around it, which each run of that scope has anew, and which reads and writes
 * the names that it keeps; the code is compiled in the module or its class.
 * `whole`: the same for a hook that evaluates code, and so keeps its whole
 * scope. `class`: in a class of the module, which is made once. `inner`: in a
 * class that a function makes, each time anew. `field`: in an instance, for
 * arrow functions that its fields hold.
 */
export type Hook = 'module' | 'scope' | 'whole' | 'class' | 'inner' | 'field';

/** Names that a hook reaches, by the scope that has each; see {@link Captures.kept}. */
export type Kept = ReadonlyMap<string, Scope>;

export interface Point {
  /** Undefined: the function has no patch point and changes with what contains it. */
  hook: Hook | undefined;
  /** A function expression whose own name only it can see. */
  self: boolean;
  /** Names that the hook sees between the function and the module. */
  layout: ReadonlySet<string>;
  /** Nearest function around it that has a patch point, or -1. */
  unit: number;
}

export interface ClassPoint {
  /** `class`: made once, in the module. `inner`: made by a function or loop. Undefined: out of reach. */
  hook: 'class' | 'inner' | undefined;
  /** Its instances carry a hook for the arrow functions in their fields. */
  field: boolean;
  /** Its function that constructs, by index, or -1. */
  constructorIndex: number;
  derived: boolean;
  layout: ReadonlySet<string>;
  /** Asks for its live instances to be known, by a static member of `usher-anvil/live`. */
  tracked: boolean;
}

export interface Points {
  scopes: Scopes;
  functions: Point[];
  classes: ClassPoint[];
  /** Blocks, function nodes and loop bodies that get a hook, with what it reaches. */
  hooks: Map<Node, Kept | 'whole'>;
  /** The same for variables that hold the hooks of inner classes. */
  holders: Map<Node, number[]>;
}

/**
 * Methods that call a function they are given before they return, and not later: what is passed to them is part of the
 * call.
 */
const AT_ONCE = new Set(
  (
    'map filter forEach reduce reduceRight some every find findIndex findLast ' +
    'findLastIndex flatMap sort toSorted replace replaceAll from'
  ).split(' '),
);

const known = new WeakMap<Outline, Points>();

/** The patch points of an outline; made once for each. */
export function pointsOf(outline: Outline): Points {
  let points = known.get(outline);
  if (!points) known.set(outline, (points = new Finder(outline).find()));
  return points;
}

class Finder {
  private readonly scopes: Scopes;
  private readonly points: Points;
  private readonly parents = new Map<Node, Node>();
  private readonly indexes = new Map<Node, number>();
  private readonly classIndexes = new Map<Node, number>();
  private readonly captures: Captures;
  /** Functions that see what is around them through a hook there. */
  private readonly scoped: { point: Point; info: FunctionInfo; outer: Scope; place: Node }[] = [];

  constructor(private readonly outline: Outline) {
    this.scopes = scopesOf(outline.parsed.program!);
    this.points = { scopes: this.scopes, functions: [], classes: [], hooks: new Map(), holders: new Map() };
    this.captures = new Captures(this.scopes);
    outline.functions.forEach((info, index) => this.indexes.set(info.node, index));
    outline.classes.forEach((info, index) => this.classIndexes.set(info.node, index));
  }

  find(): Points {
    const { outline, points } = this;
    this.adopt(outline.parsed.program!);
    const shadowed = outline.topLevel.has('eval');
    outline.classes.forEach((info, index) => points.classes.push(this.classPoint(info, index, shadowed)));
    outline.functions.forEach((info, index) => {
      const found = shadowed ? undefined : this.hookOf(info);
      const point: Point = {
        hook: found?.hook,
        self: seesItself(info.node),
        layout: found?.layout ?? new Set(),
        unit: this.unitAround(info),
      };
      points.functions.push(point);
      if (found?.place) this.scoped.push({ point, info, outer: this.scopes.outer.get(info.node)!, place: found.place });
      if (info.kind === 'constructor' && info.owner >= 0) points.classes[info.owner]!.constructorIndex = index;
    });
    this.placeHooks();
    return points;
  }

  /** A place has one hook for all functions that ask there. */
  private placeHooks(): void {
    const whole = new Set<Node>();
    for (const { info, outer, place } of this.scoped) if (this.needsWhole(info, outer)) whole.add(place);
    for (const { point, outer, place } of this.scoped) {
      if (whole.has(place)) {
        point.hook = 'whole';
        point.layout = layoutOf(outer);
        this.points.hooks.set(place, 'whole');
        continue;
      }
      const kept = this.captures.kept(outer);
      if (kept.size > 0) {
        point.layout = new Set(kept.keys());
        this.points.hooks.set(place, kept);
      } else {
        point.layout = new Set();
        point.hook = this.classOver(outer) === undefined ? 'module' : 'class';
      }
    }
  }

  /** The class of the module that a scope is in, through whose hook private names are seen. */
  private classOver(scope: Scope): ClassPoint | undefined {
    for (let at: Scope | null = scope; at; at = at.parent)
      if (at.kind === 'class') return this.points.classes[this.classIndexes.get(at.node)!];
    return undefined;
  }

  /**
   * Something around the function has no name by which a hook could reach it: `super` and `new.target` of an arrow
   * function, what its own `eval` sees, and the private names of a class that is made each time anew.
   */
  private needsWhole(info: FunctionInfo, outer: Scope): boolean {
    const unnamed = unnamedUses(info.node);
    if (unnamed.has('super') || unnamed.has('new.target')) return true;
    if (usesWithin(this.scopes, info.start, info.end).some((use) => use.name === 'eval')) return true;
    const around = this.classOver(outer);
    return around !== undefined && around.hook !== 'class';
  }

  /** Notes what functions and classes stand in; all other nodes are never asked for. */
  private adopt(node: Node): boolean {
    let wanted = this.indexes.has(node) || this.classIndexes.has(node);
    eachChild(node, (child) => {
      if (!this.adopt(child)) return;
      this.parents.set(child, node);
      wanted = true;
    });
    return wanted;
  }

  private unitAround(info: FunctionInfo): number {
    for (let at = info.parent; at >= 0; at = this.outline.functions[at]!.parent)
      if (this.points.functions[at]?.hook !== undefined) return at;
    return -1;
  }

  private classPoint(info: ClassInfo, index: number, shadowed: boolean): ClassPoint {
    const { node } = info;
    const members = node.body.body as Node[];
    const outer = this.scopes.outer.get(node);
    const made: ClassPoint = {
      hook: undefined,
      field: false,
      constructorIndex: -1,
      derived: Boolean(node.superClass),
      layout: new Set(),
      tracked: members.some(
        (member) =>
          member.static === true &&
          member.computed === true &&
          member.key?.type === 'Identifier' &&
          this.isLiveName(member.key.name as string),
      ),
    };
    if (shadowed || outer === undefined) return made;
    const place = this.place(outer, node);
    if (place === 'never') return made;
    if (place === 'module') {
      if (this.loops(node)) return made;
      made.hook = 'class';
      return made;
    }
    made.hook = 'inner';
    made.layout = layoutOf(outer);
    const list = this.points.holders.get(place);
    if (list) list.push(index);
    else this.points.holders.set(place, [index]);
    return made;
  }

  private isLiveName(name: string): boolean {
    return this.outline.imports.some(
      (entry) =>
        entry.specifier === 'usher-anvil/live' &&
        entry.names.some(({ local, imported }) => local === name && (imported === 'migrate' || imported === 'carried')),
    );
  }

  /** Stands in a loop of the module that has no names of its own: it is made several times, and nothing tells which. */
  private loops(node: Node): boolean {
    for (let at = this.parents.get(node); at; at = this.parents.get(at))
      if (/^(For|While|DoWhile)/.test(at.type)) return true;
    return false;
  }

  private hookOf(info: FunctionInfo): { hook: Hook; layout: ReadonlySet<string>; place?: Node } | undefined {
    const { node } = info;
    const outer = this.scopes.outer.get(node);
    if (outer === undefined) return undefined;
    if (info.owner >= 0) {
      const owner = this.points.classes[info.owner]!;
      return owner.hook === undefined ? undefined : { hook: owner.hook, layout: owner.layout };
    }
    const field = this.fieldAround(node);
    if (field) return this.inField(info, field);
    if (this.calledAtOnce(node)) return undefined;
    const place = this.place(outer, node);
    if (place === 'never') return undefined;
    if (place === 'module') return { hook: 'module', layout: new Set() };
    if (info.parent >= 0 && this.needsNoScope(outer, node)) return { hook: 'module', layout: new Set() };
    return { hook: 'scope', layout: new Set(), place };
  }

  /** The class field whose initialiser a function stands in, with no other function between. */
  private fieldAround(node: Node): Node | undefined {
    for (let at = this.parents.get(node); at; at = this.parents.get(at)) {
      if (isFunction(at) || at.type === 'StaticBlock') return undefined;
      if (at.type === 'ClassProperty' || at.type === 'ClassPrivateProperty' || at.type === 'ClassAccessorProperty')
        return at;
    }
    return undefined;
  }

  private inField(info: FunctionInfo, field: Node): { hook: Hook; layout: ReadonlySet<string> } | undefined {
    if (field.type === 'ClassAccessorProperty' || this.calledAtOnce(info.node)) return undefined;
    // Not in a computed key, which is no part of the instance.
    if (!field.value || info.start < field.value.start) return undefined;
    const outer = this.scopes.outer.get(field)!;
    const index = this.classIndexes.get(outer.node);
    if (index === undefined) return undefined;
    const owner = this.points.classes[index]!;
    if (owner.hook === undefined) return undefined;
    if (field.static)
      return info.kind === 'arrow' || !/\bsuper\b/.test(this.textOf(info.node))
        ? { hook: owner.hook, layout: owner.layout }
        : undefined;
    if (info.kind !== 'arrow' || (field.decorators?.length as number) > 0) return undefined;
    owner.field = true;
    return { hook: 'field', layout: owner.layout };
  }

  private textOf(node: Node): string {
    return this.outline.parsed.text.slice(node.start, node.end);
  }

  /**
   * A function that is run where it stands, and then gone: called itself, or given to a method that calls it at once.
   */
  private calledAtOnce(node: Node): boolean {
    let inner = node;
    let parent = this.parents.get(node);
    while (parent && bare(parent) !== parent) {
      inner = parent;
      parent = this.parents.get(parent);
    }
    if (!parent) return false;
    if (parent.type === 'CallExpression' || parent.type === 'OptionalCallExpression') {
      if (parent.callee === inner) return true;
      const { callee } = parent;
      return (
        (callee.type === 'MemberExpression' || callee.type === 'OptionalMemberExpression') &&
        !callee.computed &&
        AT_ONCE.has(callee.property.name as string)
      );
    }
    return parent.type === 'NewExpression' && parent.callee.type === 'Identifier' && parent.callee.name === 'Promise';
  }

  /** Where the hook of a scope goes. `module`: nothing between it and the module. `never`: no code can be put there. */
  private place(outer: Scope, node: Node): Node | 'module' | 'never' {
    let found: Node | undefined;
    for (let at: Scope = outer; at.kind !== 'module'; at = at.parent!) {
      switch (at.kind) {
        case 'parameters':
          // Reached through the body of its function, or the function stands in a default.
          if (found === undefined) return 'never';
          break;
        case 'function':
          return this.reachable(at) ? (found ?? at.node) : 'never';
        case 'namespace':
        case 'with':
        case 'class':
        case 'field':
          return 'never';
        case 'static':
          return found ?? at.node;
        case 'switch':
          if (at.names.size > 0 && found === undefined) return 'never';
          break;
        case 'catch':
          if (found === undefined && at.names.size > 0) return 'never';
          break;
        case 'loop':
          if (found === undefined && at.names.size > 0) {
            if (node.start < at.node.body.start) return 'never';
            found = at.node.body as Node;
          }
          break;
        case 'block': {
          const around = at.parent!;
          const bears =
            at.names.size > 0 || ((around.kind === 'catch' || around.kind === 'loop') && around.names.size > 0);
          if (bears) found ??= at.node;
          break;
        }
        default:
          break;
      }
    }
    return found ?? 'module';
  }

  /** No namespace or `with` around it, whose names code compiled later would not see. */
  private reachable(from: Scope): boolean {
    for (let at: Scope | null = from; at; at = at.parent)
      if (at.kind === 'namespace' || at.kind === 'with') return false;
    return true;
  }

  /**
   * Nothing of the functions around it can be used by this one or by a later version: they have no names, and no `this`
   * that it takes.
   */
  private needsNoScope(outer: Scope, node: Node): boolean {
    for (let at: Scope | null = outer; at && at.kind !== 'module'; at = at.parent) {
      if (at.kind === 'class' || at.kind === 'self') return false;
      for (const name of at.names) if (name !== 'arguments') return false;
    }
    if (node.type !== 'ArrowFunctionExpression') return true;
    return (
      !/\b(this|super|arguments|target)\b/.test(this.textOf(node)) &&
      usesWithin(this.scopes, node.start, node.end).every((use) => use.name !== 'arguments')
    );
  }
}

function layoutOf(outer: Scope): Set<string> {
  const names = new Set<string>();
  for (let at: Scope | null = outer; at && at.kind !== 'module'; at = at.parent)
    for (const name of at.names) if (name !== 'arguments') names.add(name);
  return names;
}
