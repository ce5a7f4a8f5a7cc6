/** Dials and gates of `usher-anvil/pad`: what a person turns, and effects that happen only when a person says so. */
import * as own from './originals.js';
import type { ErrorReader } from './errors.js';
import { SHALLOW } from './preview.js';
import type { Reporter } from './reports/reporter.js';
import type { Stacks } from './stacks.js';
import type { RawFrame, RawGate, RawDial } from '../wire/reports.js';

/** How a dial is drawn, and what it may be set to. */
export type DialShape =
  | { min: number; max: number; step?: number }
  | readonly (string | number | boolean)[]
  | 'colour'
  | 'text'
  | 'switch'
  | 'number';

interface Gate {
  raw: RawGate;
  effect: () => unknown;
  resolve: (value: unknown) => void;
  reject: (error: unknown) => void;
}

export class Controls {
  /** What the person has turned dials to, by name. */
  private turned: Record<string, unknown> = own.createObject(null) as Record<string, unknown>;
  private opened: readonly string[] = [];
  /** What a careful run would hold is let through. */
  private allThrough = false;
  private readonly dials = own.safeMap<string, RawDial>();
  private readonly gates = own.safeMap<number, Gate>();
  private ids = 0;

  constructor(
    private readonly reporter: Reporter,
    private readonly stacks: Stacks,
    private readonly errors: ErrorReader,
    private readonly now: () => number,
  ) {}

  /** What is set before the run begins. */
  order(asked: { dials: Record<string, unknown>; open: readonly string[]; letThrough?: boolean }): void {
    this.turned = own.setPrototype({ ...asked.dials }, null) as Record<string, unknown>;
    this.opened = asked.open;
    this.allThrough = asked.letThrough === true;
  }

  moduleExports(): Record<string, unknown> {
    return {
      dial: (name: string, initial: unknown, shape?: DialShape) => this.dial(name, initial, shape),
      gate: (name: string, effect: () => unknown) => this.gate(name, effect),
    };
  }

  /** True while a gate is closed that something waits at. */
  get waiting(): boolean {
    let any = false;
    this.gates.forEach((gate) => {
      if (gate.raw.state === 'closed' || gate.raw.state === 'open') any = true;
    });
    return any;
  }

  /** True while a call of the platform is held: the program is not at its end, though it may wait for nothing. */
  get holding(): boolean {
    let any = false;
    this.gates.forEach(({ raw }) => {
      if (raw.held && raw.state === 'closed') any = true;
    });
    return any;
  }

  private place(): RawFrame | undefined {
    return this.stacks.here(10).find((one) => one.local);
  }

  private dial(name: string, initial: unknown, shape: DialShape | undefined): unknown {
    if (typeof name !== 'string' || name === '') throw new own.TypeErrorCopy('dial(name, initial, shape) needs a name');
    const frame = this.place();
    const raw: RawDial = {
      name,
      kind: 'number',
      value: initial as RawDial['value'],
      initial: initial as RawDial['value'],
      moment: ++this.reporter.clock,
    };
    if (frame) raw.frame = frame;
    this.shape(raw, initial, shape);
    const known = this.dials.get(name);
    if (known && (known.frame?.line !== frame?.line || known.frame?.file !== frame?.file))
      throw new own.ErrorCopy(
        `two dials are named '${name}': at line ${(known.frame?.line ?? 0) + 1} and at ` +
          `line ${(frame?.line ?? 0) + 1}. Give one of them another name.`,
      );
    if (name in this.turned && fits(raw, this.turned[name])) raw.value = this.turned[name] as RawDial['value'];
    this.dials.set(name, raw);
    this.reporter.addDial(raw);
    return raw.value;
  }

  private shape(raw: RawDial, initial: unknown, shape: DialShape | undefined): void {
    const wrong = (what: string): never => {
      throw new own.RangeErrorCopy(`dial '${raw.name}': ${what}`);
    };
    if (own.isArray(shape)) {
      raw.kind = 'choice';
      raw.choices = [];
      for (let i = 0; i < shape.length; i++) own.append(raw.choices, shape[i] as string | number | boolean);
      if (raw.choices.length === 0) wrong('its list of choices is empty');
      if (!raw.choices.includes(initial as string)) wrong('its first value is none of its choices');
    } else if (typeof shape === 'object' && shape !== null) {
      const { min, max, step } = shape as { min: number; max: number; step?: number };
      raw.kind = 'range';
      if (!(typeof min === 'number' && typeof max === 'number' && min < max))
        wrong('min and max must be numbers, min below max');
      if (step !== undefined && !(typeof step === 'number' && step > 0)) wrong('step must be a number above 0');
      if (typeof initial !== 'number' || !(initial >= min && initial <= max))
        wrong(`its first value must be a number from ${min} to ${max}`);
      Object.assign(raw, { min, max, ...(step === undefined ? {} : { step }) });
    } else {
      raw.kind =
        shape ??
        (typeof initial === 'boolean'
          ? 'switch'
          : typeof initial === 'string'
            ? /^#[0-9a-f]{6}$/i.test(initial)
              ? 'colour'
              : 'text'
            : 'number');
      const type = raw.kind === 'switch' ? 'boolean' : raw.kind === 'number' ? 'number' : 'string';
      if (!['colour', 'text', 'switch', 'number'].includes(raw.kind))
        wrong("its shape is { min, max, step }, a list of choices, 'colour', 'text', 'switch' or 'number'");
      if (typeof initial !== type) wrong(`its first value must be a ${type}`);
    }
  }

  private gate(name: string, effect: () => unknown): Promise<unknown> {
    if (typeof name !== 'string' || name === '' || typeof effect !== 'function')
      throw new own.TypeErrorCopy('gate(name, effect) needs a name and a function');
    const frame = this.place();
    const raw: RawGate = { id: ++this.ids, name, state: 'closed', moment: ++this.reporter.clock };
    if (frame) raw.frame = frame;
    return new own.PromiseCopy<unknown>((resolve, reject) => {
      const gate: Gate = { raw, effect, resolve, reject };
      this.gates.set(raw.id, gate);
      this.reporter.addGate({ ...raw });
      if (this.opened.includes(name)) void this.run(gate);
    });
  }

  /** A gate at a call of the platform, which the program knows nothing of; `through` is called when it is let through. */
  hold(name: string, detail: string | undefined, through: () => void): void {
    // A gate for each of a thousand writes would hide the others: what is let through from the start needs none.
    if (this.allThrough || this.opened.includes(name)) {
      through();
      return;
    }
    const frame = this.place();
    const raw: RawGate = { id: ++this.ids, name, state: 'closed', moment: ++this.reporter.clock, held: true };
    if (detail !== undefined) raw.detail = detail;
    if (frame) raw.frame = frame;
    const nothing = (): void => undefined;
    this.gates.set(raw.id, { raw, effect: through, resolve: nothing, reject: nothing });
    this.reporter.addGate({ ...raw });
  }

  /** What is held under a name, or everything, is let through from now on. */
  letThrough(name: string | undefined): void {
    if (name === undefined) this.allThrough = true;
    else this.opened = [...this.opened, name];
    this.gates.forEach(({ raw }) => {
      if (raw.held && (name === undefined || raw.name === name)) this.open(raw.id);
    });
  }

  /** Lets the effect of a gate happen; false when there is none that waits. */
  open(id: number): boolean {
    const gate = this.gates.get(id);
    if (!gate || gate.raw.state !== 'closed') return false;
    void this.run(gate);
    return true;
  }

  private async run(gate: Gate): Promise<void> {
    const { raw } = gate;
    raw.state = 'open';
    const start = this.now();
    this.tell(gate);
    try {
      const value = await gate.effect();
      raw.state = 'done';
      raw.value = this.reporter.previewer.take(value, SHALLOW);
      raw.tookMs = this.now() - start;
      raw.moment = ++this.reporter.clock;
      this.reporter.holder.hold(raw.moment, 0, value);
      this.tell(gate);
      gate.resolve(value);
    } catch (error) {
      raw.state = 'failed';
      raw.tookMs = this.now() - start;
      raw.error = this.errors.read(error, 'thrown', ++this.reporter.clock).message;
      this.tell(gate);
      gate.reject(error);
    }
  }

  private tell(gate: Gate): void {
    this.reporter.addGate({ ...gate.raw });
  }
}

function fits(dial: RawDial, value: unknown): boolean {
  switch (dial.kind) {
    case 'range':
      return typeof value === 'number' && value >= dial.min! && value <= dial.max!;
    case 'choice':
      return dial.choices!.includes(value as string);
    case 'switch':
      return typeof value === 'boolean';
    case 'number':
      return typeof value === 'number' && value === value;
    default:
      return typeof value === 'string';
  }
}
