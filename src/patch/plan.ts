/**
 * From two versions of a file to a plan: the steps a target takes, and in words
 * and as data what is done, what is not, and why. A plan is applied whole or not at all.
 */
import type { Translator } from '../instrument/compile.js';
import {
  declarationExpression,
  fieldsExpression,
  functionExpression,
  homeExpression,
  makerExpression,
  memberExpression,
  objectMemberExpression,
  prefixOf,
  propertiesExpression,
  statementExpression,
  valueExpression,
  type PartOptions,
} from '../instrument/part.js';
import type { Site } from '../instrument/sites.js';
import { slotText } from '../instrument/instrument.js';
import { pointsOf, type Points } from '../instrument/points.js';
import { bare, boundNames, isFunction, type Node } from '../syntax/node.js';
import { classAround, memberName, type FunctionInfo, type Outline, type TopLevelStatement } from '../syntax/outline.js';
import { bindingScope, usesWithin } from '../syntax/scopes.js';
import {
  generationOf,
  importedNames,
  keyOf,
  linesOf,
  kindOf,
  liveClassOf,
  liveModule,
  ownKey,
  type Generation,
  type Gone,
  type LiveClass,
  type LiveModule,
} from './live-module.js';
import { isDeclared, match, type Matches } from './match.js';
import { shapeOf } from './shape.js';
import { isPure, stateOf, type NameState } from './state.js';
import type { FieldStep, Step, ValueAt } from './steps.js';

export { liveModule, presentLine, type LiveModule } from './live-module.js';

/** What a plan does to one thing of the program. */
export type PlanNoteKind = 'patched' | 'added' | 'assigned' | 'renamed' | 'kept' | 'removed' | 'waits' | 'cannot';

export interface PlanNote {
  kind: PlanNoteKind;
  name: string;
  /** Line in the new text, from 0. */
  line: number;
  /** Why, and the way round. */
  reason?: string;
}

/** A statement that a save brought and that was not run. */
export interface Waiting {
  line: number;
  text: string;
  code: string;
}

export interface Plan {
  format: 'usher-anvil/plan@1';
  file: string;
  steps: Step[];
  notes: PlanNote[];
  waiting: Waiting[];
  /** Names whose live value was kept though their first value changed: what sets them anew. */
  resets: Map<string, Step>;
  /** Top-level names that hold another value then. */
  changes: ReadonlySet<string>;
  /** The module's state once the plan is applied. */
  next: LiveModule;
}

/** A function of an earlier version that lives. */
interface Earlier {
  outline: Outline;
  index: number;
  generations: Generation[];
}

/** Generations of one function that are remembered. */
const MOST_GENERATIONS = 24;

/**
 * Plans the way from the version that runs to a new one.
 *
 * @param imported names the module imports that hold another value than before: what was computed from them follows
 */
export function planChanges(module: LiveModule, after: Outline, translator: Translator, imported: Iterable<string> = []): Plan {
  return new Planner(module, after, translator, imported).plan();
}

/** How much a function that is watched reports. */
export type WatchDepth = 'counts' | 'values';

/** What it takes to watch functions of a module that lives. */
export interface WatchPlan {
  file: string;
  /** Versions that report; all of kind `function`. */
  steps: Step[];
  /** Places that report, in the text of the version that runs. */
  sites: Site[];
  /** Functions by index, and the range of their sites. Those that cannot be watched have no part. */
  parts: { index: number; depth: WatchDepth; from: number; to: number }[];
  /** The module's state once they are watched. */
  next: LiveModule;
}

/**
 * Plans to watch functions of the version that runs: each gets a version of the
 * same text that reports, through probes of its own unit.
 *
 * @param wanted by index in the module's outline; those without a patch point come with the function around them
 */
export function planWatch(module: LiveModule, wanted: ReadonlyMap<number, WatchDepth>, unit: number, translator: Translator): WatchPlan {
  return new Planner(module, module.outline, translator).watch(wanted, unit);
}

class Planner {
  private readonly before: Outline;
  private readonly matches: Matches;
  private readonly points: Points;
  private readonly file: string;
  private readonly p: string;
  private readonly notes: PlanNote[] = [];
  private readonly waiting: Waiting[] = [];
  private readonly resets = new Map<string, Step>();
  private readonly late: Map<string, string>;
  private readonly keys: Set<string>;
  private readonly links: Map<string, string>;
  private readonly gone: Map<string, Gone>;
  private readonly places = new Map<string, string>();
  private readonly earlier: (Earlier | undefined)[] = [];
  private readonly earlierClass: ({ outline: Outline; index: number; live: LiveClass } | undefined)[] = [];
  private readonly generations: Generation[][] = [];
  private readonly classes: LiveClass[] = [];
  private readonly slots: { functions: number[]; classes: number[]; size: number };
  private nextSlot: number;
  /** Names that mean something else now than when the live code was compiled. */
  private readonly fresh = new Set<string>();
  /** Functions that get a later version, and those that come with the code around them. */
  private readonly patched = new Set<number>();
  private readonly made = new Set<number>();
  private readonly forced = new Set<number>();
  private readonly changed = new Set<string>();
  private readonly states: Map<string, NameState>;
  private readonly lateMembers: { name: string; symbol: string; start: number; end: number }[] = [];
  /** Steps by when they are taken. */
  private readonly head: Step[] = [];
  private readonly bodies: Step[] = [];
  /** What is compiled once all slots are given, by where it stands. */
  private readonly values: { at: number; make: () => void }[] = [];
  private readonly valueSteps: Step[] = [];
  private readonly tail: Step[] = [];

  constructor(
    private readonly module: LiveModule,
    private readonly after: Outline,
    private readonly translator: Translator,
    imported: Iterable<string> = [],
  ) {
    for (const name of imported) this.changed.add(name);
    this.before = module.outline;
    this.file = module.file;
    this.p = prefixOf(this.before);
    this.matches = match(this.before, after);
    this.points = pointsOf(after);
    this.late = new Map(module.late);
    this.keys = new Set(module.keys);
    this.links = new Map(module.links);
    this.gone = new Map(module.gone);
    this.nextSlot = module.nextSlot;
    this.slots = { functions: [], classes: [], size: module.size };
    this.states = stateOf(after.parsed.program!, this.points.scopes);
  }

  plan(): Plan {
    this.adopt();
    this.imports();
    this.declarations();
    this.exports();
    this.functions();
    this.classMembers();
    this.statements();
    for (const { make } of this.values.sort((a, b) => a.at - b.at)) make();
    this.compileFunctions();
    this.texts();
    const next: LiveModule = {
      file: this.file,
      outline: this.after,
      functions: this.generations,
      lines: this.compiledLines(),
      classes: this.classes,
      nextSlot: this.nextSlot,
      changed: new Set([...this.module.changed, ...this.bodies.flatMap((step) => (step.kind === 'function' ? [step.slot] : []))]),
      size: this.module.size,
      late: this.late,
      keys: this.keys,
      links: this.links,
      bound: this.module.bound,
      gone: this.gone,
    };
    return {
      format: 'usher-anvil/plan@1',
      file: this.file,
      steps: [...this.head, ...this.bodies, ...this.valueSteps, ...this.tail],
      notes: this.notes,
      waiting: this.waiting,
      resets: this.resets,
      changes: this.changed,
      next,
    };
  }

  /** What functions show as their source from now on: those with another text, or another slot. */
  private texts(): void {
    const texts: [number, string][] = [];
    this.after.functions.forEach((info, index) => {
      const old = this.earlier[index];
      const text = this.text(this.after, info.node);
      const was = old && this.text(old.outline, old.outline.functions[old.index]!.node);
      for (const { slot } of this.generations[index]!) if (was !== text || !old?.generations.some((one) => one.slot === slot)) texts.push([slot, text]);
    });
    // Where nothing else is done, nobody waits for it either.
    if (texts.length > 0 && this.head.length + this.bodies.length + this.valueSteps.length + this.tail.length > 0)
      this.head.push({ kind: 'texts', file: this.file, name: '', texts });
  }

  private note(kind: PlanNoteKind, name: string, at: number, reason?: string): void {
    this.notes.push({ kind, name, line: lineOf(this.after, at), ...(reason === undefined ? {} : { reason }) });
  }

  private watching: PartOptions['watch'];

  private get options(): PartOptions {
    const { translator, slots, late, places, lateMembers, watching } = this;
    return { translator, slots, late, places, lateMembers, ...(watching ? { watch: watching } : {}) };
  }

  /** Compiles functions of the version that runs so that they report. */
  watch(wanted: ReadonlyMap<number, WatchDepth>, unit: number): WatchPlan {
    this.adopt();
    this.imports();
    const { after, points, module } = this;
    after.classes.forEach((info, index) => {
      const old = this.earlierClass[index];
      if (old && points.classes[index]!.hook !== undefined && old.live.hook !== undefined)
        this.privateNames(index, old.live, info.name === '' ? info.path : info.name);
    });
    // Steps of a change: there is none.
    this.head.length = 0;
    for (const index of wanted.keys()) if (points.functions[index]?.hook !== undefined) this.patched.add(index);
    this.giveSlots((info) => this.inPatched(info));
    const sites: Site[] = [];
    const parts: WatchPlan['parts'] = [];
    for (const [index, depth] of wanted) {
      const from = sites.length;
      const before = this.bodies.length;
      const slots = this.generations[index]!.map(({ slot }) => slot);
      const owner = after.functions[index]!.owner;
      if (after.functions[index]!.kind === 'constructor' && owner >= 0) slots.push(this.classes[owner]!.makerSlot);
      // Code that a change brought is stopped when it does not end; what the program began with is its own affair.
      this.watching = { depth, unit, sites, guard: slots.some((slot) => slot >= module.size || module.changed.has(slot)) };
      if (after.functions[index]!.kind === 'constructor') this.watchMaker(index);
      else if (this.patched.has(index)) this.compileFunction(index);
      if (this.bodies.length > before) parts.push({ index, depth, from, to: sites.length });
    }
    return {
      file: this.file,
      steps: this.bodies.filter((step) => step.kind === 'function'),
      sites,
      parts,
      next: { ...module, functions: this.generations, nextSlot: this.nextSlot },
    };
  }

  private watchMaker(index: number): void {
    const owner = this.after.functions[index]!.owner;
    const old = owner < 0 ? undefined : this.earlierClass[owner];
    const point = owner < 0 ? undefined : this.points.classes[owner];
    if (!old || point?.hook !== 'class' || old.live.hook !== 'class' || point.derived !== old.live.derived) return;
    const info = this.after.functions[index]!;
    if (this.makerObstacle(info, old.live) !== undefined) return;
    this.giveSlots((one) => one.start > info.start && one.end <= info.end);
    this.bodies.push(this.makerStep(info, old.live, this.slots.classes[owner]!, info.path));
  }

  // ---- what continues what -----------------------------------------------------

  /** Finds for each function and class what it continues: in the version before, or among what was removed once. */
  private adopt(): void {
    const { after, before, matches, module } = this;
    after.functions.forEach((info, index) => {
      const old = matches.functions[index]!;
      if (old >= 0) this.earlier.push({ outline: before, index: old, generations: module.functions[old]! });
      else {
        const gone = isDeclared(after, info) && !before.topLevel.has(info.name) ? this.gone.get(info.name)?.function : undefined;
        this.earlier.push(gone ? { outline: this.gone.get(info.name)!.outline, index: gone.index, generations: gone.generations } : undefined);
      }
    });
    after.classes.forEach((info, index) => {
      const old = matches.classes[index]!;
      if (old >= 0) this.earlierClass.push({ outline: before, index: old, live: module.classes[old]! });
      else {
        const entry = this.gone.get(info.name);
        this.earlierClass.push(entry?.class && info.parent < 0 ? { outline: entry.outline, index: entry.class.index, live: entry.class.live } : undefined);
      }
    });
    // Members of a class that comes back are those it had.
    after.classes.forEach((_, index) => {
      const old = this.earlierClass[index];
      if (!old || old.outline === before) return;
      after.functions.forEach((info, k) => {
        if (info.owner !== index || this.earlier[k]) return;
        const found = old.outline.functions.findIndex(
          (other) => other.owner === old.index && other.name === info.name && other.kind === info.kind && other.isStatic === info.isStatic,
        );
        if (found >= 0)
          this.earlier[k] = {
            outline: old.outline,
            index: found,
            generations: one(generationOf(old.outline, found, liveModule(old.outline).functions[found]?.[0]?.slot ?? -1)),
          };
      });
    });
    // Slots as they are; those of code that is made anew are given later.
    after.functions.forEach((_, index) => {
      const generations = [...(this.earlier[index]?.generations ?? [])];
      this.generations.push(generations);
      this.slots.functions.push(generations[generations.length - 1]?.slot ?? -1);
    });
    after.classes.forEach((_, index) => {
      const old = this.earlierClass[index];
      const slot = old ? old.live.slot : this.takeSlots(2);
      this.slots.classes.push(slot);
    });
    after.classes.forEach((_, index) => {
      const old = this.earlierClass[index];
      this.classes.push(old ? old.live : liveClassOf(after, index, this.slots.classes[index]!, this.slots.functions));
    });
  }

  private takeSlots(count: number): number {
    const slot = this.nextSlot;
    this.nextSlot += count;
    return slot;
  }

  // ---- imports and exports -------------------------------------------------------

  private imports(): void {
    const old = importedNames(this.before);
    const now = importedNames(this.after);
    const { bound } = this.module;
    for (const entry of this.after.imports) {
      if (entry.typeOnly) continue;
      const loose = entry.names.filter((name) => bound?.get(name.local) !== now.get(name.local));
      // What the module's own imports bind is found under its name.
      for (const name of entry.names) if (!loose.includes(name)) this.places.set(name.local, name.local);
      if (bound && loose.length === 0 && (entry.names.length > 0 || this.before.imports.some((one) => one.specifier === entry.specifier))) continue;
      let base = this.links.get(entry.specifier);
      if (base === undefined) {
        const key = `import ${entry.specifier}`;
        base = `${this.p}m.late[${JSON.stringify(key)}]`;
        this.links.set(entry.specifier, base);
        this.head.push({
          kind: 'link',
          file: this.file,
          name: key,
          specifier: entry.specifier,
          attributes: entry.attributes,
          names: entry.names.map((name) => name.imported),
        });
        this.note('added', `import ${entry.specifier}`, entry.start);
      }
      for (const name of bound ? loose : entry.names) this.places.set(name.local, name.imported === '*' ? base : `${base}[${JSON.stringify(name.imported)}]`);
    }
    for (const [name, what] of now) if (old.get(name) !== what) this.fresh.add(name);
  }

  private exports(): void {
    const key = (entry: { exported: string; local: string; from?: string }): string => `${entry.exported}\n${entry.local}\n${entry.from ?? ''}`;
    const old = new Set(this.before.exports.map(key));
    for (const entry of this.after.exports) {
      if (old.has(key(entry))) continue;
      if (entry.exported === '*') {
        this.note('cannot', `export * from '${entry.from!}'`, 0, 'all names of another module cannot be joined to a live one: name them, or restart');
        continue;
      }
      if (entry.local === '*default*') continue;
      const base = entry.from === undefined ? undefined : this.links.get(entry.from);
      const local =
        base !== undefined
          ? entry.local === '*'
            ? base
            : `${base}[${JSON.stringify(entry.local)}]`
          : (this.places.get(entry.local) ?? this.placeOfName(entry.local));
      this.tail.push({ kind: 'export', file: this.file, name: entry.exported, code: `(()=>${local})` });
    }
  }

  // ---- top-level declarations ------------------------------------------------------

  /** What a name is declared by, in the version that runs. */
  private declared(name: string): { outline: Outline; statement: TopLevelStatement } | undefined {
    const statement = this.before.statements.find((one) => one.kind !== 'type' && one.kind !== 'import' && one.names.includes(name));
    if (statement) return { outline: this.before, statement };
    return this.gone.get(name);
  }

  private declarations(): void {
    const { after, before, matches } = this;
    const renamedFrom = new Set(matches.renamed.values());
    for (const statement of after.statements) {
      switch (statement.kind) {
        case 'function':
        case 'class':
          this.definition(statement);
          break;
        case 'const':
        case 'let':
        case 'var':
        case 'using':
          this.variables(statement, renamedFrom);
          break;
        case 'enum':
        case 'namespace':
          this.translatedDeclaration(statement);
          break;
      }
    }
    for (const [name, kind] of before.topLevel) {
      if (after.topLevel.has(name) || renamedFrom.has(name)) continue;
      const statement = before.statements.find((one) => one.names.includes(name));
      if (!statement) continue;
      const index = before.functions.findIndex((info) => info.parent < 0 && info.owner < 0 && info.name === name);
      const classIndex = before.classes.findIndex((info) => info.parent < 0 && info.name === name);
      this.gone.set(name, {
        outline: before,
        statement,
        ...(index >= 0 ? { function: { index, generations: this.module.functions[index]! } } : {}),
        ...(classIndex >= 0 ? { class: { index: classIndex, live: this.module.classes[classIndex]! } } : {}),
      });
      // A name that an import takes over is not gone.
      if (after.imports.some((entry) => entry.names.some(({ local }) => local === name))) continue;
      this.notes.push({
        kind: 'removed',
        name,
        line: 0,
        reason: kind === 'function' ? 'it stays for whoever holds it' : 'what it holds stays for whoever holds it',
      });
    }
    this.dependents();
  }

  private definition(statement: TopLevelStatement): void {
    const { after } = this;
    const name = statement.names[0];
    const node = declarationNode(statement.node);
    if (name === undefined) return;
    const index =
      statement.kind === 'function' ? after.functions.findIndex((info) => info.node === node) : after.classes.findIndex((info) => info.node === node);
    if (index < 0) return;
    const old = statement.kind === 'function' ? this.earlier[index] : this.earlierClass[index];
    const renamed = this.matches.renamed.get(name);
    if (renamed !== undefined) {
      this.rename(name, renamed, node.start);
      return;
    }
    const previous = this.declared(name);
    if (old && previous && !this.unpatchable(statement, index)) return;
    const code = (): string =>
      statement.kind === 'function'
        ? functionExpression(after, after.functions[index]!, this.freshOptions(node), 'new')
        : valueExpression(after, node, this.freshOptions(node));
    if (previous && !this.isFresh(name)) {
      // The name was something else, or what it was cannot become this: it is bound anew.
      this.makeAnew(node);
      this.later(node.start, () => this.valueSteps.push({ kind: 'value', file: this.file, name, access: this.accessNow(name), how: 'assign', code: code() }));
      this.note('assigned', name, node.start, 'the name stands for something new; who holds the old one keeps it');
      this.changed.add(name);
      return;
    }
    const key = this.newName(name);
    this.gone.delete(name);
    this.makeAnew(node);
    const step = (): Step => ({ kind: 'declare', file: this.file, name: key, code: code() });
    if (statement.kind === 'function') this.later(-1, () => this.head.push(step()));
    else this.later(node.start, () => this.valueSteps.push(step()));
    this.note('added', name, node.start);
  }

  /** A function whose kind forbids that its identity takes the new body. */
  private unpatchable(statement: TopLevelStatement, index: number): boolean {
    if (statement.kind !== 'function') return false;
    const old = this.earlier[index]!;
    return old.generations.every((generation) => !kindFits(generation.kind, kindOf(this.after.functions[index]!)));
  }

  /** True for a name that lives beside the module's scope. */
  private isFresh(name: string): boolean {
    return this.before.imports.some((entry) => entry.names.some(({ local }) => local === name));
  }

  private rename(name: string, from: string, at: number): void {
    const key = this.late.get(from);
    this.gone.delete(name);
    this.fresh.add(name);
    if (key === undefined) {
      this.late.set(name, `=${from}`);
      this.head.push({ kind: 'alias', file: this.file, name: `=${from}`, code: this.accessNow(from) });
    } else {
      this.late.delete(from);
      // Back under the name of its own binding.
      if (key === `=${name}`) this.late.delete(name);
      else this.late.set(name, key);
    }
    this.note('renamed', `${from} to ${name}`, at);
  }

  /** Where code finds a top-level name: in the scope of the module, or among the late names. */
  private placeOfName(name: string): string {
    const key = this.late.get(name);
    return key === undefined ? name : `${this.p}m.late[${JSON.stringify(key)}]`;
  }

  /** Code that gives `{ get, set }` for a name. */
  private accessNow(name: string): string {
    const place = this.placeOfName(name);
    const value = `${this.p}v`;
    return `({get:()=>${place},set:(${value})=>{${place}=${value}}})`;
  }

  /** A place of its own for a name that comes now. */
  private newName(name: string): string {
    let key = name;
    for (let n = 2; this.keys.has(key); n++) key = `${name}:${n}`;
    this.keys.add(key);
    this.late.set(name, key);
    this.fresh.add(name);
    return key;
  }

  /** All functions in a node are made with it: they need no step of their own. */
  private makeAnew(node: Node): void {
    this.after.functions.forEach((info, index) => {
      if (info.start >= node.start && info.end <= node.end) this.made.add(index);
    });
  }

  /** Options for code whose functions are all new. */
  private freshOptions(node: Node): PartOptions {
    this.giveSlots((info) => info.start >= node.start && info.end <= node.end);
    return this.options;
  }

  // ---- variables -------------------------------------------------------------------

  private variables(statement: TopLevelStatement, renamedFrom: Set<string>): void {
    const declaration = declarationNode(statement.node);
    for (const declarator of declaration.declarations as Node[]) {
      if (declarator.id.type !== 'Identifier') {
        this.pattern(declarator);
        continue;
      }
      const name: string = declarator.id.name;
      const init = (declarator.init ?? undefined) as Node | undefined;
      const renamed = this.matches.renamed.get(name) ?? this.renamedVariable(statement, declarator, renamedFrom);
      if (renamed !== undefined) {
        renamedFrom.add(renamed);
        this.rename(name, renamed, declarator.start);
        const old = this.declared(renamed);
        const before = old ? declaratorOf(old.statement, renamed) : undefined;
        if (init && before?.init && this.shape(this.after, init) !== this.shape(old!.outline, before.init as Node))
          this.value(name, init, before.init as Node, old!.outline);
        continue;
      }
      const previous = this.declared(name);
      if (!previous || this.isFresh(name)) {
        this.addValue(name, init, declarator);
        continue;
      }
      const before = declaratorOf(previous.statement, name);
      const oldInit = (before?.init ?? undefined) as Node | undefined;
      const was = previous.statement.kind;
      this.gone.delete(name);
      if (was === 'function' || was === 'class' || (before === undefined && was !== 'enum')) {
        const index = init ? this.functionAt(init) : -1;
        if (
          index >= 0 &&
          this.earlier[index] &&
          this.earlier[index].generations.some((generation) => kindFits(generation.kind, kindOf(this.after.functions[index]!)))
        )
          continue;
        if (init) this.assign(name, init, 'the name stands for something new; who holds the old one keeps it');
        continue;
      }
      // What comes back may have been computed from what changed meanwhile.
      if (previous.outline !== this.before && init && this.functionAt(init) < 0) this.value(name, init, undefined, previous.outline);
      else this.compareValue(name, init, oldInit, previous.outline);
    }
  }

  private compareValue(name: string, init: Node | undefined, old: Node | undefined, outline: Outline): void {
    if (!init && !old) return;
    const index = init ? this.functionAt(init) : -1;
    if (index >= 0 && this.earlier[index] && this.points.functions[index]!.hook !== undefined) {
      if (this.earlier[index].generations.every((generation) => !kindFits(generation.kind, kindOf(this.after.functions[index]!))))
        this.assign(name, init!, 'the name stands for something new; who holds the old one keeps it');
      return;
    }
    if (init && old && this.shape(this.after, init) === this.shape(outline, old)) return;
    this.value(name, init, old, outline);
  }

  /** The first value of a name changed. */
  private value(name: string, init: Node | undefined, old: Node | undefined, outline: Outline): void {
    const state = this.states.get(name);
    const at = init?.start ?? 0;
    if (init && old && this.properties(name, bare(init), bare(old), outline)) return;
    const built = state !== undefined && (state.assigned || state.members.size > 0);
    if (built) {
      this.note('kept', name, at, `it holds state: the live value stays${init ? '; reset it to take the new one' : ''}`);
      if (init)
        this.later(at, () =>
          this.resets.set(name, { kind: 'value', file: this.file, name, access: this.accessNow(name), how: 'assign', code: this.compiled(init, name) }),
        );
      return;
    }
    if (init && old && bare(init).type === 'ArrayExpression' && bare(old).type === 'ArrayExpression') {
      this.makeAnew(init);
      this.changed.add(name);
      this.note('assigned', name, at);
      this.later(init.start, () =>
        this.valueSteps.push({ kind: 'value', file: this.file, name, access: this.accessNow(name), how: 'items', code: this.compiled(init, name) }),
      );
      return;
    }
    this.assign(name, init, undefined);
  }

  private assign(name: string, init: Node | undefined, reason: string | undefined): void {
    if (init) this.makeAnew(init);
    this.changed.add(name);
    this.note('assigned', name, init?.start ?? 0, reason);
    this.later(init?.start ?? 0, () =>
      this.valueSteps.push({
        kind: 'value',
        file: this.file,
        name,
        access: this.accessNow(name),
        how: 'assign',
        code: init ? this.compiled(init, name) : '(undefined)',
      }),
    );
  }

  private compiled(node: Node, name: string): string {
    return valueExpression(this.after, node, this.freshOptions(node), name);
  }

  private later(at: number, make: () => void): void {
    this.values.push({ at, make });
  }

  /** Two object literals: what differs is set in the object that lives. Returns false where that cannot be told property by property. */
  private properties(name: string, init: Node, old: Node, outline: Outline): boolean {
    if (init.type !== 'ObjectExpression' || old.type !== 'ObjectExpression') return false;
    const at: ValueAt[] = [];
    const jobs: (() => void)[] = [];
    const kept: string[] = [];
    const members = this.states.get(name)?.members ?? new Set<string>();
    if (this.states.get(name)?.assigned) return false;
    const compare = (now: Node, before: Node, path: string[]): boolean => {
      const read = (literal: Node): Map<string, Node> | undefined => {
        const found = new Map<string, Node>();
        for (const property of literal.properties as Node[]) {
          if (property.type === 'SpreadElement' || property.computed) return undefined;
          const kind = property.type === 'ObjectMethod' && property.kind !== 'method' ? `${property.kind as string} ` : '';
          found.set(kind + memberName(property), property);
        }
        return found;
      };
      const next = read(now);
      const last = read(before);
      if (!next || !last) return false;
      const set: Node[] = [];
      for (const [key, property] of next) {
        const previous = last.get(key);
        last.delete(key);
        if (previous && this.shape(this.after, property) === this.shape(outline, previous)) continue;
        const inner = property.type === 'ObjectProperty' ? bare(property.value as Node) : undefined;
        const innerOld = previous?.type === 'ObjectProperty' ? bare(previous.value as Node) : undefined;
        if (inner?.type === 'ObjectExpression' && innerOld?.type === 'ObjectExpression') {
          if (!compare(inner, innerOld, [...path, key])) return false;
          continue;
        }
        const first = path[0] ?? key;
        if (previous && (members.has(first) || members.has('*'))) kept.push([...path, key].join('.'));
        else set.push(property);
      }
      const remove = [...last.keys()].map((key) => key.replace(/^[gs]et /, ''));
      if (set.length > 0 || remove.length > 0) {
        const entry: ValueAt = { path, ...(remove.length > 0 ? { remove } : {}) };
        at.push(entry);
        for (const property of set) this.makeAnew(property);
        if (set.length > 0)
          jobs.push(() => {
            this.giveSlots((info) => set.some((property) => info.start >= property.start && info.end <= property.end));
            entry.code = propertiesExpression(this.after, set, this.options);
          });
      }
      return true;
    };
    if (!compare(init, old, [])) return false;
    if (at.length > 0) {
      this.changed.add(name);
      const touched = at.flatMap((entry) => [...(entry.path.length > 0 ? [entry.path.join('.')] : [])]);
      this.note('assigned', touched.length > 0 ? touched.map((path) => `${name}.${path}`).join(', ') : name, init.start);
      this.later(init.start, () => {
        for (const job of jobs) job();
        this.valueSteps.push({ kind: 'value', file: this.file, name, access: this.accessNow(name), how: 'properties', code: '(undefined)', at });
      });
    }
    for (const path of kept) this.note('kept', `${name}.${path}`, init.start, 'it holds state: the live value stays; reset it to take the new one');
    if (kept.length > 0)
      this.later(init.start, () =>
        this.resets.set(name, {
          kind: 'value',
          file: this.file,
          name,
          access: this.accessNow(name),
          how: 'assign',
          code: valueExpression(this.after, init, this.options, name),
        }),
      );
    return true;
  }

  private addValue(name: string, init: Node | undefined, declarator: Node): void {
    const key = this.newName(name);
    this.makeAnew(declarator);
    this.note('added', name, declarator.start);
    const index = init ? this.functionAt(init) : -1;
    const step = (): Step => ({ kind: 'declare', file: this.file, name: key, code: init ? this.compiled(init, name) : '(undefined)' });
    if (index >= 0) this.later(-1, () => this.head.push(step()));
    else this.later(declarator.start, () => this.valueSteps.push(step()));
  }

  /** A destructuring declaration: evaluated anew, and each of its names assigned. */
  private pattern(declarator: Node): void {
    const names = boundNames(declarator.id as Node).map((id) => id.name as string);
    const previous = names.map((name) => this.declared(name)).find((found) => found !== undefined);
    if (previous) {
      const old = (declarationNode(previous.statement.node).declarations as Node[] | undefined)?.find((one) =>
        boundNames(one.id as Node).some((id) => names.includes(id.name as string)),
      );
      if (old && this.shape(previous.outline, old) === this.shape(this.after, declarator)) return;
    }
    const built = names.filter((name) => this.states.get(name)?.assigned);
    if (previous && built.length > 0) {
      this.note('kept', built.join(', '), declarator.start, 'it holds state: the live value stays');
      return;
    }
    this.makeAnew(declarator);
    const key = `values of ${names.join(', ')}`;
    for (const name of names) {
      if (this.declared(name) && !this.isFresh(name)) {
        this.changed.add(name);
        this.note('assigned', name, declarator.start);
      } else {
        this.newName(name);
        this.note('added', name, declarator.start);
      }
    }
    this.later(declarator.start, () => {
      this.giveSlots((info) => info.start >= declarator.start && info.end <= declarator.end);
      const options = { ...this.options, late: new Map([...this.late].filter(([name]) => !names.includes(name))) };
      this.valueSteps.push({ kind: 'declare', file: this.file, name: key, code: declarationExpression(this.after, declarator, names, options) });
      for (const name of names) {
        const place = `${this.p}m.late[${JSON.stringify(key)}][${JSON.stringify(name)}]`;
        const late = this.late.get(name);
        if (late !== undefined) this.valueSteps.push({ kind: 'declare', file: this.file, name: late, code: `(${place})` });
        else this.valueSteps.push({ kind: 'value', file: this.file, name, access: this.accessNow(name), how: 'assign', code: `(${place})` });
      }
    });
  }

  /** A variable that goes on under another name: one is gone, one is new, and they begin alike. */
  private renamedVariable(statement: TopLevelStatement, declarator: Node, taken: ReadonlySet<string>): string | undefined {
    const name = declarator.id.name as string;
    if (this.before.topLevel.has(name) || this.gone.has(name) || this.isFresh(name)) return undefined;
    const init = (declarator.init ?? undefined) as Node | undefined;
    const lost = this.before.statements.flatMap((old) =>
      old.kind === statement.kind
        ? old.names
            .filter(
              (one) => !this.after.topLevel.has(one) && !taken.has(one) && !this.after.imports.some((entry) => entry.names.some(({ local }) => local === one)),
            )
            .map((one) => ({ one, old }))
        : [],
    );
    const found = lost.filter(({ one, old }) => {
      const before = declaratorOf(old, one);
      if (!before) return false;
      if (!init || !before.init) return !init && !before.init;
      const whole = (): undefined => undefined;
      return shapeOf(before.init as Node, whole) === shapeOf(init, whole);
    });
    if (found.length !== 1) return undefined;
    const arrivals = this.after.statements.flatMap((now) => (now.kind === statement.kind ? now.names.filter((one) => !this.before.topLevel.has(one)) : []));
    // With several new names, only one that stands at the same place among the declarations is taken for it.
    if (arrivals.length > 1 && this.placeOf(this.before, found[0]!.one) !== this.placeOf(this.after, name)) return undefined;
    return found[0]!.one;
  }

  private placeOf(outline: Outline, name: string): number {
    return [...outline.topLevel.keys()].indexOf(name);
  }

  /** Enums are made anew in place; namespaces are not. */
  private translatedDeclaration(statement: TopLevelStatement): void {
    const name = statement.names[0]!;
    const node = declarationNode(statement.node);
    const previous = this.declared(name);
    const plain = (outline: Outline, one: Node): string =>
      shapeOf(one, (inner) => (statement.kind === 'namespace' && isFunction(inner) ? this.text(outline, inner) : undefined));
    if (previous && plain(previous.outline, declarationNode(previous.statement.node)) === plain(this.after, node)) return;
    if (previous && statement.kind === 'namespace') {
      this.note('cannot', name, node.start, 'a namespace that is made cannot be changed in place: write its content at the top level, or restart');
      return;
    }
    this.makeAnew(node);
    const code = (): string =>
      declarationExpression(this.after, node, [name], { ...this.freshOptions(node), late: new Map([...this.late].filter(([one]) => one !== name)) }, name);
    if (!previous) {
      const key = this.newName(name);
      this.note('added', name, node.start);
      this.later(node.start, () => this.valueSteps.push({ kind: 'declare', file: this.file, name: key, code: code() }));
      return;
    }
    this.changed.add(name);
    // The translator writes the numbers of an enum where its members are used: those uses are compiled anew.
    this.fresh.add(name);
    this.note('assigned', name, node.start);
    this.later(node.start, () =>
      this.valueSteps.push({
        kind: 'value',
        file: this.file,
        name,
        access: this.accessNow(name),
        how: 'properties',
        code: '(undefined)',
        at: [{ path: [], code: code(), remove: ['*'] }],
      }),
    );
  }

  /** Constants that were computed from what changed follow it. */
  private dependents(): void {
    for (let grown = true; grown;) {
      grown = false;
      for (const statement of this.after.statements) {
        if (statement.kind !== 'const' && statement.kind !== 'let' && statement.kind !== 'var') continue;
        for (const declarator of declarationNode(statement.node).declarations as Node[]) {
          const init = declarator.init as Node | null;
          if (declarator.id.type !== 'Identifier' || !init || isFunction(bare(init))) continue;
          const name = declarator.id.name as string;
          if (this.changed.has(name) || this.fresh.has(name) || !this.declared(name)) continue;
          const cause = this.directUses(init).find((one) => this.changed.has(one));
          if (cause === undefined) continue;
          const state = this.states.get(name);
          if (isPure(init) && !(state && (state.assigned || state.members.size > 0))) {
            this.assign(name, init, undefined);
            grown = true;
          } else if (!this.notes.some((note) => note.name === name)) {
            this.note('kept', name, declarator.start as number, `it was computed from ${cause} as that was before; reset it to compute it anew`);
            this.later(declarator.start as number, () =>
              this.resets.set(name, { kind: 'value', file: this.file, name, access: this.accessNow(name), how: 'assign', code: this.compiled(init, name) }),
            );
          }
        }
      }
    }
  }

  /** Top-level names that an expression uses by itself, outside of functions in it. */
  private directUses(node: Node): string[] {
    const inner = this.after.functions.filter((info) => info.start >= node.start && info.end <= node.end);
    return usesWithin(this.points.scopes, node.start, node.end)
      .filter((use) => !inner.some((info) => use.start >= info.start && use.end <= info.end) && bindingScope(use.scope, use.name)?.kind === 'module')
      .map((use) => use.name);
  }

  private functionAt(node: Node): number {
    const inner = bare(node);
    return this.after.functions.findIndex((info) => info.node === inner);
  }

  // ---- shapes ------------------------------------------------------------------------

  private readonly masks = new Map<Outline, (node: Node) => string | undefined>();

  /** What is compared on its own: functions with a patch point, and classes of the module. */
  private maskOf(outline: Outline): (node: Node) => string | undefined {
    let mask = this.masks.get(outline);
    if (!mask) {
      const points = pointsOf(outline);
      const known = new Map<Node, string>();
      outline.functions.forEach((info, index) => {
        if (points.functions[index]!.hook !== undefined && info.kind !== 'constructor') {
          // A member's name is part of what holds it.
          const { key } = info.node as { key?: Node };
          known.set(info.node, ownKey(outline, index) + (key ? this.text(outline, key) : ''));
        }
      });
      outline.classes.forEach((info, index) => {
        if (points.classes[index]!.hook === 'class') known.set(info.node, 'class');
      });
      mask = (node) => known.get(node);
      this.masks.set(outline, mask);
    }
    return mask;
  }

  private shape(outline: Outline, node: Node): string {
    return shapeOf(node, this.maskOf(outline));
  }

  /** The shape of a function without the functions in it that are compared on their own. */
  private ownShape(outline: Outline, node: Node): string {
    const mask = this.maskOf(outline);
    return shapeOf(node, (inner) =>
      inner === node || (inner.type === 'Identifier' && inner === node.id && node.type === 'FunctionDeclaration')
        ? inner === node
          ? undefined
          : 'id'
        : mask(inner),
    );
  }

  private text(outline: Outline, node: { start: number; end: number }): string {
    return outline.parsed.text.slice(node.start, node.end);
  }

  // ---- functions ----------------------------------------------------------------------

  /** Decides which functions get a later version, from the innermost outwards: what cannot be given to an inner one takes the one around it. */
  private functions(): void {
    const { after, points } = this;
    for (let index = after.functions.length - 1; index >= 0; index--) {
      const info = after.functions[index]!;
      const point = points.functions[index]!;
      const old = this.earlier[index];
      if (point.hook === undefined || info.kind === 'constructor' || !old) continue;
      const changed = this.forced.has(index) || this.relinked(index) || this.differs(index, old);
      if (!changed) continue;
      let done = 0;
      const reasons: string[] = [];
      for (const generation of old.generations) {
        const reason = this.obstacle(info, generation);
        if (reason === undefined) done++;
        else reasons.push(reason);
      }
      if (done === old.generations.length && done > 0) {
        this.patched.add(index);
        continue;
      }
      if (done > 0) this.patched.add(index);
      if (point.unit >= 0) {
        this.forced.add(point.unit);
        this.note(
          'kept',
          this.nameOf(info),
          info.start,
          `made before, ${done > 0 ? 'some finish' : 'they finish'} with the body they have: ${reasons[0] ?? 'they are out of reach'}. What ${this.nameOf(after.functions[point.unit]!)} makes from now on has the new one`,
        );
      } else if (info.owner >= 0 && points.classes[info.owner]!.hook !== undefined && old.generations.length > 0 && !info.name.startsWith('#')) {
        // A method of another kind takes the place of the old one on its class.
        this.patched.delete(index);
        this.replaced.add(index);
      } else if (!this.handledElsewhere(index))
        this.note('cannot', this.nameOf(info), info.start, `${reasons[0] ?? 'it is out of reach'}: restart, or reload the module`);
    }
    for (const index of [...this.patched].sort((a, b) => a - b)) {
      const info = after.functions[index]!;
      if (this.made.has(index)) continue;
      if (this.relinked(index) && !this.forced.has(index) && !this.differs(index, this.earlier[index]!)) continue;
      if (this.forced.has(index) && !this.differs(index, this.earlier[index]!)) continue;
      this.note('patched', this.nameOf(info), info.start);
    }
    // Functions in a later version are made by it: with the scope that version has.
    this.giveSlots((info) => this.inPatched(info));
  }

  private readonly replaced = new Set<number>();

  /** A top-level function of another kind is bound anew, which says so itself. */
  private handledElsewhere(index: number): boolean {
    const info = this.after.functions[index]!;
    return this.notes.some((note) => note.kind === 'assigned' && note.name === info.name);
  }

  /** Where functions stood when their code was compiled: now, for those that come with this plan. */
  private compiledLines(): number[] {
    return linesOf(this.after).map((line, index) => {
      const old = this.earlier[index];
      const now = this.patched.has(index) || this.replaced.has(index) || this.made.has(index) || this.inPatched(this.after.functions[index]!);
      return now || old?.outline !== this.before ? line : this.module.lines[old.index]!;
    });
  }

  private inPatched(info: FunctionInfo): boolean {
    for (let at = info.parent; at >= 0; at = this.after.functions[at]!.parent) if (this.patched.has(at) || this.replaced.has(at)) return true;
    return false;
  }

  private differs(index: number, old: Earlier): boolean {
    const now = this.after.functions[index]!;
    const before = old.outline.functions[old.index]!;
    if (this.text(this.after, now.node) === this.text(old.outline, before.node) && this.after.parsed.language === old.outline.parsed.language)
      return ownKey(this.after, index) !== ownKey(old.outline, old.index);
    return this.ownShape(this.after, now.node) !== this.ownShape(old.outline, before.node) || ownKey(this.after, index) !== ownKey(old.outline, old.index);
  }

  /** Uses a name that means something else now. */
  private relinked(index: number): boolean {
    if (this.fresh.size === 0) return false;
    const info = this.after.functions[index]!;
    return usesWithin(this.points.scopes, info.start, info.end).some((use) => {
      if (!this.fresh.has(use.name)) return false;
      const scope = bindingScope(use.scope, use.name);
      if (scope !== undefined && scope.kind !== 'module') return false;
      // In a function of its own inside, that one is compiled anew.
      return !this.after.functions.some(
        (other, k) =>
          other.start > info.start && other.end <= info.end && use.start >= other.start && use.end <= other.end && this.points.functions[k]!.hook !== undefined,
      );
    });
  }

  /** Why functions of a generation cannot get the new body; undefined when they can. */
  private obstacle(info: FunctionInfo, generation: Generation): string | undefined {
    const { after, points } = this;
    const index = after.functions.indexOf(info);
    if (!kindFits(generation.kind, kindOf(info))) return `${kindWord(generation.kind)} cannot become ${kindWord(kindOf(info))} in place`;
    const text = this.text(after, info.node);
    if (generation.form === 'bound') {
      const made = generationOf(after, index, 0);
      if (made?.form !== 'bound' || made.bound !== generation.bound)
        return 'its parameters cannot be changed in place, for their patterns hold functions or comments';
    }
    if (generation.arrow && info.kind !== 'arrow' && /\bthis\b/.test(text)) return 'an arrow function has no `this` of its own, and the new body uses one';
    if (info.kind !== 'arrow' && info.owner < 0 && (info.kind === 'method' || info.kind === 'getter' || info.kind === 'setter') && /\bsuper\b/.test(text))
      return '`super` in a method of an object is bound where the object is made';
    const point = points.functions[index]!;
    if (generation.hook === 'module' && point.hook === 'scope' && info.kind === 'arrow' && /\b(this|super|arguments)\b/.test(text))
      return 'it uses `this` or `arguments` of the function around it, which it had not kept';
    for (const use of usesWithin(points.scopes, info.start, info.end)) {
      if (use.name === 'arguments') continue;
      const scope = bindingScope(use.scope, use.name);
      if (scope !== undefined && scope.node.start >= info.start && scope.node.end <= info.end && scope.kind !== 'module') continue;
      const local = scope !== undefined && scope.kind !== 'module';
      if (local) {
        if (generation.layout.has(use.name)) continue;
        if (scope.kind === 'class' && (generation.hook === 'class' || generation.hook === 'inner' || generation.hook === 'field')) continue;
        return `it needs ${use.name}, which is not in the scope it was made in`;
      }
      if (generation.layout.has(use.name)) return `${use.name} means another thing in the scope it was made in`;
    }
    if (generation.hook === 'inner' || generation.hook === 'scope') {
      const names = [...text.matchAll(/(?<=\.|\?\.)#[\p{ID_Continue}$]+/gu)].map(([name]) => name);
      const owner = info.owner >= 0 ? info.owner : -1;
      if (owner >= 0 && generation.hook === 'inner') for (const name of names) if (!generation.layout.has(name)) return `its class was made without ${name}`;
    }
    return undefined;
  }

  private nameOf(info: FunctionInfo): string {
    const path = info.path.replace(/#\d+$/, '').replace(/\//g, '.');
    return path.endsWith('()') ? `${path} (line ${lineOf(this.after, info.start) + 1})` : path;
  }

  /** Gives slots to functions that new code makes: those of an older generation with the same scope, or new ones. */
  private giveSlots(among: (info: FunctionInfo) => boolean): void {
    this.after.functions.forEach((info, index) => {
      if (!among(info) || this.given.has(index)) return;
      this.given.add(index);
      const made = generationOf(this.after, index, -1);
      if (info.kind === 'constructor') {
        if (this.slots.functions[index]! < 0) this.slots.functions[index] = this.takeSlots(1);
        return;
      }
      if (!made) return;
      const key = keyOf(made);
      const generations = this.generations[index]!;
      const found = generations.find((one) => keyOf(one) === key);
      if (found) this.slots.functions[index] = found.slot;
      else {
        made.slot = this.takeSlots(1);
        this.slots.functions[index] = made.slot;
        generations.push(made);
        if (generations.length > MOST_GENERATIONS) generations.shift();
      }
    });
  }

  private readonly given = new Set<number>();

  private compileFunctions(): void {
    for (const index of this.patched) this.compileFunction(index);
  }

  private compileFunction(index: number): void {
    const info = this.after.functions[index]!;
    const old = this.earlier[index]!;
    const codes = new Map<string, string>();
    for (const generation of old.generations) {
      if (this.obstacle(info, generation) !== undefined) continue;
      const form = `${generation.form}`;
      let code = codes.get(form);
      if (code === undefined) {
        if (info.owner >= 0) code = memberExpression(this.after, info, this.options);
        else if (info.kind === 'method' || info.kind === 'getter' || info.kind === 'setter') code = objectMemberExpression(this.after, info, this.options);
        else code = functionExpression(this.after, info, this.options, generation.form === 'bound' ? 'bound' : 'later');
        codes.set(form, code);
      }
      const viaClass = generation.hook === 'class';
      const classIndex = !viaClass ? -1 : info.owner >= 0 ? info.owner : classAround(this.after, info.node);
      this.bodies.push({
        kind: 'function',
        file: this.file,
        name: this.nameOf(info),
        slot: generation.slot,
        code,
        each: generation.hook === 'scope' || generation.hook === 'inner' || generation.hook === 'field' || generation.self,
        self: info.owner < 0 && info.node.type === 'FunctionExpression' && Boolean(info.node.id),
        ...(classIndex >= 0 ? { owner: this.slots.classes[classIndex]! } : {}),
        ...(info.owner >= 0 ? { home: info.isStatic ? ('static' as const) : ('instance' as const) } : {}),
      });
    }
  }

  // ---- classes --------------------------------------------------------------------------

  private classMembers(): void {
    this.after.classes.forEach((info, index) => {
      const old = this.earlierClass[index];
      if (!old || this.points.classes[index]!.hook === undefined || old.live.hook === undefined) return;
      if (this.after.functions.some((one, k) => this.made.has(k) && one.owner === index)) return;
      if (this.points.classes[index]!.hook !== 'class') return;
      this.oneClass(index, old, info.name === '' ? info.path : info.name);
    });
  }

  private oneClass(index: number, old: { outline: Outline; index: number; live: LiveClass }, name: string): void {
    const { after } = this;
    const node = after.classes[index]!.node;
    const before = old.outline.classes[old.index]!.node;
    const owner = this.slots.classes[index]!;
    const decorators = (one: Node, outline: Outline): string =>
      [...((one.decorators ?? []) as Node[]), ...(one.body.body as Node[]).flatMap((member) => (member.decorators ?? []) as Node[])]
        .map((decorator) => this.text(outline, decorator))
        .join(' ');
    if (decorators(node, after) !== decorators(before, old.outline))
      this.note('cannot', name, node.start, 'decorators are applied when a class is made: reload the module, or restart');
    this.privateNames(index, old.live, name);
    this.parent(node, before, old, owner, name);
    this.maker(index, old, owner, name);
    const members = after.functions.flatMap((info, k) => (info.owner === index ? [{ info, k }] : []));
    const matched = new Set<number>();
    for (const { info, k } of members) {
      const earlier = this.earlier[k];
      if (earlier?.outline === old.outline) matched.add(earlier.index);
      if (info.kind === 'constructor') continue;
      if (earlier && !this.replaced.has(k)) continue;
      this.giveSlots((one) => one.start >= info.start && one.end <= info.end);
      const symbol = info.name.startsWith('#') ? this.lateMembers.find((late) => late.name === info.name && late.start === node.start)?.symbol : undefined;
      if (info.name.startsWith('#') && symbol === undefined) {
        this.note('cannot', `${name}.${info.name}`, info.start, 'a private member cannot change its kind in place: reload the module, or restart');
        continue;
      }
      this.later(info.start, () =>
        this.bodies.push({
          kind: 'member',
          file: this.file,
          name: `${name}.${memberLabel(info)}`,
          owner,
          isStatic: info.isStatic,
          code: homeExpression(after, info, this.options),
          ...(symbol === undefined ? {} : { symbol }),
        }),
      );
      this.note(
        earlier ? 'assigned' : 'added',
        `${name}.${memberLabel(info)}`,
        info.start,
        earlier ? 'it is another kind of function now; who holds the old one keeps it' : undefined,
      );
    }
    old.outline.functions.forEach((info, k) => {
      if (info.owner === old.index && !matched.has(k) && info.kind !== 'constructor')
        this.notes.push({
          kind: 'removed',
          name: `${name}.${memberLabel(info)}`,
          line: lineOf(after, node.start),
          reason: 'it stays on the class until a reload',
        });
    });
    this.fields(index, old, owner, name, false);
    this.fields(index, old, owner, name, true);
    const blocks = (one: Node, outline: Outline): string[] =>
      (one.body.body as Node[]).filter((member) => member.type === 'StaticBlock').map((member) => this.shape(outline, member));
    const known = new Set(blocks(before, old.outline));
    for (const member of node.body.body as Node[])
      if (member.type === 'StaticBlock' && !known.has(this.shape(after, member)))
        this.note(
          'waits',
          `line ${lineOf(after, member.start) + 1}: static block of ${name}`,
          member.start,
          'it runs when the class is made: reload the module to run it',
        );
  }

  /** Private names the live class has not get symbols. */
  private privateNames(index: number, live: LiveClass, name: string): void {
    const node = this.after.classes[index]!.node;
    for (const member of node.body.body as Node[]) {
      if (member.key?.type !== 'PrivateName') continue;
      const key = memberName(member);
      if (live.privates.has(key)) continue;
      const symbol = `${name}${key}`;
      if (!this.lateMembers.some((late) => late.symbol === symbol)) this.lateMembers.push({ name: key, symbol, start: node.start, end: node.end });
      if (!this.late.has(symbol)) {
        this.late.set(symbol, symbol);
        this.head.push({ kind: 'symbol', file: this.file, name: symbol });
      }
    }
  }

  private parent(node: Node, before: Node, old: { outline: Outline; live: LiveClass }, owner: number, name: string): void {
    const now = node.superClass as Node | null;
    const was = before.superClass as Node | null;
    if (!now && !was) return;
    const same = now && was && this.shape(this.after, now) === this.shape(old.outline, was);
    if (same && !this.directUses(now).some((one) => this.fresh.has(one) || this.changed.has(one))) return;
    if (!now || !was) {
      this.note(
        'cannot',
        name,
        node.start,
        `a class that is made ${now ? 'cannot be given a parent' : 'keeps that it has a parent'}: reload the module, or restart`,
      );
      return;
    }
    this.later(now.start, () => this.valueSteps.push({ kind: 'parent', file: this.file, name, owner, code: valueExpression(this.after, now, this.options) }));
    this.note('assigned', `parent of ${name}`, now.start);
  }

  private maker(index: number, old: { outline: Outline; index: number; live: LiveClass }, owner: number, name: string): void {
    const { after } = this;
    const point = this.points.classes[index]!;
    const was = pointsOf(old.outline).classes[old.index]!.maker;
    const now = point.maker;
    const { live } = old;
    if (now >= 0) this.slots.functions[now] = live.makerSlot;
    if (now < 0 && was < 0) return;
    const info = now >= 0 ? after.functions[now]! : undefined;
    const changed =
      now < 0 ||
      was < 0 ||
      this.ownShape(after, info!.node) !== this.ownShape(old.outline, old.outline.functions[was]!.node) ||
      this.relinked(now) ||
      this.forced.has(now);
    if (!changed) return;
    if (point.derived !== live.derived) return;
    const shown = `${name}.constructor`;
    const at = info?.start ?? after.classes[index]!.start;
    const obstacle = info && this.makerObstacle(info, live);
    if (obstacle !== undefined) {
      this.note('cannot', shown, at, obstacle);
      return;
    }
    this.giveSlots((one) => info !== undefined && one.start > info.start && one.end <= info.end);
    if (info) this.note('patched', shown, at, 'for objects made from now on');
    else this.notes.push({ kind: 'removed', name: shown, line: lineOf(after, at), reason: 'objects made from now on are made without it' });
    this.later(at, () => this.bodies.push(this.makerStep(info, live, owner, shown)));
  }

  /** Why a constructor cannot take the place of the one that lives. */
  private makerObstacle(info: FunctionInfo, live: LiveClass): string | undefined {
    if (live.derived) {
      const foreign = usesWithin(this.points.scopes, info.start, info.end).find((use) => {
        const scope = bindingScope(use.scope, use.name);
        return live.makerNames.has(use.name) && use.name !== 'arguments' && !(scope && scope.node === info.node);
      });
      if (foreign) return `${foreign.name} means a local of the constructor that lives: give it another name, reload the module, or restart`;
    } else if (/\bnew\.target\b/.test(this.text(this.after, info.node)))
      return 'a constructor that uses new.target cannot be changed in place: reload the module, or restart';
    return undefined;
  }

  private makerStep(info: FunctionInfo | undefined, live: LiveClass, owner: number, name: string): Step {
    const { p, after } = this;
    let code: string;
    if (live.derived) {
      const slot = slotText(p, owner, this.module.size);
      const fields = `${slot}!==undefined&&${slot}.call(this)`;
      code = info ? makerExpression(after, info, this.options) : `((...${p}r)=>{super(...${p}r),${fields}})`;
    } else code = info ? memberExpression(after, info, this.options) : '({home:{},pick:()=>function(){}})';
    return {
      kind: 'function',
      file: this.file,
      name,
      slot: live.makerSlot,
      code,
      each: false,
      self: false,
      owner,
      ...(live.derived ? { maker: true } : { home: 'instance' as const }),
    };
  }

  private fields(index: number, old: { outline: Outline; index: number; live: LiveClass }, owner: number, name: string, isStatic: boolean): void {
    const read = (outline: Outline, node: Node): Map<string, { node: Node; shape: string; odd: boolean }> => {
      const found = new Map<string, { node: Node; shape: string; odd: boolean }>();
      for (const member of node.body.body as Node[]) {
        if (!/^Class(Private|Accessor)?Property$/.test(member.type) || (member.static === true) !== isStatic || member.declare || member.abstract) continue;
        const odd = member.computed === true || member.type === 'ClassAccessorProperty' || (member.decorators?.length ?? 0) > 0;
        found.set(odd ? this.text(outline, member.key as Node) : memberName(member), {
          node: member,
          shape: member.value ? this.shape(outline, member.value as Node) : '',
          odd,
        });
      }
      return found;
    };
    const before = read(old.outline, old.outline.classes[old.index]!.node);
    const classNode = this.after.classes[index]!.node;
    const now = read(this.after, classNode);
    const fresh: string[] = [];
    const changed: string[] = [];
    const removed = [...before.keys()].filter((key) => !now.has(key));
    for (const [key, field] of now) {
      const previous = before.get(key);
      const follows = field.node.value && previous && this.directUses(field.node.value as Node).some((one) => this.changed.has(one) && !previous.odd);
      if (previous && previous.shape === field.shape && previous.odd === field.odd && !(follows && isStatic && isPure(field.node.value as Node))) continue;
      if (field.odd || previous?.odd) {
        this.note(
          'cannot',
          `${name}.${key}`,
          field.node.start,
          'a field with a computed name, a decorator or `accessor` is settled when its class is made: reload the module, or restart',
        );
        continue;
      }
      (previous ? changed : fresh).push(key);
    }
    if (fresh.length + changed.length + removed.length === 0) return;
    const shown = (key: string): string => `${name}.${key}`;
    const symbolOf = (key: string): string | undefined => this.lateMembers.find((late) => late.name === key && late.start === classNode.start)?.symbol;
    const step = (keys: string[], gone: string[]): void => {
      const fields: FieldStep[] = [];
      const parts: { key: string; node: Node; name: string }[] = [];
      for (const key of gone) if (!key.startsWith('#')) fields.push({ key, removed: true });
      for (const key of keys) {
        const field = now.get(key)!;
        if (field.odd) continue;
        const symbol = symbolOf(key);
        const entry: FieldStep = { key };
        if (symbol !== undefined) entry.symbol = symbol;
        else if (key.startsWith('#')) entry.sets = true;
        if (fresh.includes(key)) entry.fresh = true;
        fields.push(entry);
        parts.push({ key, node: field.node, name: key });
        this.makeAnew(field.node);
      }
      // Arrow functions in fields that the class had go on under their slots; their hooks differ.
      this.giveSlots((info) => parts.some(({ node }) => info.start >= node.start && info.end <= node.end) && info.kind !== 'constructor');
      this.later(classNode.start, () =>
        this.valueSteps.push({
          kind: 'fields',
          file: this.file,
          name,
          owner,
          isStatic,
          code: fieldsExpression(this.after, parts, classNode, this.options),
          fields,
          roots: [rootsOf(this.module)],
        }),
      );
    };
    if (isStatic) {
      const state = this.states.get(name)?.members ?? new Set<string>();
      const own = this.states.get('this')?.members ?? new Set<string>();
      const take = changed.filter((key) => !state.has(key) && !state.has('*') && !own.has(key) && !this.writtenInClass(classNode, key));
      for (const key of changed) if (!take.includes(key)) this.note('kept', shown(key), now.get(key)!.node.start, 'it holds state: the live value stays');
      for (const key of take) this.note('assigned', shown(key), now.get(key)!.node.start);
      for (const key of fresh) this.note('added', shown(key), now.get(key)!.node.start);
      for (const key of removed)
        this.notes.push({ kind: 'removed', name: shown(key), line: lineOf(this.after, classNode.start), reason: 'it stays on the class until a reload' });
      if (take.length + fresh.length > 0)
        step(
          [...now.keys()].filter((key) => take.includes(key) || fresh.includes(key)),
          [],
        );
      return;
    }
    for (const key of fresh) this.note('added', shown(key), now.get(key)!.node.start, 'objects that live get it from its initialiser');
    for (const key of changed) this.note('assigned', shown(key), now.get(key)!.node.start, 'for objects made from now on; those that live keep theirs');
    for (const key of removed)
      this.notes.push({ kind: 'removed', name: shown(key), line: lineOf(this.after, classNode.start), reason: 'objects that live keep it' });
    step([...now.keys()], removed);
  }

  /** Written as `this.key` somewhere in the class. */
  private writtenInClass(node: Node, key: string): boolean {
    const escaped = key.replace(/[$]/g, '\\$');
    return new RegExp(`this\\.${escaped}\\s*(?:=(?!=)|\\+\\+|--|[-+*/%&|^]=)|(?:\\+\\+|--)\\s*this\\.${escaped}`).test(this.text(this.after, node));
  }

  // ---- statements -------------------------------------------------------------------------

  private statements(): void {
    const loose = (outline: Outline): TopLevelStatement[] =>
      outline.statements.filter(
        (statement) =>
          (statement.kind === 'statement' && statement.node.type !== 'EmptyStatement') ||
          (statement.kind === 'export' && statement.node.type === 'ExportDefaultDeclaration'),
      );
    const before = loose(this.before).map((statement) => ({ statement, shape: this.shape(this.before, statement.node) }));
    const left = new Map<string, typeof before>();
    for (const entry of before) left.set(entry.shape, [...(left.get(entry.shape) ?? []), entry]);
    const added: TopLevelStatement[] = [];
    for (const statement of loose(this.after)) {
      const found = left.get(this.shape(this.after, statement.node))?.shift();
      if (!found) added.push(statement);
    }
    const removed = [...left.values()].flat().map((entry) => entry.statement);
    for (const statement of added) this.addedStatement(statement, removed);
    for (const statement of removed)
      this.notes.push({ kind: 'removed', name: firstLine(this.text(this.before, statement.node)), line: 0, reason: 'what it did stays done' });
  }

  private addedStatement(statement: TopLevelStatement, removed: TopLevelStatement[]): void {
    const { node } = statement;
    const text = firstLine(this.text(this.after, node));
    const line = lineOf(this.after, node.start);
    if (node.type === 'ExportDefaultDeclaration') {
      const old = removed.findIndex((one) => one.node.type === 'ExportDefaultDeclaration');
      if (old >= 0) removed.splice(old, 1);
      const value = node.declaration as Node;
      this.makeAnew(value);
      this.note(old >= 0 ? 'assigned' : 'added', 'default export', node.start);
      const name = `${this.p}z`;
      if (old < 0) {
        this.tail.push({ kind: 'export', file: this.file, name: 'default', code: `(()=>${this.p}m.late["default export"])` });
        this.later(value.start, () =>
          this.valueSteps.push({ kind: 'declare', file: this.file, name: 'default export', code: this.compiled(value, 'default') }),
        );
      } else
        this.later(value.start, () =>
          this.valueSteps.push({
            kind: 'value',
            file: this.file,
            name: 'default export',
            access: `({get:()=>${name},set:(${this.p}v)=>{${name}=${this.p}v}})`,
            how: 'assign',
            code: this.compiled(value, 'default'),
          }),
        );
      return;
    }
    const definition = this.definitionTarget(this.after, node);
    if (definition !== undefined) {
      const old = removed.findIndex((one) => this.definitionTarget(this.before, one.node) === definition);
      if (old >= 0) removed.splice(old, 1);
      const right = bare(node.expression.right as Node);
      const index = this.functionAt(right);
      if (old >= 0 && index >= 0 && this.earlier[index]) return;
      this.makeAnew(node);
      this.note(old >= 0 ? 'assigned' : 'added', definition, node.start);
      this.later(node.start, () => {
        this.giveSlots((info) => info.start >= node.start && info.end <= node.end);
        this.valueSteps.push({ kind: 'run', file: this.file, name: definition, code: statementExpression(this.after, node, this.options) });
      });
      return;
    }
    const similar = removed.findIndex((one) => one.node.type === node.type && headOf(this.text(this.before, one.node)) === headOf(this.text(this.after, node)));
    if (similar >= 0) removed.splice(similar, 1);
    this.note(
      'waits',
      `line ${line + 1}: ${text}`,
      node.start,
      similar >= 0 ? 'a statement that ran is not run again by itself' : 'a statement is not run by itself in a program that runs',
    );
    const entry: Waiting = { line, text, code: '' };
    this.waiting.push(entry);
    this.later(node.start, () => {
      this.giveSlots((info) => info.start >= node.start && info.end <= node.end);
      entry.code = statementExpression(this.after, node, this.options);
    });
  }

  /** `exports.fill = …` and `Barge.prototype.move = function …`: nothing happens but that a name gets a value. */
  private definitionTarget(outline: Outline, node: Node): string | undefined {
    if (node.type !== 'ExpressionStatement') return undefined;
    const expression = bare(node.expression as Node);
    if (expression.type !== 'AssignmentExpression' || expression.operator !== '=' || expression.left.type !== 'MemberExpression') return undefined;
    const target = this.text(outline, expression.left as Node);
    if (!/^[\p{ID_Start}$_][\p{ID_Continue}$]*(\.[\p{ID_Start}$_][\p{ID_Continue}$]*)+$/u.test(target)) return undefined;
    const right = bare(expression.right as Node);
    const exported = /^(module\.)?exports\b/.test(target) && this.after.parsed.goal === 'script';
    return isFunction(right) || right.type === 'ClassExpression' || (exported && isPure(right)) ? target : undefined;
  }
}

/** Code that reads the variables of a module, for finding its live objects. */
export function rootsOf(module: LiveModule): { file: string; code: string } {
  const names = [...module.outline.topLevel]
    .filter(([name, kind]) => (kind === 'const' || kind === 'let' || kind === 'var') && !module.late.has(name))
    .map(([name]) => name);
  return { file: module.file, code: `[${names.map((name) => `()=>${name}`).join(',')}]` };
}

function one<T>(value: T | undefined): T[] {
  return value === undefined ? [] : [value];
}

/** A function of kind `live` can hand its calls to one of kind `now`. */
function kindFits(live: Generation['kind'], now: Generation['kind']): boolean {
  return live === now || live === 'plain';
}

function kindWord(kind: Generation['kind']): string {
  return { plain: 'a plain function', async: 'an async function', generator: 'a generator', asyncGenerator: 'an async generator' }[kind];
}

function memberLabel(info: FunctionInfo): string {
  return `${info.isStatic ? 'static ' : ''}${info.kind === 'getter' ? 'get ' : info.kind === 'setter' ? 'set ' : ''}${info.name}`;
}

function declarationNode(node: Node): Node {
  return (node.type === 'ExportNamedDeclaration' || node.type === 'ExportDefaultDeclaration') && node.declaration ? (node.declaration as Node) : node;
}

function declaratorOf(statement: TopLevelStatement, name: string): Node | undefined {
  const declaration = declarationNode(statement.node);
  if (declaration.type !== 'VariableDeclaration') return undefined;
  return (declaration.declarations as Node[]).find((declarator) => declarator.id.type === 'Identifier' && declarator.id.name === name);
}

function lineOf(outline: Outline, offset: number): number {
  let line = 0;
  const { text } = outline.parsed;
  for (let i = text.indexOf('\n'); i >= 0 && i < offset; i = text.indexOf('\n', i + 1)) line++;
  return line;
}

function firstLine(text: string): string {
  const line = text.split('\n')[0]!;
  return line.length > 60 ? `${line.slice(0, 59)}…` : line;
}

function headOf(text: string): string {
  return /^[\p{ID_Continue}$.\s]*/u.exec(text)![0].trim() || text.slice(0, 12);
}

/** A plan in one line: `fill, drain patched · ramp added · 1 statement waits`. */
export function planText(plan: Pick<Plan, 'notes'>): string {
  const names = (kind: PlanNoteKind): string[] => [...new Set(plan.notes.filter((note) => note.kind === kind).map((note) => note.name))];
  const parts: string[] = [];
  const list = (kind: PlanNoteKind, verb: string): void => {
    const found = names(kind);
    if (found.length > 0) parts.push(`${found.slice(0, 6).join(', ')}${found.length > 6 ? ` and ${found.length - 6} more` : ''} ${verb}`);
  };
  list('patched', 'patched');
  list('added', 'added');
  list('assigned', 'assigned');
  list('renamed', 'renamed');
  list('kept', 'kept');
  list('removed', 'removed');
  const waits = names('waits').length;
  if (waits > 0) parts.push(waits === 1 ? '1 statement waits' : `${waits} statements wait`);
  const cannot = names('cannot').length;
  if (cannot > 0) parts.push(`${cannot} could not be done`);
  return parts.length > 0 ? parts.join(' · ') : 'nothing to do';
}
