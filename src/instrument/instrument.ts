/**
 * Adds probes, patch points and the linking form to a text.
 *
 * The promise: instrumented code behaves as plain code. Every insertion here
 * is either a statement of its own before a statement, or wraps an expression
 * as the argument of a call that returns it, or is the left side of a comma.
 * Where any of these would be seen by the program (a function that takes its
 * name from its place, a reference that carries `this`) nothing is wrapped.
 */
import { testNamesOf } from '../syntax/tests.js';
import { bare, boundNames, eachChild, isAnonymousDefinition, isFunction, type Node } from '../syntax/node.js';
import { classAround, type FunctionInfo, type ImportEntry, type Outline } from '../syntax/outline.js';
import { marksOf, type Mark } from '../syntax/marks.js';
import type { Problem } from '../syntax/problems.js';
import { Edits } from './edits.js';
import { pointsOf, type ClassPoint, type Point, type Points } from './points.js';
import { bindingScope, usesWithin } from '../syntax/scopes.js';
import type { Site, SiteKind } from './sites.js';

/** How much a function reports. */
export type Depth = 'off' | 'counts' | 'values';

/**
 * What the text becomes: `linked`, a function for the project's own module
 * registry; `module`, an ES module; `script`, a CommonJS or plain script.
 */
export type Form = 'linked' | 'module' | 'script';

export interface ProbeOptions {
  depth: Depth;
  form: Form;
  /** Adds patch points and scope hooks. */
  patchable: boolean;
  /** For patchable code: the slots of functions and classes in the module's patch table. */
  slots?: Slots;
  /** Top-level names that came into a live module after it had started; they live beside its scope. */
  late?: ReadonlyMap<string, string>;
  /** A function without a patch point of its own: the later version that another function's patch point leads to. */
  root?: Node;
  /** The part is compiled inside a method of ours, whose hook its arrow functions have. */
  inMethod?: boolean;
  /** Loops and `root` tell now and then that they run, so that one without an end can be stopped. */
  guard?: boolean;
  /** Expressions for imported names, where they are not the module's own parameters. */
  places?: ReadonlyMap<string, string>;
  /** Private names that the live class has not; they are found under symbols instead. */
  lateMembers?: readonly LateMember[];
  /** Of a script that is written as a module: variables that take imports with functions for elements, by the import's number. */
  jsxRoots?: ReadonlyMap<number, string>;
  /** Where the sites go, behind those that are there: several parts may share the probes of one unit. Parameters of its functions show their values. */
  sites?: Site[];
}

/** A private name that came after its class was made. */
export interface LateMember {
  name: string;
  /** Key of its symbol among the late names. */
  symbol: string;
  /** Range of its class in the text. */
  start: number;
  end: number;
}

/** Slots in a module's patch table. */
export interface Slots {
  /** One for each function. */
  functions: readonly number[];
  /** Two for each class: what its fields become, and the constructor where it has none written. */
  classes: readonly number[];
  /** Slots of the module as it started. */
  size: number;
}

/**
 * The code of a slot. Those that a module starts with are objects of their own,
 * each with one property of its own name: the engine takes what such a property
 * holds for a constant until it changes, and an untouched patch point costs
 * nothing in optimised code. Slots that come later stand in an array.
 */
export function slotText(p: string, slot: number, size: number): string {
  return slot < size ? `${p}p${slot}.f${slot}` : `${p}p[${slot}]`;
}

/** A call that a patch point makes. The runtime, which knows no other layer, has the same expression. */
export const PATCH_CALL = /\$ua_*(?:p(?:\d+\.f\d+|\[\d+\])(?:\([^()]*\))?(?:\.(?:apply|call))?|m\.construct)\(/g;

/** Declares the slots of a module, for the head of its code. */
export function slotDeclarations(p: string, size: number): string {
  const numbers = Array.from({ length: size }, (_, index) => index);
  const slots = numbers.map((index) => `${p}p${index}={f${index}:undefined}`);
  return `const ${slots.map((slot) => `${slot},`).join('')}${p}p=${p}m.table([${numbers.map((index) => `${p}p${index}`).join(',')}]),${p}T=${p}m.ticks;`;
}

/** The slots of a module that starts. */
export function firstSlots(outline: Outline): Slots {
  const count = outline.functions.length;
  return {
    functions: outline.functions.map((_, index) => index),
    classes: outline.classes.map((_, index) => count + 2 * index),
    size: count + 2 * outline.classes.length,
  };
}

export interface Probed {
  edits: Edits;
  sites: Site[];
  /** Prefix of every name the instrumented text uses beside the person's own. */
  prefix: string;
  /** Imports in the order of their `i0`, `i1`, … parameters. */
  links: ImportEntry[];
  /** Slot of the edits for what stands before the first statement. */
  prelude: number;
  /** Marks that ask for nothing possible. */
  problems: Problem[];
  keeps: { id: number; node: Node }[];
  /** True when an anonymous function is the default export: the registry gives it its name. */
  defaultFunction: boolean;
  /** True when the value of `export default` is in a variable of ours, which the module has to export. */
  defaultValue: boolean;
}

/**
 * Makes the edits for one part of a file: a function, a class, or an
 * expression that is compiled on its own inside a live module.
 */
export function probePart(outline: Outline, part: Node, options: ProbeOptions): { edits: Edits; prefix: string } {
  const walker = new Walker(outline, options);
  walker.part(part);
  return { edits: walker.edits, prefix: walker.p };
}

/** How many functions stand around what is in a function (-1: none). */
export function nestingOf(outline: Outline, index: number): number {
  let depth = 0;
  for (let at = index; at >= 0; at = outline.functions[at]!.parent) depth++;
  return depth;
}

/** The variable of a scope's hook. A function asks for the hook around it where it may have declared one of its own: the two have different names. */
export function hookName(p: string, nesting: number): string {
  return nesting % 2 === 0 ? `${p}s` : `${p}S`;
}

/** Chooses a prefix that does not occur in the text. */
export function prefixFor(text: string): string {
  let prefix = '$ua';
  while (text.includes(prefix)) prefix += '_';
  return prefix;
}

/** Makes the edits that instrument one outlined text. */
export function probe(outline: Outline, options: ProbeOptions): Probed {
  const walker = new Walker(outline, options);
  walker.program(outline.parsed.program!);
  return {
    edits: walker.edits,
    sites: walker.sites,
    prefix: walker.p,
    links: walker.links,
    problems: walker.problems,
    keeps: walker.keeps,
    defaultFunction: walker.defaultFunction,
    defaultValue: walker.defaultValue,
    prelude: walker.prelude,
  };
}

class Walker {
  readonly edits: Edits;
  readonly sites: Site[];
  readonly links: ImportEntry[] = [];
  readonly problems: Problem[] = [];
  /** Kept expressions by their site. */
  readonly keeps: { id: number; node: Node }[] = [];
  readonly p: string;
  defaultFunction = false;
  defaultValue = false;
  prelude = -1;
  private readonly text: string;
  private readonly counts: boolean;
  private readonly values: boolean;
  private readonly linked: boolean;
  private within = -1;
  /** Innermost loop or function: what is sampled together. */
  private owner = -1;
  /** The cell that counts how often the place being walked is reached, and one to add to it (-1: none). */
  private reach = -1;
  private plus = -1;
  /** The function whose locals carry probed values, or undefined where there can be none. */
  private frame: { locals: Set<string> } | undefined;
  /** Value sites inside the outermost loop of the function. */
  private loop: number[] | undefined;
  /** Writes of the program to a top-level `const`, which in patchable code is a variable that only patches assign. */
  private readonly constantWrites = new Map<Node, string>();
  /** The file is a script that is written as a module. */
  private readonly interop: boolean;
  /** Of such a script: the names under which each of its own is exported. */
  private readonly exportedNames = new Map<string, string[]>();
  private readonly exportedWrites = new Set<Node>();
  private readonly infos = new Map<Node, number>();
  private readonly classes = new Map<Node, number>();
  /** Marks by the expression they are about, until it is walked. */
  private readonly marked = new Map<Node, Mark[]>();
  /** Marks in the middle of a chain with `?.`, by the whole chain. */
  private readonly chains = new Map<Node, Mark[]>();
  /** Links of such chains that may end them, with the local that tells whether they did not. */
  private readonly chainLinks = new Map<Node, string>();
  /** Code behind a marked part of such a chain. */
  private readonly chainEnds = new Map<Node, string>();
  /** Where imported names are found. */
  private places = new Map<string, string>();
  /** The same for each place where one is written or read. */
  private readonly placeAt = new Map<number, string>();
  private readonly freeConsole: boolean;
  private readonly consoleCallees = new Set<number>();
  /** Where names stand that came from `node:test`. */
  private readonly testNames = new Set<number>();
  private readonly points: Points | undefined;
  private readonly slots: Slots;
  /** The class whose constructor is walked, where that has to call `super`. */
  private making: { index: number; assign: string } | undefined;
  /** Where the statement before the one being walked ends, in its list; -1 where there is none. */
  private beforeStatement = -1;
  /** Loop bodies around which a block was put for its hook. */
  private readonly wrapped = new Set<Node>();

  constructor(
    private readonly outline: Outline,
    private readonly options: ProbeOptions,
  ) {
    this.text = outline.parsed.text;
    this.edits = new Edits(this.text);
    this.sites = options.sites ?? [];
    this.p = prefixFor(this.text);
    this.counts = options.depth !== 'off';
    this.values = options.depth === 'values';
    this.linked = options.form === 'linked';
    this.interop = this.linked && outline.parsed.interop;
    if (this.interop)
      for (const { from, local, exported } of outline.exports)
        if (from === undefined) this.exportedNames.set(local, [...(this.exportedNames.get(local) ?? []), exported]);
    outline.functions.forEach((info, index) => this.infos.set(info.node, index));
    outline.classes.forEach((info, index) => this.classes.set(info.node, index));
    this.freeConsole = !outline.topLevel.has('console');
    this.points = options.patchable ? pointsOf(outline) : undefined;
    this.slots = options.slots ?? (options.patchable ? firstSlots(outline) : { functions: [], classes: [], size: 0 });
    if (this.values && this.text.includes('~')) {
      const { marks, problems } = marksOf(outline);
      this.problems.push(...problems);
      for (const mark of marks) {
        const map = mark.role.is === 'chain' ? this.chains : this.marked;
        const key = mark.role.is === 'chain' ? mark.role.whole : mark.node;
        map.set(key, [...(map.get(key) ?? []), mark]);
      }
    }
    const tests = testNamesOf(outline);
    for (const reference of outline.references) {
      if (reference.name === 'console') this.consoleCallees.add(reference.start);
      else if (tests.has(reference.name)) this.testNames.add(reference.start);
    }
  }

  // ---- sites -------------------------------------------------------------

  private site(kind: SiteKind, start: number, end: number, name = '', cell = -1): number {
    const id = this.sites.length;
    this.sites.push({ id, kind, start, end, name, cell: cell < 0 ? id : cell, within: this.within, owner: this.owner, reach: this.reach, plus: this.plus });
    return id;
  }

  private count(id: number): string {
    return `${this.p}c[${this.sites[id]!.cell}]++`;
  }

  /** Counts an entry of a function and lets the runtime ask for another sample of all its sites when one is due. */
  private enter(id: number): string {
    return `++${this.p}c[${id}]>=${this.p}d[${id}]&&${this.p}f(${id})`;
  }

  /**
   * Opens a value probe around an expression; {@link closeProbe} ends it.
   *
   * Where a local variable can be had, the value goes through it and the probe
   * is one load and a branch; elsewhere (parameters, class fields, bodies of
   * expression arrows) it is a call. Measured side by
   * side on a parser: the call form is clearly slower. `npm run bench` has the
   * figures as they are.
   */
  private openProbe(id: number, at: number, extra = ''): string {
    const { frame } = this;
    if (frame === undefined) {
      this.edits.insert(at, `${this.p}w(${id},(${extra}`);
      return '))';
    }
    let local = `${this.p}t`;
    if (this.loop !== undefined) {
      local += id;
      this.loop.push(id);
    }
    frame.locals.add(local);
    this.edits.insert(at, `(${local}=(${extra}`);
    return `),${this.p}q[${id}]&&${this.p}v(${id},${local}),${local})`;
  }

  /** Wraps an expression in a value probe. */
  private wrap(kind: SiteKind, node: Node, name = '', start = node.start, end = node.end): void {
    const id = this.site(kind, start, end, name);
    // A function without a name must not take that of our local.
    const nameless = isAnonymousDefinition(node) || isAnonymousDefinition(bare(node));
    const closing = this.openProbe(id, node.start, nameless ? '0,' : '');
    this.expression(node, true);
    this.edits.insert(node.end, closing);
  }

  /** The text of probes that sample bound names, each a statement. */
  private sampleNames(kind: SiteKind, names: readonly Node[]): string {
    let code = '';
    for (const name of names) {
      const id = this.site(kind, name.start, name.start + name.name.length, name.name);
      const place = this.placeAt.get(name.start) ?? (name.name as string);
      if (this.loop !== undefined && this.frame !== undefined) {
        const local = `${this.p}t${id}`;
        this.loop.push(id);
        this.frame.locals.add(local);
        code += `${local}=${place};${this.p}q[${id}]&&${this.p}v(${id},${local});`;
      } else code += `${this.p}q[${id}]&&${this.p}v(${id},${place});`;
    }
    return code;
  }

  /** Runs `walk` inside a function's own frame; the locals its probes need are declared at `at`. */
  private inFrame(at: number | undefined, walk: () => void): Set<string> {
    const outer = this.frame;
    const outerLoop = this.loop;
    const locals = new Set<string>();
    this.frame = at === undefined ? undefined : { locals };
    this.loop = undefined;
    const slot = at === undefined ? -1 : this.edits.reserve(at);
    walk();
    // 0 and not undefined: a local that holds numbers stays an unboxed number in optimised code.
    if (locals.size > 0) this.edits.fill(slot, `let ${[...locals].join('=0,')}=0;`);
    this.frame = outer;
    this.loop = outerLoop;
    return locals;
  }

  /**
   * Walks a loop. The outermost loop of a function keeps the last value of
   * each site inside it in a local, and hands them over when it ends, however
   * it ends: so the last visit is always known and no visit pays for it.
   */
  private inLoop(node: Node, walk: () => void): void {
    if (!this.values || this.frame === undefined || this.loop !== undefined) {
      walk();
      return;
    }
    const sites: number[] = [];
    this.loop = sites;
    const slot = this.edits.reserve(node.start);
    walk();
    this.loop = undefined;
    if (sites.length === 0) return;
    const id = this.site('loop', node.start, node.end, 'last values');
    this.edits.fill(slot, `${this.p}q[${id}]&&${this.p}g(${id},[${sites.join(',')}]);try{`);
    this.edits.insert(node.end, `}finally{${this.p}q[${id}]&&${this.p}e(${id},[${sites.join(',')}],[${sites.map((site) => `${this.p}t${site}`).join(',')}])}`);
  }

  // ---- program and linking -----------------------------------------------

  program(program: Node): void {
    if (this.linked) this.link();
    else if (this.options.patchable) this.findConstantWrites();
    this.placeHooks();
    this.hideFirstComment();
    if (program.interpreter && this.linked) this.edits.blank(program.interpreter.start, program.interpreter.end);
    const head = this.headOf(program);
    this.prelude = this.edits.reserve(head);
    let entry = -1;
    if (this.counts) {
      // The module itself: imports and what stands between statements belong to it.
      entry = this.site('branch', 0, this.text.length, 'module');
      this.edits.insert(head, `;${this.count(entry)};`);
      this.reach = entry;
    }
    // A function of the registry has a body for locals; a script that stays one would leak them.
    const before = (program.directives as Node[]).length > 0 ? head : -1;
    if (this.linked && !this.options.patchable) this.inFrame(head, () => this.list(program.body, entry, before));
    else this.list(program.body, entry, before);
    for (const mark of [...this.marked.values(), ...this.chains.values()].flat())
      this.problems.push({ code: 'E_MARK', message: 'A mark cannot stand here: no value is used at this place.', start: mark.start, end: mark.end });
  }

  /** `-->` is a comment at the beginning of a line alone, and what we put before the text is on its first. */
  private hideFirstComment(): void {
    const { comments, program } = this.outline.parsed;
    const first = ((program!.directives as Node[])[0] ?? (program!.body as Node[])[0])?.start ?? this.text.length;
    for (const comment of comments) {
      if (comment.start >= first || /[\n\r\u2028\u2029]/.test(this.text.slice(0, comment.start).replace(/\/\*[^]*?\*\//g, ''))) break;
      if (this.text.startsWith('-->', comment.start)) this.edits.blank(comment.start, comment.end);
    }
  }

  /** Where the first thing may be inserted: behind directives and a line that names an interpreter. */
  private headOf(program: Node): number {
    const first = program.interpreter && !this.linked ? Math.min(program.interpreter.end + 1, this.text.length) : 0;
    return this.afterDirectives(program, first);
  }

  part(node: Node): void {
    this.link();
    this.placeHooks();
    if (node.type === 'ClassDeclaration' || node.type === 'ClassExpression') this.class(node);
    else if (isFunction(node)) this.fn(node);
    else if (node.type.endsWith('Statement')) this.statement(node, -1);
    else this.expression(node, true);
  }

  private afterDirectives(block: Node, otherwise: number): number {
    const directives = (block.directives ?? []) as Node[];
    return directives.length > 0 ? directives[directives.length - 1]!.end : otherwise;
  }

  /** Rewrites imports, exports and the references to imported names for the registry. */
  private link(): void {
    const { outline, edits, p } = this;
    const { places } = this;
    /** Imported namespaces: members are read from the bindings, the object itself is made when it is asked for. */
    const namespaces = new Map<string, string>();
    let number = 0;
    for (const entry of outline.imports) {
      if (entry.typeOnly) continue;
      const index = number++;
      if (!this.interop) this.links.push(entry);
      for (const name of entry.names) {
        places.set(name.local, name.imported === '*' ? `${p}i${index}` : member(`${p}i${index}`, name.imported));
        if (name.imported === '*' && !this.interop) namespaces.set(name.local, `${p}m.ns(${index})`);
      }
    }
    for (const [name, place] of this.options.places ?? []) {
      places.set(name, place);
      namespaces.delete(name);
    }
    if (this.options.lateMembers && this.options.lateMembers.length > 0) this.privateNames(outline.parsed.program!, this.options.lateMembers);
    for (const [name, key] of this.options.late ?? []) if (!places.has(name)) places.set(name, member(`${p}m.late`, key));
    if (this.options.patchable) this.findConstantWrites();
    if (outline.exports.length > 0) this.findExportedWrites();
    for (const reference of outline.references) {
      let place = places.get(reference.name);
      if (place === undefined || reference.use === 'export') continue;
      if (reference.use !== 'member' && reference.use !== 'jsx' && reference.use !== 'type') place = namespaces.get(reference.name) ?? place;
      this.placeAt.set(reference.start, place);
      if (reference.use === 'shorthand' || reference.shorthand) edits.replace(reference.start, reference.end, `${reference.name}:${place}`);
      else if ((reference.use === 'call' || reference.use === 'tag') && place.includes('.', p.length)) {
        edits.replace(reference.start, reference.end, `(0,${place})`);
      } else edits.replace(reference.start, reference.end, place);
    }
  }

  /** Writes to what the module exports: its namespace object is told of them. */
  private findExportedWrites(): void {
    const exported = new Set(this.outline.exports.filter((entry) => entry.from === undefined).map((entry) => entry.local));
    for (const { use, name, by } of this.outline.references)
      if (use === 'write' && exported.has(name) && /^(Assignment|Update)Expression$/.test(by!.type)) this.exportedWrites.add(by!);
  }

  private writtenExports(node: Node): string[] {
    const names = this.outline.references.filter((reference) => reference.use === 'write' && reference.by === node).map(({ name }) => name);
    return names.flatMap((name) => this.exportedNames.get(name) ?? []);
  }

  /** Only a patch assigns what the program declares as constant. */
  private findConstantWrites(): void {
    const { topLevel, references } = this.outline;
    for (const reference of references)
      if (reference.use === 'write' && topLevel.get(reference.name) === 'const') this.constantWrites.set(reference.by!, reference.name);
  }

  /** Private names that the live class has not are found under symbols. */
  private privateNames(node: Node, late: readonly LateMember[]): void {
    const property = node.type === 'BinaryExpression' ? node.left : node.property;
    if (property?.type === 'PrivateName') {
      const found = late.find(({ name, start, end }) => name === `#${property.id.name as string}` && node.start >= start && node.end <= end);
      if (found) {
        const symbol = member(`${this.p}m.late`, found.symbol);
        if (node.type === 'BinaryExpression') this.edits.replace(property.start, property.end, symbol);
        else {
          const dot = this.text.lastIndexOf('.', property.start);
          this.edits.replace(node.optional === true ? dot + 1 : dot, property.end, `[${symbol}]`);
        }
      }
    }
    eachChild(node, (child) => this.privateNames(child, late));
  }

  // ---- statements ----------------------------------------------------------

  /**
   * Walks a statement list. `entry` is the cell of a counter that ran just
   * before the list, or -1. `before`: the end of the directives before it, if
   * there are any. Returns the cell that counts entries of the list, or -1
   * when its first statement has none.
   */
  private list(statements: readonly Node[], entry: number, before = -1): number {
    let shared = entry;
    let entryCell = entry;
    let first = true;
    for (const statement of statements) {
      if (before >= 0) this.edits.statement(statement.start, before);
      this.beforeStatement = before;
      before = statement.end;
      const cell = this.statement(statement, shared);
      if (this.interop && this.exportedNames.size > 0 && statements === this.outline.parsed.program!.body)
        this.putExports(declaredNames(statement), statement.end);
      if (this.interop && /^(Import|ExportAll|ExportNamed)/.test(statement.type)) shared = -1;
      if (isHoisted(statement)) continue;
      if (first && entryCell < 0) entryCell = cell;
      first = false;
      shared = cell >= 0 && isSafe(statement) ? cell : -1;
    }
    return entryCell;
  }

  /** Walks the statements of a block at whose head (`at`) nothing was inserted yet; gives site `id` the cell that counts its entries. */
  private block(statements: readonly Node[], at: number, id: number): void {
    const first = statements.find((statement) => !isHoisted(statement));
    // An assertion keeps its column; see counted.
    if (first !== undefined && startsWithCounter(first) && !isAssertion(first)) {
      this.sites[id]!.cell = this.list(statements, -1);
    } else {
      this.edits.insert(at, `${this.count(id)};`);
      this.list(statements, id);
    }
  }

  /** A statement that stands where a block may stand: a branch, or the body of a loop. */
  private body(node: Node, name: string, loopId = -1, prologue?: () => string): void {
    this.bodyOf(node, name, loopId, prologue);
    if (this.wrapped.has(node)) this.edits.insert(node.end, '}');
  }

  private bodyOf(node: Node, name: string, loopId: number, prologue: (() => string) | undefined): void {
    const loop = loopId >= 0;
    const looped = name === 'loop body';
    const block = node.type === 'BlockStatement';
    if (!this.counts) {
      if (this.options.guard && looped) {
        this.edits.insert(block ? node.start + 1 : node.start, `${block ? '' : '{'}${this.guard()};`);
        if (block) this.list(node.body, -1);
        else {
          this.statement(node, -1);
          this.edits.insert(node.end, '}');
        }
      } else if (block) this.list(node.body, -1);
      else this.statement(node, -1);
      return;
    }
    const id = loop ? loopId : this.site('branch', node.start, node.end, name);
    if (block && !loop) {
      this.block(node.body, node.start + 1, id);
      return;
    }
    const outer = this.owner;
    if (loop) {
      this.owner = this.reach = id;
      this.plus = -1;
    }
    const opening = loop ? `${this.options.guard ? `${this.guard()};` : ''}${this.enter(id)};${prologue?.() ?? ''}` : '';
    if (block) {
      this.edits.insert(node.start + 1, opening);
      this.list(node.body, id);
      this.owner = outer;
      return;
    }
    this.edits.insert(node.start, `{${opening}`);
    if (loop) this.statement(node, id);
    else if (startsWithCounter(node)) this.sites[id]!.cell = this.statement(node, -1);
    else {
      this.edits.insert(node.start, `${this.count(id)};`);
      this.statement(node, id);
    }
    this.edits.insert(node.end, '}');
    this.owner = outer;
  }

  /** Statements put behind one that ends at `end`. */
  private behind(end: number, text: string): void {
    if (text !== '') this.edits.insert(end, this.text[end - 1] === ';' ? text : `;${text}`);
  }

  /** Counts a statement unless the counter `shared` already does. Returns its cell, or -1. */
  private counted(node: Node, shared: number): number {
    if (!this.counts) return -1;
    const id = this.site('statement', node.start, node.end, '', shared);
    const above = this.beforeStatement;
    // Of the statement in the list alone: one that is the body of another stands elsewhere.
    this.beforeStatement = -1;
    if (shared < 0) {
      // The platform reads what an assertion says out of the file, at the line and column of the call: the counter goes to the line above.
      if (above >= 0 && isAssertion(node) && this.text.slice(above, node.start).includes('\n')) this.edits.insert(above, `;${this.count(id)};`);
      else this.edits.insert(node.start, `${this.count(id)};`);
    }
    this.reach = this.sites[id]!.cell;
    this.plus = -1;
    return this.reach;
  }

  /** Walks one statement. Returns the cell that counts it, or -1 when it has none. */
  private statement(node: Node, shared: number): number {
    switch (node.type) {
      case 'EmptyStatement':
        return -1;
      case 'FunctionDeclaration':
        if (node.body) this.fn(node);
        return -1;
      case 'BlockStatement':
        return this.list(node.body, shared);
      case 'ImportDeclaration':
      case 'ExportAllDeclaration':
        if (this.interop) this.required(node);
        else if (this.linked) this.edits.remove(node.start, node.end);
        return -1;
      case 'ExportNamedDeclaration':
        return this.exportNamed(node, shared);
      case 'ExportDefaultDeclaration':
        return this.exportDefault(node, shared);
      case 'VariableDeclaration': {
        if (node.declare) {
          this.edits.remove(node.start, node.end);
          return -1;
        }
        const cell = this.counted(node, shared);
        if (this.options.patchable && node.kind === 'const' && this.isTopLevel(node)) this.edits.replace(node.start, node.start + 5, 'let');
        this.declaration(node, node.end);
        return cell;
      }
      case 'ExpressionStatement': {
        const cell = this.counted(node, shared);
        this.expressionStatement(node);
        return cell;
      }
      case 'ReturnStatement': {
        const cell = this.counted(node, shared);
        if (node.argument) {
          if (this.values) this.wrap('return', node.argument);
          else this.expression(node.argument, false);
        }
        return cell;
      }
      case 'IfStatement': {
        const cell = this.counted(node, shared);
        this.condition(node.test);
        this.body(node.consequent, 'then branch');
        if (node.alternate) {
          if (node.alternate.type === 'IfStatement' && !this.counts) this.statement(node.alternate, -1);
          else this.body(node.alternate, 'else branch');
        }
        return cell;
      }
      case 'ForStatement':
      case 'ForInStatement':
      case 'ForOfStatement':
      case 'WhileStatement':
      case 'DoWhileStatement': {
        const cell = this.counted(node, shared);
        this.inLoop(node, () => this.loopStatement(node));
        return cell;
      }
      case 'SwitchStatement': {
        const cell = this.counted(node, shared);
        if (this.values && !isQuiet(node.discriminant)) this.wrap('condition', node.discriminant);
        else this.expression(node.discriminant, false);
        for (const branch of node.cases as Node[]) {
          if (branch.test) this.expression(branch.test, false);
          const first = branch.consequent[0] as Node | undefined;
          if (first === undefined) continue;
          if (!this.counts) {
            this.list(branch.consequent, -1);
            continue;
          }
          const id = this.site('branch', branch.start, branch.end, branch.test ? 'case' : 'default case');
          this.edits.insert(first.start, `${this.count(id)};`);
          this.list(branch.consequent, id);
        }
        return cell;
      }
      case 'TryStatement': {
        const cell = this.counted(node, shared);
        this.list(node.block.body, -1);
        if (node.handler) this.handler(node.handler, node.block);
        if (node.finalizer) this.list(node.finalizer.body, -1);
        return cell;
      }
      case 'LabeledStatement': {
        const cell = this.counted(node, shared);
        // Nothing may stand between a label and its loop, or `continue` loses it: the label's counter serves both.
        if (node.body.type === 'FunctionDeclaration') this.fn(node.body);
        else this.inLoop(node, () => this.labeledBody(node.body, cell));
        return cell;
      }
      case 'ClassDeclaration': {
        if (node.declare) {
          this.edits.remove(node.start, node.end);
          return -1;
        }
        const cell = this.counted(node, shared);
        this.class(node);
        return cell;
      }
      case 'ThrowStatement': {
        const cell = this.counted(node, shared);
        this.expression(node.argument, false);
        return cell;
      }
      case 'BreakStatement':
      case 'ContinueStatement':
      case 'DebuggerStatement':
        return this.counted(node, shared);
      case 'WithStatement': {
        const cell = this.counted(node, shared);
        this.expression(node.object, false);
        // Names inside `with` may be properties of the object: probes stay out.
        return cell;
      }
      case 'TSEnumDeclaration': {
        if (node.declare) return -1;
        const cell = this.counted(node, shared);
        this.constEnum(node);
        return cell;
      }
      case 'TSModuleDeclaration':
        if (node.declare) this.edits.remove(node.start, node.end);
        else if (node.body?.type === 'TSModuleBlock') this.namespace(node.body);
        return -1;
      case 'TSTypeAliasDeclaration':
      case 'TSInterfaceDeclaration':
      case 'TSDeclareFunction':
        // Taken out here, and not only by the eraser: that takes the semicolon behind it for its own.
        this.edits.remove(node.start, node.end);
        return -1;
      case 'TSImportEqualsDeclaration':
        if (node.importKind === 'type') return -1;
        this.importEquals(node);
        return -1;
      case 'TSExportAssignment': {
        const cell = this.counted(node, shared);
        if (this.linked) this.edits.replace(node.start, node.expression.start, 'module.exports=');
        this.expression(node.expression, false);
        return cell;
      }
      default:
        return -1;
    }
  }

  /** A constant enum is there while the program runs too: other files, compiled one by one, ask for it. */
  private constEnum(node: Node): void {
    if (node.const === true && this.linked) this.edits.blank(node.start, node.start + 5);
  }

  /** `import x = require('…')` is a constant; `import A = N.b` is left to TypeScript, where what it means is not a type alone. */
  private importEquals(node: Node): void {
    const { moduleReference } = node;
    if (!this.linked || moduleReference.type !== 'TSExternalModuleReference') return;
    this.edits.replace(node.start, node.start + 6, 'const');
    // An ES module has no `require` of its own.
    if (this.outline.parsed.goal === 'module') this.edits.replace(moduleReference.start, moduleReference.start + 7, `${this.p}m.require`);
  }

  private labeledBody(node: Node, cell: number): void {
    if (/^(For|While|DoWhile)/.test(node.type)) {
      this.counted(node, cell);
      this.loopStatement(node);
    } else if (node.type === 'LabeledStatement') {
      this.counted(node, cell);
      this.labeledBody(node.body, cell);
    } else this.statement(node, cell);
  }

  private loopStatement(node: Node): void {
    const id = this.counts ? this.site('loop', node.body.start, node.body.end, 'loop body') : -1;
    const outer = this.owner;
    switch (node.type) {
      case 'ForStatement': {
        let prologue: (() => string) | undefined;
        if (node.init) {
          if (node.init.type === 'VariableDeclaration') {
            for (const declarator of node.init.declarations as Node[]) {
              this.pattern(declarator.id);
              if (declarator.init) this.expression(declarator.init, false);
            }
            if (this.values) prologue = () => this.sampleNames('variable', namesOf(node.init));
          } else this.expression(node.init, false);
        }
        if (node.test) this.loopTest(node.test, id, this.reach);
        if (node.update) {
          if (this.counts) this.owner = this.reach = id;
          this.expression(node.update, true);
          this.owner = outer;
        }
        this.body(node.body, 'loop body', id, prologue);
        return;
      }
      case 'ForInStatement':
      case 'ForOfStatement': {
        let prologue: (() => string) | undefined;
        if (node.left.type === 'VariableDeclaration') {
          for (const declarator of node.left.declarations as Node[]) this.pattern(declarator.id);
          if (this.values) prologue = () => this.sampleNames('item', namesOf(node.left));
        } else {
          this.target(node.left);
          if (this.values) prologue = () => this.sampleNames('item', this.ownNames(node.left));
        }
        this.expression(node.right, false);
        this.body(node.body, 'loop body', id, prologue);
        return;
      }
      case 'WhileStatement': {
        this.loopTest(node.test, id, this.reach);
        this.body(node.body, 'loop body', id);
        return;
      }
      case 'DoWhileStatement': {
        this.body(node.body, 'loop body', id);
        this.loopTest(node.test, id, -1);
        return;
      }
    }
  }

  private namespace(block: Node): void {
    let before = -1;
    for (const statement of block.body as Node[]) {
      if (before >= 0) this.edits.statement(statement.start, before);
      before = statement.end;
      if (statement.type === 'ExportNamedDeclaration' && statement.declaration) {
        const { declaration } = statement;
        if (declaration.type === 'VariableDeclaration') {
          if (this.counts) this.edits.insert(statement.start, `${this.count(this.site('statement', statement.start, statement.end))};`);
          this.declaration(declaration, statement.end);
        } else if (declaration.type === 'FunctionDeclaration' && declaration.body) this.fn(declaration);
        else if (declaration.type === 'ClassDeclaration') this.class(declaration);
        else if (declaration.type === 'TSModuleDeclaration' && declaration.body?.type === 'TSModuleBlock') this.namespace(declaration.body);
      } else this.statement(statement, -1);
    }
  }

  private handler(node: Node, tried: Node): void {
    if (node.param) this.pattern(node.param);
    const { body } = node;
    if (!this.counts) {
      this.list(body.body, -1);
      return;
    }
    const id = this.site('branch', body.start, body.end, 'catch branch');
    this.reach = id;
    this.plus = -1;
    const first = this.sites.length;
    const samples = node.param && this.values ? this.sampleNames('caught', boundNames(node.param)) : '';
    for (let i = first; i < this.sites.length; i++) this.sites[i]!.tried = { start: tried.start, end: tried.end };
    const restored = this.values && node.param?.type === 'Identifier' ? `${this.p}M(${node.param.name as string});` : '';
    this.edits.insert(body.start + 1, `${this.count(id)};${restored}${samples}`);
    this.list(body.body, id);
  }

  /** A loop's test is reached once before each visit of the body, and once more per loop when it comes first (`plus`). */
  private loopTest(node: Node, loop: number, plus: number): void {
    const outer = this.owner;
    if (this.counts) {
      this.owner = this.reach = loop;
      this.plus = plus;
    }
    this.condition(node);
    this.owner = outer;
  }

  private condition(node: Node): void {
    if (this.values && !isQuiet(node)) this.wrap('condition', node);
    else this.expression(node, false);
  }

  private isTopLevel(node: Node): boolean {
    return this.outline.statements.some((statement) => statement.node === node || statement.node.declaration === node);
  }

  /** Walks the declarators; samples each name bound, in order. */
  private declaration(node: Node, end: number): void {
    let after = '';
    for (const declarator of node.declarations as Node[]) {
      const { id, init } = declarator;
      if (id.type !== 'Identifier') {
        this.pattern(id);
        if (init) this.expression(init, false);
        if (this.values && init) after += this.sampleNames('declaration', boundNames(id));
      } else if (init) {
        if (!this.values || isDefinition(init) || node.kind === 'using' || node.kind === 'await using') this.expression(init, false);
        else this.wrap('declaration', init, id.name, id.start, id.start + id.name.length);
      }
    }
    this.behind(end, after);
  }

  private expressionStatement(node: Node): void {
    const { expression } = node;
    const inner = bare(expression);
    // Put in parentheses, the call would go on with the statement above it where that has no semicolon.
    if (this.making !== undefined && inner.type === 'CallExpression' && inner.callee.type === 'Super') this.edits.insert(node.start, 'void');
    // What a test gives stands at its line anyhow; its promise says nothing.
    if (
      !this.values ||
      isAssertion(node) ||
      (inner.type === 'CallExpression' && this.declaredTest(inner) !== undefined && !this.marked.has(inner) && !this.marked.has(expression))
    ) {
      this.expression(expression, true);
      return;
    }
    switch (inner.type) {
      case 'AssignmentExpression': {
        this.expression(expression, true);
        if (inner.left.type === 'ObjectPattern' || inner.left.type === 'ArrayPattern') {
          this.behind(node.end, this.sampleNames('assignment', this.ownNames(inner.left)));
        }
        return;
      }
      case 'UpdateExpression':
        if (this.constantWrites.has(inner) || this.exportedWrites.has(inner)) this.expression(inner, true);
        else this.update(inner);
        return;
      case 'YieldExpression':
      case 'FunctionExpression':
      case 'ClassExpression':
        this.expression(expression, true);
        return;
      case 'CallExpression':
        if (inner.callee.type === 'Super' || this.consoleMethod(inner) !== undefined) {
          this.expression(expression, true);
          return;
        }
    }
    this.wrap('expression', expression);
  }

  /** `x++` alone on its line shows what `x` is now: its prefix form has the same effect and that value. */
  private update(node: Node): void {
    const { argument } = node;
    const id = this.site('assignment', node.start, node.end, this.sliceName(argument));
    const closing = this.openProbe(id, node.start, node.prefix ? '' : node.operator);
    this.target(argument);
    if (!node.prefix) this.edits.replace(node.end - 2, node.end, '');
    this.edits.insert(node.end, closing);
  }

  private sliceName(node: Node): string {
    const name = this.text.slice(node.start, node.end);
    return name.length > 60 ? `${name.slice(0, 59)}…` : name;
  }

  /** Identifiers of an assignment target that are plain variables of this file (an imported name is not). */
  private ownNames(node: Node): Node[] {
    const names = node.type === 'Identifier' ? [node] : boundNames(node);
    const imported = new Set(this.outline.imports.flatMap((entry) => entry.names.map((name) => name.local)));
    return names.filter((name) => !imported.has(name.name));
  }

  private exportNamed(node: Node, shared: number): number {
    const { declaration } = node;
    if (!declaration) {
      if (this.interop && node.source) this.required(node);
      else if (this.linked) this.edits.remove(node.start, node.end);
      return -1;
    }
    if (node.exportKind === 'type' || declaration.declare || (declaration.type.startsWith('TS') && !/^TS(Enum|Module)Declaration$/.test(declaration.type))) {
      this.edits.remove(node.start, node.end);
      return -1;
    }
    let cell = -1;
    if (declaration.type !== 'FunctionDeclaration' && declaration.type !== 'TSModuleDeclaration') cell = this.counted(node, shared);
    if (this.linked) {
      const exportStart = this.text.startsWith('export', node.start) ? node.start : this.text.lastIndexOf('export', declaration.body?.start ?? declaration.end);
      this.edits.blank(exportStart, exportStart + 6);
    }
    if (declaration.type === 'VariableDeclaration') {
      if (this.options.patchable && declaration.kind === 'const') this.edits.replace(declaration.start, declaration.start + 5, 'let');
      this.declaration(declaration, node.end);
    } else if (declaration.type === 'FunctionDeclaration') {
      if (declaration.body) this.fn(declaration);
    } else if (declaration.type === 'ClassDeclaration') this.class(declaration);
    else if (declaration.type === 'TSEnumDeclaration') this.constEnum(declaration);
    else if (declaration.type === 'TSModuleDeclaration' && declaration.body?.type === 'TSModuleBlock') this.namespace(declaration.body);
    return cell;
  }

  private exportDefault(node: Node, shared: number): number {
    const { declaration } = node;
    if (declaration.type.startsWith('TS')) {
      if (this.linked) this.edits.remove(node.start, node.end);
      return -1;
    }
    if (declaration.type === 'FunctionDeclaration') {
      if (this.linked) {
        this.edits.blank(node.start, declaration.start);
        if (!declaration.id) {
          const open = this.text.indexOf('(', declaration.start);
          this.edits.insert(open, ` ${this.p}z`);
          this.defaultFunction = true;
        }
      }
      this.fn(declaration);
      return -1;
    }
    const cell = this.counted(node, shared);
    if (declaration.type === 'ClassDeclaration' && declaration.id) {
      if (this.linked) this.edits.blank(node.start, declaration.start);
      this.class(declaration);
      return cell;
    }
    const held = this.options.patchable && !this.linked;
    if (held) this.defaultValue = true;
    if (!this.linked && !held) {
      if (declaration.type === 'ClassDeclaration') this.class(declaration);
      else if (this.values && !isDefinition(declaration)) this.wrap('declaration', declaration, 'default');
      else this.expression(declaration, false);
      return cell;
    }
    // `{ default: … }.default` gives an anonymous function or class the name "default", as the language does.
    const parenthesized = declaration.extra?.parenthesized === true;
    const start = parenthesized ? declaration.extra.parenStart : declaration.start;
    this.edits.replace(node.start, start, `${this.options.patchable ? 'let' : 'const'} ${this.p}z={default:${this.newlines(node.start, start)}`);
    let end: number = declaration.end;
    if (declaration.type === 'ClassDeclaration') this.class(declaration);
    else {
      if (this.values && !isDefinition(declaration)) this.wrap('declaration', declaration, 'default');
      else this.expression(declaration, false);
      if (this.text[node.end - 1] === ';') end = node.end - 1;
      else end = node.end;
    }
    this.edits.insert(end, '}.default');
    if (this.text[node.end - 1] !== ';' || declaration.type === 'ClassDeclaration') this.edits.insert(end, ';');
    return cell;
  }

  /** An import of a script that is written as a module: `require` at its place, and what is exported from there. */
  private required(node: Node): void {
    const { outline, p } = this;
    const entry = outline.imports.find((one) => one.start === node.start);
    const lines = this.newlines(node.start, node.end);
    if (!entry || entry.typeOnly) {
      this.edits.replace(node.start, node.end, `;${lines}`);
      return;
    }
    const number = outline.imports.filter((one) => !one.typeOnly).indexOf(entry);
    const specifier = JSON.stringify(entry.specifier);
    if (node.type === 'ExportAllDeclaration') {
      this.edits.replace(node.start, node.end, `${p}m.passAll(exports,require(${specifier}));${lines}`);
      return;
    }
    const passed = outline.exports.filter((one) => one.from === entry.specifier && node.type === 'ExportNamedDeclaration' && within(node, one));
    const taken = node.type === 'ExportNamedDeclaration' ? passed.map((one) => one.local) : entry.names.map((name) => name.imported);
    const kind =
      this.outline.parsed.settings?.esModuleInterop === false
        ? 0
        : taken.includes('*') || (taken.includes('default') && taken.length > 1)
          ? 2
          : taken.includes('default')
            ? 1
            : 0;
    let code = taken.length === 0 ? `require(${specifier});` : `const ${p}i${number}=${p}m.need(require(${specifier}),${kind});`;
    const getters = passed.map((one) => `${JSON.stringify(one.exported)}:()=>${one.local === '*' ? `${p}i${number}` : member(`${p}i${number}`, one.local)}`);
    for (const name of node.type === 'ImportDeclaration' ? entry.names : [])
      for (const exported of this.exportedNames.get(name.local) ?? [])
        getters.push(`${JSON.stringify(exported)}:()=>${name.imported === '*' ? `${p}i${number}` : member(`${p}i${number}`, name.imported)}`);
    const root = this.options.jsxRoots?.get(number);
    if (root !== undefined) code += `${root}=${p}i${number};`;
    if (getters.length > 0) code += `${p}m.pass(exports,{${getters.join(',')}});`;
    this.edits.replace(node.start, node.end, code + lines);
  }

  /** Behind a declaration of a script that is written as a module: what it exports has a value now. */
  private putExports(names: readonly string[], end: number): void {
    const exported = names.flatMap((name) => this.exportedNames.get(name) ?? []);
    if (exported.length > 0) this.behind(end, `${this.p}m.put(${JSON.stringify(exported)});`);
  }

  private newlines(start: number, end: number): string {
    return this.text.slice(start, end).replace(/[^\r\n]+/g, '');
  }

  // ---- functions and classes -----------------------------------------------

  private fn(node: Node): void {
    const outer = this.within;
    const outerOwner = this.owner;
    const outerMaking = this.making;
    const { reach, plus } = this;
    const index = this.infos.get(node);
    const info = index === undefined ? undefined : this.outline.functions[index];
    let id = -1;
    if (this.counts) {
      id = this.site('function', node.start, node.end, info?.name ?? '');
      this.within = this.owner = this.reach = id;
      this.plus = -1;
    }
    const root = this.options.root === node;
    // Parameters have a scope of their own, which the body's locals are not in.
    const moved =
      this.points !== undefined &&
      info?.kind === 'arrow' &&
      !root &&
      this.points.functions[index!]!.hook !== undefined &&
      arrowForm(this.outline, node) === 'rewritten';
    this.inFrame(undefined, () => {
      // What moves into the body moves as its text.
      if (!moved) for (const parameter of node.params as Node[]) this.pattern(parameter);
    });
    if (info?.kind !== 'arrow') this.making = undefined;
    let head = '';
    if (this.points !== undefined && info !== undefined) {
      if (info.kind === 'constructor') head = this.makerHead(node, info, root);
      else if (!root) head = this.patchPoint(node, info, index!);
      if (root && this.options.guard) head += `${this.guard()};`;
    }
    const { body } = node;
    const rewritten = head !== '' && info?.kind === 'arrow' && !root ? this.rewriteParameters(node) : '';
    if (body.type === 'BlockStatement') {
      const at = this.afterDirectives(body, body.start + 1);
      const given =
        this.values && this.options.sites
          ? this.sampleNames(
              'variable',
              (node.params as Node[]).flatMap((parameter) => boundNames(parameter)),
            )
          : '';
      const start = `${head}${rewritten}${this.hookText(node)}${this.counts ? `${this.enter(id)};` : ''}${given}`;
      const directives = at > body.start + 1;
      if (directives) this.edits.statement(at, at);
      if (start !== '') this.edits.insert(at, start);
      this.inFrame(at, () => this.list(body.body, this.counts ? id : -1, directives ? at : -1));
    } else {
      const hook = this.hookText(node);
      const block = rewritten !== '' || hook !== '' || (root && this.options.guard === true);
      const parenthesized = body.extra?.parenthesized === true;
      const bodyStart: number = parenthesized ? body.extra.parenStart : body.start;
      let opening = '';
      if (block) opening = `{${head}${rewritten}${hook}return (`;
      else if (head !== '') opening = `${head.slice(3, -1).replace(')return ', '?')}:`;
      this.edits.insert(block ? bodyStart : body.start, `${opening}${this.counts ? `(${this.enter(id)},` : ''}`);
      this.inFrame(undefined, () => {
        if (this.values && !isDefinition(body)) this.wrap('return', body);
        else this.expression(body, false);
      });
      if (this.counts) this.edits.insert(body.end, ')');
      if (block) this.edits.insert(node.end, ')}');
    }
    this.within = outer;
    this.owner = outerOwner;
    this.reach = reach;
    this.plus = plus;
    this.making = outerMaking;
  }

  // ---- patch points and hooks ------------------------------------------------

  private guard(): string {
    return `(++${this.p}T[0]&1023)||${this.p}m.due(${this.p}T)`;
  }

  private slotCode(slot: number): string {
    return slotText(this.p, slot, this.slots.size);
  }

  /** What a slot of the patch table gives: the later version, or for code that each scope has anew, the way to make it. */
  private slot(id: number, point: Pick<Point, 'hook' | 'self'>, owner: number, name: string, nesting = 0): { test: string; call: string } {
    const { p } = this;
    const slot = this.slotCode(id);
    let hook = '';
    if (point.hook === 'scope') hook = hookName(p, nesting);
    else if (point.hook === 'inner') hook = `${p}k${owner}`;
    else if (point.hook === 'field') hook = `this.#${p}h`;
    if (point.self) hook = `${hook === '' ? 'undefined' : hook},${name}`;
    return { test: `${slot}!==undefined`, call: hook === '' ? slot : `${slot}(${hook})` };
  }

  /** The check at the head of a function through which a later version takes over. */
  private patchPoint(node: Node, info: FunctionInfo, index: number): string {
    const point = this.points!.functions[index]!;
    if (point.hook === undefined) return '';
    const { test, call } = this.slot(
      this.slots.functions[index]!,
      this.hookHere(point),
      info.owner >= 0 ? info.owner : classAround(this.outline, node),
      info.name,
      nestingOf(this.outline, info.parent),
    );
    if (info.kind === 'arrow') return `if(${test})return ${call}(${this.passedOn(node)});`;
    if (info.generator) return `if(${test})return yield* ${call}.apply(this,arguments);`;
    if (info.kind === 'function' && !info.async)
      return `if(${test})return new.target===undefined?${call}.apply(this,arguments):${this.p}m.construct(${call},arguments,new.target);`;
    return `if(${test})return ${call}.apply(this,arguments);`;
  }

  /** In a part that is compiled for the fields of a class, arrow functions have the hook of that part. */
  private hookHere(point: Point): Point {
    return point.hook === 'field' && this.options.root === undefined && this.options.inMethod ? { ...point, hook: 'scope' } : point;
  }

  /** The arguments an arrow function passes on: an arrow has no `arguments`, so what it has no name for goes through one more parameter. */
  private passedOn(node: Node): string {
    const { p } = this;
    const form = arrowForm(this.outline, node);
    if (form === 'bound') return arrowArguments(node);
    const parameters = node.params as Node[];
    const last = parameters[parameters.length - 1];
    const names = parameters.map((parameter, index) => {
      if (parameter.type === 'Identifier') return parameter.name as string;
      if (parameter.type === 'RestElement') return parameter.argument.type === 'Identifier' ? `...${parameter.argument.name as string}` : `...${p}a${index}`;
      return `${p}a${index}`;
    });
    // A function that is strict by its own words takes plain parameters only.
    const strict = ((node.body.directives ?? []) as Node[]).some((directive) => directive.value.value === 'use strict');
    if (last?.type !== 'RestElement' && !strict) {
      names.push(`...${p}R`);
      if (last === undefined) this.edits.insert(this.text.indexOf('(', node.start) + 1, `...${p}R`);
      else {
        // `x => …` without parentheses.
        const bareName = parameters.length === 1 && !this.hasParentheses(node);
        if (bareName) this.edits.insert(last.start, '(');
        this.edits.insert(last.end, `,...${p}R${bareName ? ')' : ''}`);
        const comma = /^(?:\s|\/\*[^]*?\*\/|\/\/[^\n]*\n)*,/.exec(this.text.slice(last.end, node.body.start));
        if (comma) this.edits.blank(last.end + comma[0].length - 1, last.end + comma[0].length);
      }
    }
    return names.join(',');
  }

  private hasParentheses(arrow: Node): boolean {
    return /^(?:async\b)?(?:\s|\/\*[^]*?\*\/|\/\/[^\n]*\n)*[(<]/.test(this.text.slice(arrow.start, arrow.end));
  }

  /** Patterns and defaults of an arrow function move into its body, so that a later version gets what was given. Returns their text there. */
  private rewriteParameters(node: Node): string {
    if (arrowForm(this.outline, node) !== 'rewritten') return '';
    const { p } = this;
    let text = '';
    (node.params as Node[]).forEach((parameter, index) => {
      const name = `${p}a${index}`;
      if (parameter.type === 'Identifier') return;
      if (parameter.type === 'RestElement') {
        if (parameter.argument.type === 'Identifier') return;
        text += `let ${this.patternText(parameter.argument)}=${name};`;
        this.edits.drop(parameter.start, parameter.end);
        this.edits.replace(parameter.start, parameter.end, `...${name}`);
        return;
      }
      if (parameter.type === 'AssignmentPattern')
        text += `let ${this.patternText(parameter.left)}=${name}===void 0?(${this.patternText(parameter.right)}):${name};`;
      else text += `let ${this.patternText(parameter)}=${name};`;
      this.edits.drop(parameter.start, parameter.end);
      this.edits.replace(parameter.start, parameter.end, parameter.type === 'AssignmentPattern' ? `${name}=void 0` : name);
    });
    return text;
  }

  /** A pattern or default as text, without its type, with names of other modules where they are. */
  private patternText(node: Node): string {
    const end: number = node.typeAnnotation?.start ?? node.end;
    let text = '';
    let at = node.start;
    for (const use of usesWithin(this.points!.scopes, node.start, end)) {
      const place = this.places.get(use.name);
      if (place === undefined || bindingScope(use.scope, use.name)?.kind !== 'module') continue;
      text += this.text.slice(at, use.start) + place;
      at = use.end;
    }
    text += this.text.slice(at, end);
    return node.optional === true ? text.replace(/\?\s*$/, '') : text;
  }

  /** The hooks that stand at the head of a scope. */
  private hookText(node: Node): string {
    if (this.points === undefined) return '';
    const { p } = this;
    let text = '';
    if (this.points.hooks.has(node)) {
      const { outline } = this;
      const around = isFunction(node) ? this.infos.get(node)! : outline.functions.findLastIndex((info) => info.start <= node.start && info.end >= node.end);
      text = `const ${hookName(p, nestingOf(outline, around))}=(${p}x)=>eval(${p}x);`;
    }
    const holders = this.points.holders.get(node);
    if (holders) text += `let ${holders.map((index) => `${p}k${index}`).join(',')};`;
    return text;
  }

  /** Hooks of blocks; those of functions are placed with their heads. */
  private placeHooks(): void {
    if (this.points === undefined) return;
    for (const node of new Set([...this.points.hooks, ...this.points.holders.keys()])) {
      if (isFunction(node)) continue;
      const text = this.hookText(node);
      if (node.type === 'BlockStatement') this.edits.insert(node.start + 1, text);
      else if (node.type === 'StaticBlock') this.edits.insert(this.text.indexOf('{', node.start) + 1, text);
      else {
        this.edits.insert(node.start, `{${text}`);
        this.wrapped.add(node);
      }
    }
  }

  private class(node: Node): void {
    // Field initialisers are functions of their own, without a place for locals.
    this.inFrame(undefined, () => this.classBody(node));
  }

  private classBody(node: Node): void {
    if (node.superClass) this.expression(node.superClass, false);
    for (const decorator of (node.decorators ?? []) as Node[]) this.expression(decorator.expression, false);
    const outer = this.within;
    const outerMaking = this.making;
    this.making = undefined;
    const index = this.classes.get(node);
    const point = this.points !== undefined && index !== undefined ? this.points.classes[index]! : undefined;
    const live = point?.hook === undefined ? undefined : point;
    const { p } = this;
    if (live) {
      const register = `${p}m.classHook(${this.slots.classes[index!]!},this,(${p}x)=>eval(${p}x))`;
      this.edits.insert(
        node.body.start + 1,
        `static{${live.hook === 'inner' ? `${p}k${index!}=` : ''}${register}}${live.field ? `#${p}h=(${p}x)=>eval(${p}x);` : ''}`,
      );
    }
    for (const member of node.body.body as Node[]) {
      for (const decorator of (member.decorators ?? []) as Node[]) this.expression(decorator.expression, false);
      if (member.computed && member.key) this.expression(member.key, false);
      switch (member.type) {
        case 'ClassMethod':
        case 'ClassPrivateMethod':
          this.fn(member);
          break;
        case 'ClassProperty':
        case 'ClassPrivateProperty':
        case 'ClassAccessorProperty':
          if (member.value) {
            if (this.values && !isDefinition(member.value))
              this.wrap('declaration', member.value, this.sliceName(member.key), member.key.start, member.key.end);
            else if (
              live &&
              !member.static &&
              this.options.inMethod !== true &&
              member.type !== 'ClassAccessorProperty' &&
              !isSafeExpression(bare(member.value)) &&
              !isAnonymousDefinition(member.value)
            ) {
              // Once the fields have changed, the new initialisers run instead of this one.
              this.edits.insert(member.value.start, `${this.slotOfFields(index!)}!==undefined?void 0:(`);
              this.expression(member.value, false);
              this.edits.insert(member.value.end, ')');
            } else this.expression(member.value, false);
          }
          break;
        case 'StaticBlock': {
          this.list(member.body, -1);
          break;
        }
      }
    }
    if (live && live.maker < 0) this.edits.insert(node.body.end - 1, this.impliedMaker(index!, live));
    this.within = outer;
    this.making = outerMaking;
  }

  private slotOfFields(index: number): string {
    return this.slotCode(this.slots.classes[index]!);
  }

  /** Runs what the fields of a class have become on an object that was just made. */
  private fieldsCall(index: number): string {
    const { p } = this;
    const point = this.points!.classes[index]!;
    const slot = this.slotOfFields(index);
    return `${slot}!==undefined&&${slot}${point.hook === 'inner' ? `(${p}k${index})` : ''}.call(this)${point.tracked ? `,${p}m.made(${this.slots.classes[index]!},this)` : ''}`;
  }

  /** A constructor for a class that has none, as the language would add it, with its patch points. */
  private impliedMaker(index: number, point: ClassPoint): string {
    const { p } = this;
    const { test, call } = this.slot(this.slots.classes[index]! + 1, { hook: point.hook, self: false }, index, '');
    if (!point.derived) return `;constructor(){${this.fieldsCall(index)};if(${test})return ${call}.apply(this,arguments)}`;
    const made = `${this.slotCode(this.slots.classes[index]! + 1)}((${p}x)=>eval(${p}x))`;
    return `;constructor(...${p}R){if(${test})return ${made}(...${p}R);super(...${p}R);${this.fieldsCall(index)}}`;
  }

  /** The head of a constructor: fields and body of a later version. */
  private makerHead(node: Node, info: FunctionInfo, root: boolean): string {
    const index = info.owner;
    const point = this.points!.classes[index];
    if (point?.hook === undefined) return '';
    const assign = root ? this.parameterProperties(node) : '';
    if (point.derived) {
      this.making = { index, assign };
      if (root) return '';
      const { p } = this;
      const slot = this.slotCode(this.slots.functions[this.infos.get(node)!]!);
      return `if(${slot}!==undefined)return ${slot}((${p}x)=>eval(${p}x))(...arguments);`;
    }
    if (root) return assign;
    const { test, call } = this.slot(this.slots.functions[this.infos.get(node)!]!, { hook: point.hook, self: false }, index, '');
    return `${this.fieldsCall(index)};if(${test})return ${call}.apply(this,arguments);`;
  }

  /** `constructor(private level: number)` outside of its class: plain parameters, and the assignments they stand for. */
  private parameterProperties(node: Node): string {
    let assign = '';
    for (const parameter of node.params as Node[]) {
      if (parameter.type !== 'TSParameterProperty') continue;
      const inner = parameter.parameter as Node;
      this.edits.blank(parameter.start, inner.start);
      const name = boundNames(inner)[0]!.name as string;
      assign += `this.${name}=${name};`;
    }
    return assign;
  }

  /** Walks what runs inside a binding pattern: defaults and computed keys. */
  private pattern(node: Node | null): void {
    if (!node) return;
    switch (node.type) {
      case 'ObjectPattern':
        for (const property of node.properties as Node[]) {
          if (property.type === 'RestElement') this.pattern(property.argument);
          else {
            if (property.computed) this.expression(property.key, false);
            this.pattern(property.value);
          }
        }
        break;
      case 'ArrayPattern':
        for (const element of node.elements as (Node | null)[]) this.pattern(element);
        break;
      case 'AssignmentPattern':
        this.pattern(node.left);
        if (this.values && !isDefinition(node.right)) this.wrap('default', node.right, node.left.type === 'Identifier' ? node.left.name : '');
        else this.expression(node.right, false);
        break;
      case 'RestElement':
        this.pattern(node.argument);
        break;
      case 'TSParameterProperty':
        this.pattern(node.parameter);
        break;
    }
  }

  /** Walks what runs inside an assignment target, and never wraps the target itself. */
  private target(node: Node): void {
    switch (node.type) {
      case 'Identifier':
        break;
      case 'MemberExpression':
      case 'OptionalMemberExpression':
        this.expression(node.object, false);
        if (node.computed) this.expression(node.property, false);
        break;
      case 'ObjectPattern':
        for (const property of node.properties as Node[]) {
          if (property.type === 'RestElement') this.target(property.argument);
          else {
            if (property.computed) this.expression(property.key, false);
            this.target(property.value);
          }
        }
        break;
      case 'ArrayPattern':
        for (const element of node.elements as (Node | null)[]) if (element) this.target(element);
        break;
      case 'AssignmentPattern':
        this.target(node.left);
        this.expression(node.right, false);
        break;
      case 'RestElement':
        this.target(node.argument);
        break;
      case 'TSAsExpression':
      case 'TSSatisfiesExpression':
      case 'TSNonNullExpression':
      case 'TSTypeAssertion':
        this.target(node.expression);
        break;
      default:
        this.expression(node, false);
    }
  }

  // ---- expressions -----------------------------------------------------------

  /** Walks an expression. `covered`: a probe around it already samples its value. */
  private expression(node: Node, covered: boolean): void {
    if (this.exportedWrites.size > 0 && this.exportedWrites.delete(node)) {
      const names = this.interop ? this.writtenExports(node) : undefined;
      this.edits.insert(node.start, names ? `${this.p}m.put(${JSON.stringify(names)},(` : `${this.p}m.sync((`);
      this.expression(node, covered);
      this.edits.insert(node.end, '))');
      return;
    }
    if (this.chains.size > 0 && this.chains.has(node)) {
      this.markedChain(node, covered);
      return;
    }
    if (this.marked.size > 0 && this.marked.has(node)) {
      this.markedExpression(node);
      return;
    }
    switch (node.type) {
      case 'Identifier':
      case 'StringLiteral':
      case 'NumericLiteral':
        return;
      case 'FunctionExpression':
      case 'ArrowFunctionExpression':
      case 'ObjectMethod':
        this.fn(node);
        return;
      case 'ClassExpression':
        this.class(node);
        return;
      case 'TSAsExpression':
      case 'TSSatisfiesExpression':
      case 'TSTypeAssertion':
      case 'TSNonNullExpression':
      case 'TSInstantiationExpression':
      case 'ParenthesizedExpression':
        this.expression(node.expression, covered);
        return;
      case 'AssignmentExpression': {
        const { left, right } = node;
        const simple = left.type !== 'ObjectPattern' && left.type !== 'ArrayPattern';
        // Alone in a `v(…)` that shows another name, an assignment still reports for its own.
        const sampled = this.values && simple && !isDefinition(right);
        const closing = sampled ? this.openProbe(this.site('assignment', node.start, node.end, this.sliceName(left)), node.start) : '';
        this.target(left);
        const constant = this.constantWrites.get(node);
        if (constant !== undefined && simple) this.edits.insert(right.start, `${this.p}m.constant(${JSON.stringify(constant)},(`);
        this.expression(right, sampled);
        if (constant !== undefined && simple) this.edits.insert(right.end, '))');
        if (sampled) this.edits.insert(node.end, closing);
        return;
      }
      case 'UpdateExpression': {
        const constant = this.constantWrites.get(node);
        if (constant !== undefined) this.edits.replace(node.start, node.end, `${this.p}m.constant(${JSON.stringify(constant)},0)`);
        else this.target(node.argument);
        return;
      }
      case 'AwaitExpression':
        if (this.values && !covered) {
          const closing = this.openProbe(this.site('await', node.start, node.end, this.sliceName(node.argument)), node.start);
          this.awaited(node);
          this.edits.insert(node.end, closing);
        } else this.awaited(node);
        return;
      case 'ConditionalExpression':
        this.condition(node.test);
        this.branch(node.consequent, 'then part');
        this.branch(node.alternate, 'else part');
        return;
      case 'LogicalExpression':
        this.expression(node.left, false);
        this.branch(node.right, `right side of ${node.operator}`);
        return;
      case 'CallExpression':
      case 'OptionalCallExpression':
        this.call(node);
        this.endChainPart(node);
        return;
      case 'ImportExpression':
        if (this.linked) this.edits.replace(node.start, node.start + 6, `${this.p}m.import`);
        eachChild(node, (child) => this.expression(child, false));
        return;
      case 'MetaProperty':
        if (this.linked && node.meta.name === 'import') this.edits.replace(node.start, node.end, `${this.p}m.meta`);
        return;
      case 'MemberExpression':
      case 'OptionalMemberExpression':
        this.expression(node.object, false);
        if (this.chainLinks.has(node)) this.chainLink(node);
        else if (node.computed) this.expression(node.property, false);
        this.endChainPart(node);
        return;
      case 'ObjectExpression':
        for (const property of node.properties as Node[]) {
          if (property.type === 'SpreadElement') this.expression(property.argument, false);
          else {
            if (property.computed) this.expression(property.key, false);
            if (property.type === 'ObjectMethod') this.fn(property);
            else this.expression(property.value, false);
          }
        }
        return;
      default:
        if (isFunction(node)) this.fn(node);
        else eachChild(node, (child) => this.expression(child, false));
    }
  }

  /** The code before and after an expression that has a mark. */
  private markCode(mark: Mark, node: Node): { before: string; after: string; id: number } {
    const id = this.site('mark', node.start, node.end, this.sliceName(node));
    this.sites[id]!.mark = { verb: mark.verb?.name ?? '', expression: mark.expression };
    const [open, close] = mark.role.is === 'constructor' ? ['(', ')'] : ['', ''];
    if (mark.verb?.reports === 'kept') {
      const { p } = this;
      this.keeps.push({ id, node });
      return { id, before: `${open}(${p}y(${id})?${p}u(${id}):${p}h(${id},(`, after: `)))${close}` };
    }
    if (mark.verb?.reports === 'time') return { id, before: `${open}${this.p}r(${id},${this.p}b(),(`, after: `))${close}` };
    let { expression } = mark;
    for (const { name, start, end, shorthand } of [...mark.names].reverse()) {
      const place = this.places.get(name);
      if (place !== undefined) expression = `${expression.slice(0, start)}${shorthand ? `${name}:` : ''}${place}${expression.slice(end)}`;
    }
    const closure = expression === '' || mark.verb?.expression === 'text' ? '' : `,(it)=>(${expression})${mark.verb?.reports === 'holds' ? ',true' : ''}`;
    const wide = mark.verb?.view === 'table' ? `${closure === '' ? ',undefined' : closure},false,true` : closure;
    return { id, before: `${open}${this.p}l(${id},(`, after: `)${wide})${close}` };
  }

  private markedExpression(node: Node): void {
    const marks = this.marked.get(node)!.filter((mark) => {
      if (mark.verb?.reports !== 'kept' || (this.linked && this.within < 0 && this.owner < 0 && this.frame !== undefined && mark.givenName === undefined))
        return true;
      const message = this.linked
        ? 'keep: holds what is evaluated once, at the top level of a file and not in a loop, a function or a class.'
        : 'keep: needs a session that holds the value.';
      this.problems.push({ code: 'E_MARK', message, start: mark.start, end: mark.end });
      return false;
    });
    this.marked.delete(node);
    const named = marks.find((mark) => mark.givenName !== undefined)?.givenName;
    const codes = marks.map((mark) => this.markCode(mark, node));
    for (const { before } of codes) this.edits.insert(node.start, before);
    // A function without a name takes it from its place; here the place is this property.
    if (named !== undefined) this.edits.insert(node.start, `{[${JSON.stringify(named)}]:`);
    this.expression(node, false);
    if (named !== undefined) this.edits.insert(node.end, `}[${JSON.stringify(named)}]`);
    for (const { after } of codes.reverse()) this.edits.insert(node.end, after);
  }

  /**
   * `a?.b() /*~*\/ .c()`: what stands behind `?.` is left out together, so the
   * marked part cannot simply be wrapped. The link that may end the chain tells
   * a local when it did not, and the rest hangs on that.
   */
  private markedChain(whole: Node, covered: boolean): void {
    const marks = this.chains.get(whole)!;
    const [mark, ...more] = marks;
    if (more.length > 0) this.chains.set(whole, more);
    else this.chains.delete(whole);
    const { frame } = this;
    if (!mark || mark.role.is !== 'chain' || frame === undefined || this.chainLinks.has(mark.role.link)) {
      if (mark)
        this.problems.push({
          code: 'E_MARK',
          message: 'A mark cannot stand in the middle of this chain with ?. in it. Put it behind the chain.',
          start: mark.start,
          end: mark.end,
        });
      this.expression(whole, covered);
      return;
    }
    const reached = `${this.p}s${mark.start}`;
    const value = `${this.p}o${mark.start}`;
    frame.locals.add(reached);
    frame.locals.add(value);
    this.chainLinks.set(mark.role.link, reached);
    const { before, after } = this.markCode(mark, mark.node);
    this.edits.insert(whole.start, `(${reached}=0,${value}=(`);
    this.chainEnds.set(mark.node, `),${reached}?${before}${value}${after}`);
    this.expression(whole, covered);
    this.edits.insert(whole.end, ':void 0)');
  }

  /** The link tells that the chain goes on: `?.name` becomes `?.[(reached = 1, "name")]`. */
  private chainLink(node: Node): void {
    const { property } = node;
    const tell = `(${this.chainLinks.get(node)!}=1,`;
    if (node.computed) {
      this.edits.insert(property.start, tell);
      this.expression(property, false);
      this.edits.insert(property.end, ')');
    } else this.edits.replace(property.start, property.end, `[${tell}${JSON.stringify(property.name)})]`);
  }

  private endChainPart(node: Node): void {
    const code = this.chainEnds.get(node);
    if (code === undefined) return;
    this.chainEnds.delete(node);
    this.edits.insert(node.end, code);
  }

  /** What is waited for is told before, so that what never comes has its place. */
  private awaited(node: Node): void {
    const { argument } = node;
    if (!this.values) {
      this.expression(argument, false);
      return;
    }
    this.edits.insert(argument.start, `${this.p}a(${node.start},(`);
    this.expression(argument, false);
    this.edits.insert(argument.end, '))');
  }

  /** A part of an expression that may not run. */
  private branch(node: Node, name: string): void {
    if (!this.counts) {
      this.expression(node, false);
      return;
    }
    const id = this.site('branch', node.start, node.end, name);
    this.edits.insert(node.start, `(${this.count(id)},`);
    const { reach, plus } = this;
    this.reach = id;
    this.plus = -1;
    this.expression(node, false);
    this.reach = reach;
    this.plus = plus;
    this.edits.insert(node.end, ')');
  }

  private call(node: Node): void {
    const { callee } = node;
    if (callee.type === 'Super' && this.making !== undefined) {
      const { index, assign } = this.making;
      this.edits.insert(node.start, '(');
      for (const argument of node.arguments as Node[]) this.expression(argument, false);
      this.edits.insert(node.end, `,${assign.replace(/;/g, ',')}${this.fieldsCall(index)},this)`);
      return;
    }
    if (callee.type === 'Import') {
      const { settings, goal } = this.outline.parsed;
      if (this.linked && goal === 'script' && settings?.module === 'commonjs' && this.outline.parsed.language !== 'js')
        this.edits.replace(callee.start, callee.end, `${this.p}m.later(require,${settings.esModuleInterop ? 2 : 0})`);
      else if (this.linked) this.edits.replace(callee.start, callee.end, `${this.p}m.import`);
    } else if (this.values && callee.type === 'MemberExpression' && callee.computed === false && this.isStage(callee.object)) {
      const { object } = callee;
      const id = this.site('stage', object.start, object.end, stageName(object));
      // Always the call form: when the next method is missing, the engine's message then names the probe, and is put right.
      this.edits.insert(object.start, `${this.p}w(${id},`);
      this.expression(object, true);
      this.edits.insert(object.end, ')');
    } else this.callee(callee);
    const args = node.arguments as Node[];
    const reached = this.chainLinks.get(node);
    if (reached !== undefined) {
      this.edits.insert(args[0]!.start, `(${reached}=1,`);
      this.expression(args[0]!, false);
      this.edits.insert(args[0]!.end, ')');
      for (const argument of args.slice(1)) this.expression(argument, false);
      return;
    }
    const last = args[args.length - 1];
    const method = this.counts ? this.consoleMethod(node) : undefined;
    const declared = this.counts && method === undefined ? this.declaredTest(node) : undefined;
    if ((method ?? declared) === undefined || last === undefined) {
      for (const argument of args) this.expression(argument, false);
      return;
    }
    // The place is told after all arguments are evaluated, so that a console call inside one cannot take it.
    const id = method === undefined ? this.site('test', node.start, node.end, declared) : this.site('console', node.start, node.end, method);
    for (const argument of args) {
      if (argument === last) {
        const inner = argument.type === 'SpreadElement' ? argument.argument : argument;
        this.edits.insert(inner.start, `${this.p}k(${id},${inner.type === 'SequenceExpression' ? '(' : ''}`);
        this.expression(inner, true);
        this.edits.insert(inner.end, `${inner.type === 'SequenceExpression' ? ')' : ''}${method === undefined ? ',true' : ''})`);
      } else this.expression(argument, false);
    }
  }

  /**
   * What is called. Where the call fails the engine's message prints it, so
   * nothing of ours stands in the parts that are printed.
   */
  private callee(node: Node): void {
    if (this.marked.has(node) || this.chains.has(node) || this.exportedWrites.has(node)) {
      this.expression(node, false);
      return;
    }
    switch (node.type) {
      case 'ParenthesizedExpression':
        this.callee(node.expression);
        return;
      case 'LogicalExpression':
        this.callee(node.left);
        this.callee(node.right);
        return;
      case 'SequenceExpression':
        for (const part of node.expressions as Node[]) this.callee(part);
        return;
      case 'AssignmentExpression':
        this.target(node.left);
        this.expression(node.right, false);
        return;
      default:
        this.expression(node, false);
    }
  }

  /** What a chain of calls shows of itself: `log.split(…)` before `.map(…)`, and `log` before the first of two calls. */
  private isStage(object: Node): boolean {
    const inner = bare(object);
    if (inner.type === 'CallExpression') return inner.callee.type !== 'Super' && inner.callee.type !== 'Import' && this.consoleMethod(inner) === undefined;
    return false;
  }

  /** The name of a test or suite that a call declares; empty where it is computed. */
  private declaredTest(node: Node): string | undefined {
    if (this.testNames.size === 0) return undefined;
    const { callee } = node;
    const args = node.arguments as Node[];
    const direct = (one: Node): boolean => one.type === 'Identifier' && this.testNames.has(one.start);
    const declares =
      direct(callee) ||
      (callee.type === 'MemberExpression' &&
        !callee.computed &&
        (direct(callee.object)
          ? /^(test|it|describe|suite|skip|todo|only)$/.test(callee.property.name as string)
          : callee.object.type === 'Identifier' && callee.property.name === 'test' && args.length > 0 && isFunction(args[args.length - 1]!)));
    if (!declares) return undefined;
    return args[0]?.type === 'StringLiteral' ? (args[0].value as string) : '';
  }

  /** `log` for `console.log(…)` on the global console. */
  private consoleMethod(node: Node): string | undefined {
    if (!this.freeConsole) return undefined;
    const { callee } = node;
    if (callee.type !== 'MemberExpression' || callee.computed || callee.object.type !== 'Identifier' || callee.object.name !== 'console') return undefined;
    return this.consoleCallees.has(callee.object.start) ? callee.property.name : undefined;
  }
}

function member(object: string, name: string): string {
  return /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(name) ? `${object}.${name}` : `${object}[${JSON.stringify(name)}]`;
}

/** `split` for `log.split(…)`. */
function stageName(node: Node): string {
  const { callee } = bare(node);
  return callee.type === 'MemberExpression' && !callee.computed ? (callee.property.name ?? '') : callee.type === 'Identifier' ? callee.name : '';
}

/** `assert(…)` or `assert.ok(…)` as a statement: it has no value, and its message is its own text. */
function isAssertion(node: Node): boolean {
  if (node.type !== 'ExpressionStatement' || node.expression.type !== 'CallExpression') return false;
  const { callee } = node.expression;
  const name: Node = callee.type === 'MemberExpression' && !callee.computed && callee.property.name === 'ok' ? callee.object : callee;
  return name.type === 'Identifier' && /^(assert|ok)$/i.test(name.name as string);
}

function namesOf(declaration: Node): Node[] {
  return (declaration.declarations as Node[]).flatMap((declarator) => boundNames(declarator.id));
}

/** True when an `export … from` names this export. */
function within(node: Node, { exported }: { exported: string }): boolean {
  return (node.specifiers as Node[]).some((specifier) => (specifier.exported.name ?? specifier.exported.value) === exported);
}

/** Names that a statement gives a value, functions aside: those are there from the start. */
function declaredNames(statement: Node): string[] {
  if (statement.type === 'ExportDefaultDeclaration') {
    const { declaration } = statement;
    if (declaration.type === 'FunctionDeclaration' || declaration.type.startsWith('TS')) return [];
    return [declaration.type === 'ClassDeclaration' && declaration.id ? (declaration.id.name as string) : '*default*'];
  }
  const node: Node = statement.type === 'ExportNamedDeclaration' && statement.declaration ? statement.declaration : statement;
  if (node.declare === true) return [];
  switch (node.type) {
    case 'VariableDeclaration':
      return namesOf(node).map((id) => id.name as string);
    case 'ClassDeclaration':
    case 'TSEnumDeclaration':
      return node.id ? [node.id.name as string] : [];
    case 'TSModuleDeclaration':
    case 'TSImportEqualsDeclaration':
      return node.id?.type === 'Identifier' ? [node.id.name as string] : [];
    default:
      return [];
  }
}

/** Function declarations are there before their list runs, imports and types do not run in it. */
function isHoisted(node: Node): boolean {
  if (node.type === 'FunctionDeclaration' || node.type === 'ImportDeclaration' || node.type === 'EmptyStatement') return true;
  if (node.type === 'ExportAllDeclaration') return true;
  if (node.type === 'ExportNamedDeclaration') return !node.declaration || isHoisted(node.declaration);
  if (node.type === 'ExportDefaultDeclaration') return isHoisted(node.declaration);
  if (node.declare === true) return true;
  return node.type.startsWith('TS') && node.type !== 'TSEnumDeclaration' && node.type !== 'TSExportAssignment' && node.type !== 'TSModuleDeclaration';
}

/** True when the first thing that the instrumented statement does is to count itself. */
function startsWithCounter(node: Node): boolean {
  return node.type !== 'BlockStatement' && node.type !== 'TSModuleDeclaration' && !isHoisted(node);
}

/** Values that say nothing new: literals as a condition. */
function isQuiet(node: Node): boolean {
  return /^(Boolean|Numeric|String|Null|BigInt)Literal$/.test(bare(node).type);
}

/** A function or class where it is written: nothing to show, and wrapping may lose its name. */
function isDefinition(node: Node): boolean {
  if (isAnonymousDefinition(node)) return true;
  const { type } = bare(node);
  return type === 'FunctionExpression' || type === 'ClassExpression';
}

/** True when nothing after the statement's start can throw or leave, so the next statement runs as often. */
function isSafe(node: Node): boolean {
  switch (node.type) {
    case 'VariableDeclaration':
      return (
        node.kind !== 'using' &&
        node.kind !== 'await using' &&
        (node.declarations as Node[]).every((declarator) => declarator.id.type === 'Identifier' && (!declarator.init || isSafeExpression(declarator.init)))
      );
    case 'ExportNamedDeclaration':
      return node.declaration ? isSafe(node.declaration) : true;
    default:
      return false;
  }
}

function isSafeExpression(node: Node): boolean {
  switch (node.type) {
    case 'NumericLiteral':
    case 'StringLiteral':
    case 'BooleanLiteral':
    case 'NullLiteral':
    case 'BigIntLiteral':
    case 'RegExpLiteral':
    case 'ArrowFunctionExpression':
    case 'FunctionExpression':
      return true;
    case 'UnaryExpression':
      return (node.operator === '-' || node.operator === '!') && node.argument.type === 'NumericLiteral';
    case 'TemplateLiteral':
      return node.expressions.length === 0;
    case 'ArrayExpression':
      return (node.elements as (Node | null)[]).every((element) => element === null || isSafeExpression(element));
    case 'ObjectExpression':
      return (node.properties as Node[]).every((property) =>
        property.type === 'ObjectMethod' ? !property.computed : property.type === 'ObjectProperty' && !property.computed && isSafeExpression(property.value),
      );
    default:
      return false;
  }
}

/**
 * How an arrow function is given to its later version. `plain`: its parameters
 * are names. `rewritten`: patterns and defaults move into the body. `bound`:
 * they cannot, and the later version gets what they bound.
 */
export function arrowForm(outline: Outline, node: Node): 'plain' | 'rewritten' | 'bound' {
  const parameters = node.params as Node[];
  const special = parameters.filter(
    (parameter) => parameter.type !== 'Identifier' && !(parameter.type === 'RestElement' && parameter.argument.type === 'Identifier'),
  );
  if (special.length === 0) return 'plain';
  const inner = pointsOf(outline).scopes.inner.get(node);
  const movable = special.every((parameter) => {
    if (usesLater(outline, node, parameter)) return false;
    const end: number = parameter.typeAnnotation?.start ?? parameter.end;
    if (/[\n\r]|\/[*/]/.test(outline.parsed.text.slice(parameter.start, end)) || !isMovable(parameter)) return false;
    return boundNames(parameter).every((id) => !inner?.names.has(id.name as string));
  });
  return movable ? 'rewritten' : 'bound';
}

/** A parameter's pattern or default uses one that is bound only afterwards, or itself: a dead zone, which the body has not. */
function usesLater(outline: Outline, arrow: Node, parameter: Node): boolean {
  const parameters = arrow.params as Node[];
  const later = new Set(parameters.slice(parameters.indexOf(parameter)).flatMap((one) => boundNames(one).map((id) => id.name as string)));
  return usesWithin(pointsOf(outline).scopes, parameter.start, parameter.end).some((use) => later.has(use.name));
}

/** No function, class, type or suspension in it: its text can stand elsewhere. */
function isMovable(node: Node): boolean {
  if (isFunction(node) || /^(Class|Await|Yield|TS|JSX|MetaProperty|Import|Super)/.test(node.type)) return false;
  let movable = true;
  eachChild(node, (child) => {
    if (!isMovable(child)) movable = false;
  });
  return movable;
}

/** What an arrow passes on to its later version: the values its parameters bound. */
export function arrowArguments(node: Node): string {
  return (node.params as Node[])
    .map((parameter) => {
      if (parameter.type === 'RestElement' && parameter.argument.type === 'Identifier') return `...${parameter.argument.name}`;
      return boundNames(parameter)
        .map((id) => id.name as string)
        .join(',');
    })
    .filter((part) => part !== '')
    .join(',');
}
