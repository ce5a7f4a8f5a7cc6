/**
 * Patch points and scope hooks of a live program: a table of later versions
 * by slot, and hooks through which new code is compiled inside a scope that
 * is alive. Plans are applied whole or not at all, and can be taken back.
 */
import type { WatchSteps } from '../wire/modules.js';
import type { Step } from '../wire/steps.js';
import { CARRIED, MIGRATE } from './carry.js';
import * as own from './originals.js';

type Evaluate = (code: string) => unknown;
type Callable = (...args: unknown[]) => unknown;

/** What a class gives when it is made. */
export interface ClassHook {
  self: object;
  evaluate: Evaluate;
}

interface Field {
  key: string;
  symbol?: string;
  sets?: boolean;
  fresh?: boolean;
  removed?: boolean;
}

interface FieldPlan {
  make: Record<string, Callable>;
  fields: Field[];
}

interface ModulePatches {
  /** The slots it started with: one object each. */
  slots: Record<string, unknown>[];
  /** Those that came later. */
  table: unknown[];
  evaluate: Evaluate | undefined;
  /** Classes by slot; those that functions make are held weakly, the newest last. */
  classes: Map<number, WeakRef<ClassHook>[]>;
  /** Classes of the module are held for good. */
  lasting: ClassHook[];
  /** Names that came after the module had started; code that uses them is compiled to look here. */
  late: Record<string, unknown>;
  namespace: object | undefined;
  /** What functions show as their source since they were changed, by slot. */
  texts: Map<number, string>;
  /** Live objects of the classes that ask for it. */
  instances: Map<number, WeakRef<object>[]>;
  /** Slots that hold a version which reports, and what they hold when nobody watches. */
  watched: Map<number, { version: unknown; base: unknown }>;
}

export interface Applied {
  failed?: { step: number; error: unknown };
  /** Objects that live and got what their class has new. */
  filled: number;
}

/** Plans that can be taken back. */
const MOST_UNDONE = 100;
/** Milliseconds that looking for live objects may take. */
const SEARCH_MS = 2;
/** Closures of one function that get a version which reports; where more are made, only those that come with the code around them report. */
const MOST_WATCHED = 400;

export class PatchTable {
  private readonly modules = own.safeMap<string, ModulePatches>();
  private readonly undone: { serial: number; undo: (() => void)[] }[] = [];
  private serial = 0;
  /** Counts loops of patched code; see {@link due}. */
  readonly ticks = new Int32Array(1);
  private jobStart = 0;
  private jobOpen = false;
  /** Milliseconds that patched code may hold the thread before it is stopped. */
  patience = 3_000;
  /** Code that a person entered runs: it is no change that could be taken back. */
  private evaluating = false;
  onStopped: ((serial: number) => void) | undefined;

  private now: () => number = () => 0;
  private later: (callback: () => void) => void = () => undefined;

  /**
   * @param now milliseconds
   * @param later calls back in a job of its own
   */
  clock(now: () => number, later: (callback: () => void) => void): void {
    this.now = now;
    this.later = later;
  }

  private of(file: string): ModulePatches {
    let found = this.modules.get(file);
    if (!found) {
      found = {
        slots: [],
        table: [],
        evaluate: undefined,
        classes: own.safeMap(),
        lasting: [],
        late: own.createObject(null) as Record<string, unknown>,
        namespace: undefined,
        texts: own.safeMap(),
        instances: own.safeMap(),
        watched: own.safeMap(),
      };
      this.modules.set(file, found);
    }
    return found;
  }

  /** Probes of what is watched, by unit. */
  probes: (unit: number) => unknown = () => undefined;

  /** What a module's code is given of this table. */
  face(file: string, namespace: object): Record<string, unknown> {
    const module = this.of(file);
    module.namespace = namespace;
    return {
      table: (slots: Record<string, unknown>[]): unknown[] => {
        module.slots = slots;
        return module.table;
      },
      ticks: this.ticks,
      late: module.late,
      hook: (evaluate: Evaluate): void => {
        module.evaluate = evaluate;
      },
      classHook: (slot: number, self: object, evaluate: Evaluate): ClassHook =>
        this.classMade(module, slot, self, evaluate),
      made: (slot: number, instance: object): void => this.instanceMade(module, slot, instance),
      /** Behind a write to an export: where modules are the engine's own there is nothing to be told. */
      sync: <T>(value: T): T => value,
      construct: (fn: Callable, args: ArrayLike<unknown>, target: Callable): unknown => own.construct(fn, args, target),
      due: (): void => this.due(),
      probes: (unit: number): unknown => this.probes(unit),
      constant: (): never => {
        throw new TypeError('Assignment to constant variable.');
      },
    };
  }

  /** The person's text of a function that was changed, or came later; undefined for one that is as it was. */
  textOf(file: string, slot: number): string | undefined {
    return this.modules.get(file)?.texts.get(slot);
  }

  /** The same for a function that came later, of which only the slot and the name are known. */
  lateTextOf(slot: number, name: string): string | undefined {
    let found: string | undefined;
    this.modules.forEach(({ texts, slots }) => {
      const text = slot < slots.length ? undefined : texts.get(slot);
      if (text !== undefined && own.indexOf(text, name) >= 0) found ??= text;
    });
    return found;
  }

  lateOf(file: string): Record<string, unknown> {
    return this.of(file).late;
  }

  /** A module is executed again: gives what puts its old state back. Plans of before cannot be taken back any more. */
  renew(file: string): () => void {
    const old = this.modules.get(file);
    this.modules.delete(file);
    this.undone.length = 0;
    return () => {
      if (old) this.modules.set(file, old);
    };
  }

  /** The state of a module before it was executed again, for {@link adopt}. */
  stateOf(file: string): unknown {
    return this.modules.get(file);
  }

  /**
   * Objects of classes that were made anew go over to the new ones, where the
   * class asks for it. Fields that are not carried are taken off, and the class's
   * own function may set them anew.
   *
   * @param before what {@link stateOf} gave
   */
  adopt(file: string, before: unknown): number {
    const old = before as ModulePatches | undefined;
    const module = this.modules.get(file);
    if (!old || !module) return 0;
    let moved = 0;
    for (const [slot, list] of old.instances) {
      const from = this.newest(old, slot);
      if (!from) continue;
      const { name } = from.self as { name: string };
      for (const [newSlot] of module.classes) {
        const to = this.newest(module, newSlot);
        if (!to || (to.self as { name: string }).name !== name) continue;
        const carried = (to.self as Record<symbol, unknown>)[CARRIED];
        const keep = own.isArray(carried) ? own.safeSet(carried as string[]) : undefined;
        for (const entry of list) {
          const instance = entry.deref();
          if (!instance) continue;
          const dropped: string[] = [];
          if (keep)
            for (const key of own.ownKeys(instance)) {
              if (typeof key !== 'string' || keep.has(key)) continue;
              delete (instance as Record<string, unknown>)[key];
              own.append(dropped, key);
            }
          own.setPrototype(instance, (to.self as { prototype: object }).prototype);
          this.instanceMade(module, newSlot, instance);
          const migrate = (to.self as Record<symbol, unknown>)[MIGRATE];
          if (typeof migrate === 'function') own.apply(migrate as Callable, to.self, [instance, dropped]);
          moved++;
        }
      }
    }
    return moved;
  }

  private newest(module: ModulePatches, slot: number): ClassHook | undefined {
    const hooks = this.hooksOf(module, slot);
    return hooks[hooks.length - 1];
  }

  private classMade(module: ModulePatches, slot: number, self: object, evaluate: Evaluate): ClassHook {
    const hook: ClassHook = { self, evaluate };
    let list = module.classes.get(slot);
    if (!list) module.classes.set(slot, (list = []));
    if (list.length === 0) own.append(module.lasting, hook);
    else if (list.length > 16) {
      let kept = 0;
      for (const entry of list) if (entry.deref() !== undefined) list[kept++] = entry;
      list.length = kept;
    }
    own.append(list, new own.WeakRefCopy(hook));
    // As long as the class lives, its hook does.
    this.classHooks.set(self, hook);
    return hook;
  }

  private readonly classHooks = own.safeWeakMap<object, ClassHook>();

  private instanceMade(module: ModulePatches, slot: number, instance: object): void {
    let list = module.instances.get(slot);
    if (!list) module.instances.set(slot, (list = []));
    if (list.length > 0 && (list.length & (list.length - 1)) === 0 && list.length >= 64) {
      let kept = 0;
      for (const entry of list) if (entry.deref() !== undefined) list[kept++] = entry;
      list.length = kept;
    }
    own.append(list, new own.WeakRefCopy(instance));
  }

  /** Patched code runs: stops it when it has held the thread for too long. */
  private due(): void {
    const now = this.now();
    if (!this.jobOpen) {
      this.jobOpen = true;
      this.jobStart = now;
      this.later(() => {
        this.jobOpen = false;
      });
      return;
    }
    if (now - this.jobStart < this.patience) return;
    this.jobOpen = false;
    const last = this.evaluating ? undefined : this.undone[this.undone.length - 1];
    if (last) {
      this.undo();
      this.onStopped?.(last.serial);
    }
    const error = new own.ErrorCopy(
      `ran for more than ${this.patience / 1000} s without an end, and was stopped${last ? '; the last change is undone' : ''}`,
    );
    (error as { code?: string }).code = 'E_ENDLESS';
    throw error;
  }

  /** True when a plan can be taken back. */
  get canUndo(): boolean {
    return this.undone.length > 0;
  }

  /** Takes the last plan back. */
  undo(): boolean {
    const last = this.undone.pop();
    if (!last) return false;
    for (let i = last.undo.length - 1; i >= 0; i--) last.undo[i]!();
    return true;
  }

  get patched(): boolean {
    return this.serial > 0;
  }

  /**
   * Applies steps whole or not at all: a step that throws undoes those before it.
   */
  apply(steps: readonly Step[]): Applied {
    const undo: (() => void)[] = [];
    let filled = 0;
    for (let i = 0; i < steps.length; i++) {
      try {
        const step = steps[i]!;
        own.append(undo, this.step(step));
        if (step.kind === 'fields') filled += this.fill(step, undo);
      } catch (error) {
        for (let k = undo.length - 1; k >= 0; k--) undo[k]!();
        return { failed: { step: i, error }, filled: 0 };
      }
    }
    if (steps.length > 0) {
      own.append(this.undone, { serial: ++this.serial, undo });
      if (this.undone.length > MOST_UNDONE) this.undone.shift();
    }
    return { filled };
  }

  /** Gives what an expression gives inside a module that lives. */
  evaluate(file: string, code: string): unknown {
    const { evaluate } = this.of(file);
    if (!evaluate) throw new own.ErrorCopy(`${file} is not loaded yet`);
    this.evaluating = true;
    try {
      return evaluate(code);
    } finally {
      this.evaluating = false;
    }
  }

  private hooksOf(module: ModulePatches, slot: number): ClassHook[] {
    const found: ClassHook[] = [];
    for (const entry of module.classes.get(slot) ?? []) {
      const hook = entry.deref();
      if (hook) own.append(found, hook);
    }
    return found;
  }

  private step(step: Step): () => void {
    const module = this.of(step.file);
    const { evaluate, late } = module;
    if (!evaluate) throw new own.ErrorCopy(`${step.file} is not loaded yet`);
    switch (step.kind) {
      case 'declare':
        return this.put(late, step.name, {
          value: evaluate(step.code),
          writable: true,
          enumerable: true,
          configurable: true,
        });
      case 'alias': {
        const access = evaluate(step.code) as { get: () => unknown; set: (value: unknown) => void };
        return this.put(late, step.name, { get: access.get, set: access.set, enumerable: true, configurable: true });
      }
      case 'symbol':
        return this.put(late, step.name, {
          value: Symbol(step.name),
          writable: true,
          enumerable: true,
          configurable: true,
        });
      case 'link':
        // The host of the target loads it and puts it there before the plan is applied.
        if (!own.getDescriptor(late, step.name)) throw new own.ErrorCopy(`${step.specifier} is not loaded`);
        return () => undefined;
      case 'export': {
        const { namespace } = module;
        if (namespace === undefined) return () => undefined;
        const get = evaluate(step.code) as () => unknown;
        return this.put(namespace, step.name, {
          get,
          set: () => {
            throw new TypeError('Assignment to constant variable.');
          },
          enumerable: true,
          configurable: true,
        });
      }
      case 'texts': {
        const { texts } = module;
        const before = step.texts.map(([slot]) => texts.get(slot));
        for (const [slot, text] of step.texts) texts.set(slot, text);
        return () =>
          step.texts.forEach(([slot], index) => {
            if (before[index] === undefined) texts.delete(slot);
            else texts.set(slot, before[index]);
          });
      }
      case 'run': {
        evaluate(step.code);
        return () => undefined;
      }
      case 'function':
        return this.setSlot(module, step.slot, this.versionOf(step, module, evaluate));
      case 'member': {
        const undo: (() => void)[] = [];
        for (const hook of this.hooksOf(module, step.owner)) {
          const target = step.isStatic ? hook.self : (hook.self as { prototype: object }).prototype;
          const home = hook.evaluate(step.code) as object;
          own.setPrototype(home, own.getPrototype(target));
          for (const key of own.ownKeys(home)) {
            const given = own.getDescriptor(home, key)!;
            const at = step.symbol === undefined ? key : (late[step.symbol] as symbol);
            const before = own.getDescriptor(target, at);
            const merged: PropertyDescriptor =
              'value' in given
                ? { value: given.value as unknown, writable: true }
                : { get: given.get ?? before?.get, set: given.set ?? before?.set };
            own.append(undo, this.put(target, at, { ...merged, enumerable: false, configurable: true }));
          }
        }
        return () => {
          for (let i = undo.length - 1; i >= 0; i--) undo[i]!();
        };
      }
      case 'parent': {
        const parent = evaluate(step.code) as object;
        const undo: (() => void)[] = [];
        for (const { self } of this.hooksOf(module, step.owner)) {
          const { prototype } = self as { prototype: object };
          const before = own.getPrototype(self);
          const beforeOf = own.getPrototype(prototype);
          own.setPrototype(self, parent);
          own.setPrototype(prototype, (parent as { prototype: object }).prototype);
          own.append(undo, () => {
            own.setPrototype(self, before);
            own.setPrototype(prototype, beforeOf);
          });
        }
        return () => {
          for (const take of undo) take();
        };
      }
      case 'fields':
        return this.fields(step, module);
      case 'value':
        return this.value(step, evaluate);
    }
  }

  /** Defines a property; returns what takes it back. */
  private put(target: object, key: PropertyKey, descriptor: PropertyDescriptor): () => void {
    const before = own.getDescriptor(target, key);
    own.defineProperty(target, key, descriptor);
    return () => {
      if (before) own.defineProperty(target, key, before);
      else delete (target as Record<PropertyKey, unknown>)[key];
    };
  }

  /**
   * Puts versions that report over those that the program has. A change takes them away from what it changes.
   *
   * @returns steps that could not be taken
   */
  watch({ steps, release }: WatchSteps): { step: number; error: unknown }[] {
    const failed: { step: number; error: unknown }[] = [];
    for (const { file, slots } of release) {
      const module = this.modules.get(file);
      if (module) for (const slot of slots) this.release(module, slot);
    }
    for (let i = 0; i < steps.length; i++) {
      const step = steps[i]!;
      const module = this.of(step.file);
      if (step.kind !== 'function' || !module.evaluate) continue;
      try {
        const version = this.versionOf(step, module, module.evaluate, true);
        const base = module.watched.get(step.slot)?.base ?? this.atSlot(module, step.slot);
        module.watched.set(step.slot, { version, base });
        this.write(module, step.slot, version);
      } catch (error) {
        own.append(failed, { step: i, error });
      }
    }
    return failed;
  }

  private release(module: ModulePatches, slot: number): void {
    const watched = module.watched.get(slot);
    if (!watched) return;
    module.watched.delete(slot);
    this.write(module, slot, watched.base);
  }

  /** @param watched the version reports, and may be made for so many closures only */
  private versionOf(
    step: Extract<Step, { kind: 'function' }>,
    module: ModulePatches,
    evaluate: Evaluate,
    watched = false,
  ): unknown {
    const { code, self, home } = step;
    let version: unknown;
    const finish = (made: unknown, owner: object | undefined): unknown => {
      if (home === undefined) return made;
      const target = home === 'static' ? owner! : (owner as { prototype: object }).prototype;
      const given = made as { home: object; pick: (home: object) => unknown };
      // `super` in the method looks up from the prototype of its home object.
      own.setPrototype(given.home, own.getPrototype(target));
      return given.pick(given.home);
    };
    if (step.maker) {
      version = (inside: Evaluate) => inside(code);
    } else if (step.each) {
      const made = own.safeWeakMap<object, unknown>();
      let count = 0;
      // Most scopes are entered once: the last one asked for is the next one too.
      let lastKey: object | undefined;
      let lastFound: unknown;
      version = (hook: Evaluate | ClassHook | undefined, held: object | undefined): unknown => {
        const key = self ? held! : hook!;
        if (key === lastKey) return lastFound;
        let found = made.get(key);
        if (found === undefined) {
          if (watched && ++count === MOST_WATCHED && module.watched.get(step.slot)?.version === version)
            this.release(module, step.slot);
          const through = hook === undefined ? evaluate : typeof hook === 'function' ? hook : hook.evaluate;
          const result = through(code);
          found = finish(
            self ? (result as Callable)(held) : result,
            typeof hook === 'function' ? undefined : hook?.self,
          );
          made.set(key, found);
        }
        lastKey = key;
        lastFound = found;
        return found;
      };
    } else {
      const hooks = step.owner === undefined ? [] : this.hooksOf(module, step.owner);
      const hook = hooks[hooks.length - 1];
      if (step.owner !== undefined && !hook) throw new own.ErrorCopy('its class was never made');
      version = finish((hook ? hook.evaluate : evaluate)(code), hook?.self);
    }
    return version;
  }

  /** Puts a later version where the patch point looks; returns what takes it back. What was watched there is not any more. */
  private setSlot(module: ModulePatches, slot: number, version: unknown): () => void {
    this.release(module, slot);
    const previous = this.atSlot(module, slot);
    this.write(module, slot, version);
    return () => {
      module.watched.delete(slot);
      this.write(module, slot, previous);
    };
  }

  private atSlot({ slots, table }: ModulePatches, slot: number): unknown {
    return slot < slots.length ? slots[slot]![`f${slot}`] : table[slot];
  }

  private write({ slots, table }: ModulePatches, slot: number, version: unknown): void {
    if (slot < slots.length) {
      slots[slot]![`f${slot}`] = version;
      return;
    }
    for (let i = table.length; i < slot; i++) table[i] = undefined;
    table[slot] = version;
  }

  private setField(target: object, field: Field, plan: FieldPlan, module: ModulePatches): void {
    const result = own.apply(plan.make[field.key]!, target, []);
    if (field.sets) return;
    const hidden = field.symbol !== undefined;
    own.defineProperty(target, hidden ? (module.late[field.symbol!] as symbol) : field.key, {
      value: result,
      writable: true,
      enumerable: !hidden,
      configurable: true,
    });
  }

  private fields(step: Extract<Step, { kind: 'fields' }>, module: ModulePatches): () => void {
    const hooks = this.hooksOf(module, step.owner);
    const hook = hooks[hooks.length - 1];
    if (!hook) throw new own.ErrorCopy('its class was never made');
    const target = step.isStatic ? hook.self : (hook.self as { prototype: object }).prototype;
    const make = hook.evaluate(step.code) as Record<string, Callable>;
    own.setPrototype(make, own.getPrototype(target));
    const plan: FieldPlan = { make, fields: step.fields };
    const undo: (() => void)[] = [];
    if (step.isStatic) {
      for (const field of step.fields) {
        const key = field.symbol === undefined ? field.key : (module.late[field.symbol] as symbol);
        const before = field.sets ? undefined : own.getDescriptor(target, key);
        this.setField(target, field, plan, module);
        if (!field.sets)
          own.append(undo, () =>
            before ? own.defineProperty(target, key, before) : delete (target as Record<PropertyKey, unknown>)[key],
          );
      }
    } else {
      const patches = this;
      own.append(
        undo,
        this.setSlot(module, step.owner, function (this: object): void {
          for (const field of step.fields) {
            if (field.removed) delete (this as Record<string, unknown>)[field.key];
            else patches.setField(this, field, plan, module);
          }
        }),
      );
      for (const field of step.fields)
        if (field.fresh && !field.sets) own.append(undo, this.lazily(target, field, plan, module));
    }
    return () => {
      for (let i = undo.length - 1; i >= 0; i--) undo[i]!();
    };
  }

  /**
   * Objects that live have no such field yet. Those that cannot be found get
   * it when it is first touched: an accessor on the prototype makes it then.
   */
  private lazily(prototype: object, field: Field, plan: FieldPlan, module: ModulePatches): () => void {
    const key = field.symbol === undefined ? field.key : (module.late[field.symbol] as symbol);
    if (own.getDescriptor(prototype, key)) return () => undefined;
    const patches = this;
    let making = false;
    return this.put(prototype, key, {
      get(this: object): unknown {
        if (this === prototype || making || !isObject(this)) return undefined;
        making = true;
        try {
          patches.setField(this, field, plan, module);
        } finally {
          making = false;
        }
        return (this as Record<PropertyKey, unknown>)[key];
      },
      set(this: object, value: unknown): void {
        own.defineProperty(this, key, {
          value,
          writable: true,
          enumerable: field.symbol === undefined,
          configurable: true,
        });
      },
      enumerable: false,
      configurable: true,
    });
  }

  /** Gives new fields to the objects that live and can be found: those known, and those reached from the module's variables in a short time. */
  private fill(step: Extract<Step, { kind: 'fields' }>, undo: (() => void)[]): number {
    const module = this.of(step.file);
    const hooks = this.hooksOf(module, step.owner);
    const hook = hooks[hooks.length - 1];
    const fresh = step.fields.filter((field) => field.fresh && !field.sets);
    if (!hook || step.isStatic || fresh.length === 0) return 0;
    const { prototype } = hook.self as { prototype: object };
    const known = module.instances.get(step.owner);
    const found: object[] = [];
    if (known) {
      for (const entry of known) {
        const instance = entry.deref();
        if (instance) own.append(found, instance);
      }
    } else this.search(prototype, step.roots, found);
    const make = (hook.self as Record<symbol, unknown>)[MIGRATE];
    let filled = 0;
    for (const instance of found) {
      const missing: string[] = [];
      for (const field of fresh) {
        const key = field.symbol === undefined ? field.key : (module.late[field.symbol] as symbol);
        if (own.getDescriptor(instance, key)) continue;
        // Touching it is enough: the accessor makes it.
        void (instance as Record<PropertyKey, unknown>)[key];
        own.append(missing, field.key);
        own.append(undo, () => delete (instance as Record<PropertyKey, unknown>)[key]);
      }
      if (missing.length === 0) continue;
      filled++;
      if (typeof make === 'function') own.apply(make as Callable, hook.self, [instance, missing]);
    }
    return filled;
  }

  /** Objects whose prototype chain has `prototype`, reached from what the modules hold. Runs no code of the person: accessors are not read. */
  private search(prototype: object, roots: readonly { file: string; code: string }[], found: object[]): void {
    const start = this.now();
    const seen = own.safeWeakMap<object, boolean>();
    const queue: object[] = [];
    const add = (value: unknown): void => {
      if (!isObject(value) || seen.get(value)) return;
      seen.set(value, true);
      own.append(queue, value);
    };
    for (const { file, code } of roots) {
      const module = this.modules.get(file);
      if (!module?.evaluate) continue;
      for (const read of module.evaluate(code) as (() => unknown)[]) {
        try {
          add(read());
        } catch {
          // A variable that the module has not reached yet.
        }
      }
      add(module.late);
    }
    for (let i = 0; i < queue.length; i++) {
      if ((i & 63) === 63 && this.now() - start > SEARCH_MS) return;
      const value = queue[i]!;
      try {
        for (let at = own.getPrototype(value); at; at = own.getPrototype(at))
          if (at === prototype) {
            own.append(found, value);
            break;
          }
        own.eachItem(value, add);
        for (const key of own.ownKeys(value)) {
          const descriptor = own.getDescriptor(value, key);
          if (descriptor && 'value' in descriptor) add(descriptor.value);
        }
      } catch {
        // A proxy that forbids it.
      }
    }
  }

  private value(step: Extract<Step, { kind: 'value' }>, evaluate: Evaluate): () => void {
    const access = evaluate(step.access) as { get: () => unknown; set: (value: unknown) => void };
    let live: unknown;
    try {
      live = access.get();
    } catch {
      // Not yet reached by the module.
    }
    if (step.how === 'items') {
      const next = evaluate(step.code) as unknown[];
      if (own.isArray(live) && own.isArray(next)) {
        const array = live;
        const before = own.copyArray(array);
        refill(array, next);
        return () => refill(array, before);
      }
      access.set(next);
      return () => access.set(live);
    }
    if (step.how === 'properties' && isObject(live)) {
      const undo: (() => void)[] = [];
      for (const entry of step.at ?? []) {
        let target: unknown = live;
        for (const key of entry.path) target = isObject(target) ? (target as Record<string, unknown>)[key] : undefined;
        if (!isObject(target)) continue;
        const place = target;
        const given = entry.code === undefined ? undefined : (evaluate(entry.code) as object);
        const wanted = entry.remove?.[0] === '*' ? own.keys(place as Record<string, unknown>) : (entry.remove ?? []);
        for (const key of wanted) {
          if (given && own.getDescriptor(given, key)) continue;
          const before = own.getDescriptor(place, key);
          if (!before) continue;
          delete (place as Record<string, unknown>)[key];
          own.append(undo, () => own.defineProperty(place, key, before));
        }
        if (given)
          for (const key of own.ownKeys(given)) {
            const next = own.getDescriptor(given, key)!;
            const before = own.getDescriptor(place, key);
            if (before && 'value' in before && 'value' in next && before.writable)
              own.append(undo, this.put(place, key, { ...before, value: next.value as unknown }));
            else if ('value' in next) own.append(undo, this.put(place, key, next));
            else
              own.append(
                undo,
                this.put(place, key, { ...next, get: next.get ?? before?.get, set: next.set ?? before?.set }),
              );
          }
      }
      return () => {
        for (let i = undo.length - 1; i >= 0; i--) undo[i]!();
      };
    }
    access.set(evaluate(step.code));
    return () => access.set(live);
  }
}

function isObject(value: unknown): value is object {
  return (typeof value === 'object' && value !== null) || typeof value === 'function';
}

function refill(array: unknown[], next: readonly unknown[]): void {
  array.length = 0;
  for (let i = 0; i < next.length; i++) array[i] = next[i];
}
