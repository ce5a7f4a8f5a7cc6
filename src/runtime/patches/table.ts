/**
 * Patch points and scope hooks of a live program: a table of later versions
 * by slot, and hooks through which new code is compiled inside a scope that
 * is alive. Plans are applied whole or not at all, and can be taken back.
 */
import type { ObserveSteps } from '../../wire/modules.js';
import { boundKey } from '../../wire/compiled-text.js';
import type { Step } from '../../wire/steps.js';
import * as own from '../originals.js';
import { adoptInstances, fillFields, instanceMade } from './instances.js';
import {
  hooksOf,
  PatchedModules,
  setVersion,
  stopReporting,
  undoAll,
  versionAt,
  type ClassHook,
  type Evaluate,
  type FunctionStep,
  type ModulePatches,
  type Undo,
} from './modules.js';
import { chosenVersion, type Chooser } from './chosen-version.js';
import { takeStep } from './take-step.js';
import { makerOf, versionOf, type HoldVersion } from './versions.js';
import { Watchdog, type WatchdogClock } from './watchdog.js';

export interface Applied {
  failed?: { step: number; error: unknown };
  /** Objects that live and got what their class has new. */
  filled: number;
}

/** Plans that can be taken back. */
const MOST_UNDONE = 100;

export class PatchTable {
  private readonly modules = new PatchedModules();
  private readonly applied: { serial: number; undo: Undo[] }[] = [];
  private serial = 0;
  /** Code that a person entered runs: it is no change that could be taken back. */
  private evaluating = false;
  private readonly watchdog = new Watchdog(() => this.stopped());
  /** A change did not end, and was taken back. */
  onStopped: ((serial: number) => void) | undefined;
  /** Probes of what is observed, by unit. */
  probes: (unit: number) => unknown = () => undefined;
  /** Holds calls of versions that ask for it. */
  hold: HoldVersion | undefined;
  /** Says whose values are asked for. */
  entries: Chooser | undefined;

  setClock(clock: WatchdogClock): void {
    this.watchdog.setClock(clock);
  }

  /** Milliseconds that patched code may hold the thread before it is stopped. */
  set patience(ms: number) {
    this.watchdog.patience = ms;
  }

  private stopped(): boolean {
    const last = this.evaluating ? undefined : this.applied[this.applied.length - 1];
    if (!last) return false;
    this.undo();
    this.onStopped?.(last.serial);
    return true;
  }

  /** What a module's code is given of this table. */
  moduleExports(file: string, namespace: object): Record<string, unknown> {
    const module = this.modules.of(file);
    module.namespace = namespace;
    return {
      table: (slots: Record<string, unknown>[]): unknown[] => {
        module.slots = slots;
        return module.table;
      },
      ticks: this.watchdog.ticks,
      late: module.late,
      hook: (evaluate: Evaluate, bound?: Record<string, () => unknown>): void => {
        module.evaluate = evaluate;
        this.observeEarly(module);
        for (const name of bound ? own.keys(bound) : [])
          own.defineProperty(module.late, boundKey(name), {
            get: bound![name]!,
            enumerable: false,
            configurable: true,
          });
      },
      classHook: (slot: number, self: object, evaluate: Evaluate): ClassHook => {
        const hook = this.modules.classMade(module, slot, self, evaluate);
        if (module.early.length > 0) this.observeEarly(module);
        return hook;
      },
      made: (slot: number, instance: object): void => instanceMade(module, slot, instance),
      /** Behind a write to an export: where modules are the engine's own there is nothing to be told. */
      sync: <T>(value: T): T => value,
      maker: makerOf,
      due: (): void => this.watchdog.due(),
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
    this.modules.each(({ texts, slots }) => {
      const text = slot < slots.length ? undefined : texts.get(slot);
      if (text !== undefined && own.indexOf(text, name) >= 0) found ??= text;
    });
    return found;
  }

  /** Names that came after a module had started. */
  lateOf(file: string): Record<string, unknown> {
    return this.modules.of(file).late;
  }

  /** A module is executed again: gives what puts its old state back. Plans of before cannot be taken back any more. */
  renew(file: string): Undo {
    const old = this.modules.get(file);
    this.modules.forget(file);
    this.applied.length = 0;
    return () => {
      if (old) this.modules.set(file, old);
    };
  }

  /** The state of a module before it was executed again, for {@link adopt}. */
  stateOf(file: string): ModulePatches | undefined {
    return this.modules.get(file);
  }

  /**
   * Objects of classes that were made anew go over to the new ones.
   *
   * @param before what {@link stateOf} gave
   * @returns how many went over
   */
  adopt(file: string, before: ModulePatches | undefined): number {
    const module = this.modules.get(file);
    return before && module ? adoptInstances(before, module) : 0;
  }

  /** True when a plan can be taken back. */
  get canUndo(): boolean {
    return this.applied.length > 0;
  }

  /** Takes the last plan back. */
  undo(): boolean {
    const last = this.applied.pop();
    if (!last) return false;
    undoAll(last.undo);
    return true;
  }

  /** True when a plan was ever applied. */
  get patched(): boolean {
    return this.serial > 0;
  }

  /** Applies steps whole or not at all: a step that throws undoes those before it. */
  apply(steps: readonly Step[]): Applied {
    const undo: Undo[] = [];
    let filled = 0;
    for (let i = 0; i < steps.length; i++) {
      try {
        const step = steps[i]!;
        own.append(undo, takeStep(step, this.modules.of(step.file)));
        if (step.kind === 'fields') filled += fillFields(this.modules, step, undo, () => this.watchdog.now);
      } catch (error) {
        undoAll(undo);
        return { failed: { step: i, error }, filled: 0 };
      }
    }
    if (steps.length > 0) {
      own.append(this.applied, { serial: ++this.serial, undo });
      if (this.applied.length > MOST_UNDONE) this.applied.shift();
    }
    return { filled };
  }

  /**
   * Gives what an expression gives inside a module that lives.
   *
   * @throws Error when the module is not loaded yet; whatever the code throws
   */
  evaluate(file: string, code: string): unknown {
    const { evaluate } = this.modules.of(file);
    if (!evaluate) throw new own.ErrorCopy(`${file} is not loaded yet`);
    this.evaluating = true;
    try {
      return evaluate(code);
    } finally {
      this.evaluating = false;
    }
  }

  /**
   * Puts versions that report over those that the program has. A change takes them away from what it changes.
   *
   * @returns steps that could not be taken
   */
  observe(
    { steps, release }: ObserveSteps,
    inTime: () => boolean = () => true,
  ): { failed: { step: number; error: unknown }[]; taken: number } {
    const failed: { step: number; error: unknown }[] = [];
    for (const { file, slots } of release) {
      const module = this.modules.get(file);
      if (module) for (const slot of slots) stopReporting(module, slot);
    }
    let taken = 0;
    while (taken < steps.length && (taken === 0 || inTime())) {
      const i = taken++;
      const step = steps[i]!;
      const module = this.modules.of(step.file);
      if (step.kind !== 'function') continue;
      if (!module.evaluate) {
        own.append(module.early, step);
        continue;
      }
      try {
        this.putReporting(step, module, module.evaluate);
      } catch (error) {
        own.append(failed, { step: i, error });
      }
    }
    return { failed, taken };
  }

  private putReporting(step: FunctionStep, module: ModulePatches, evaluate: Evaluate): void {
    const { hold, entries } = this;
    const made = (code: string): unknown => versionOf({ ...step, code }, module, evaluate, true, hold);
    const version =
      entries && (step.plain !== undefined || step.ofConstructor)
        ? chosenVersion(step, entries, made(step.code), step.plain === undefined ? undefined : made(step.plain))
        : made(step.code);
    const before = module.observed.get(step.slot);
    // Most slots hold nothing when nobody observes: that is what they are to hold again.
    const base = before ? before.base : versionAt(module, step.slot);
    module.observed.set(step.slot, { version, base });
    setVersion(module, step.slot, version);
  }

  /** What was to report before the module began, as far as it can be made now. */
  private observeEarly(module: ModulePatches): void {
    const steps = module.early;
    module.early = [];
    for (let i = 0; i < steps.length; i++) {
      const step = steps[i]!;
      if (step.owner !== undefined && hooksOf(module, step.owner).length === 0) own.append(module.early, step);
      else this.putReporting(step, module, module.evaluate!);
    }
  }
}
