/** What comes into a program from outside its text: data, dials, gates, values kept from earlier runs. */
import type { GateOutcome } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import type { RawGate } from '../wire/reports.js';
import type { InputData, RunAsked, StepOrder, TestOrder } from '../wire/runs.js';
import { KeptValues } from './kept-values.js';
import type { Linked } from './linked.js';
import type { SessionOptions, SessionParts } from './options.js';

export class Surroundings {
  readonly dials = new Map<string, string | number | boolean>();
  private readonly through = new Set<string>();
  private allThrough = false;
  private input: InputData | undefined;
  readonly kept: KeptValues;
  /** How often data was handed over. */
  private inputs = 0;
  /** What came of gates when they were last opened, by name. */
  private readonly outcomes = new Map<string, GateOutcome & { at: number }>();

  constructor(
    private readonly options: SessionOptions,
    private readonly parts: Pick<SessionParts, 'files' | 'clock'>,
  ) {
    this.input = options.input;
    this.kept = new KeptValues(() => parts.clock.now());
  }

  /** What a careful run holds under a name, or everything, is let through in this session. */
  letThrough(name: string | undefined): void {
    if (name === undefined) this.allThrough = true;
    else this.through.add(name);
  }

  setInput(data: InputData | undefined): void {
    this.input = data;
    this.inputs++;
  }

  /** What is asked of a run besides its modules. */
  asked(linked: Linked, tests: TestOrder | undefined, steps?: StepOrder): RunAsked {
    const input = this.inputOf(linked);
    return {
      ...(tests || this.options.reach ? { tests: { reuse: [], ...tests, reach: this.options.reach === true } } : {}),
      ...(linked.framework ? { framework: linked.framework } : {}),
      controls: {
        dials: Object.fromEntries(this.dials),
        open: [...(this.options.open ?? []), ...this.through],
        ...(this.allThrough ? { letThrough: true } : {}),
      },
      ...(steps ? { steps, clean: true } : {}),
      ...(this.options.pixel ? { pixel: this.options.pixel } : {}),
      ...(this.options.alone ? { alone: true } : {}),
      ...(input ? { input } : {}),
      ...(this.options.result ? { result: true } : {}),
    };
  }

  /** The data that a program reads. */
  inputOf(linked: Linked): InputData | undefined {
    if (this.input) return this.input;
    return linked.data === undefined
      ? undefined
      : { name: linked.data, file: this.parts.files.beside(this.options.file, linked.data) };
  }

  /** Data and dials as one text: kept values depend on it. */
  key(linked: Linked): string {
    const data = this.inputOf(linked);
    const stamp =
      data === undefined
        ? ''
        : 'file' in data
          ? `${data.file} ${this.parts.files.stamp(data.file)}`
          : `bytes ${this.inputs}`;
    return `${stamp}\n${JSON.stringify([...this.dials].sort(([a], [b]) => (a < b ? -1 : 1)))}\n`;
  }

  /** Notes what came of a gate. */
  note(gate: RawGate): void {
    if (gate.state !== 'done' && gate.state !== 'failed') return;
    const text = gate.state === 'failed' ? (gate.error ?? 'failed') : gate.value ? valueText(gate.value, 80) : '';
    this.outcomes.set(gate.name, { state: gate.state, text, ageMs: 0, at: this.parts.clock.now() });
  }

  /** What came of a gate of a name when it was last opened. */
  outcome(name: string): GateOutcome | undefined {
    const known = this.outcomes.get(name);
    return known && { state: known.state, text: known.text, ageMs: this.parts.clock.now() - known.at };
  }
}
