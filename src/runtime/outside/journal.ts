/**
 * What a program takes from outside. The first run writes it down; a run that repeats it is given the same, for as long
 * as it asks for the same in the same order. From where it does not, it gets what is outside now.
 */
import { type Answer, type Outside, Taken } from '../../wire/taken.js';
import * as own from '../originals.js';

/** A turn of the event loop: a timer fires, or a request has its answer. */
export interface Upcoming {
  /** Of the timer or request. */
  number: number;
  /** Steps of the program before it. */
  steps: number;
  answer?: Answer;
}

/** Entries that are written down at most: 17 bytes each. */
const MOST = 2_000_000;
/** Bytes of answers and the like. */
const MOST_BYTES = 64 * 1024 * 1024;

export class Journal {
  private kind = new Uint8Array(256);
  private number = new Float64Array(256);
  private at = new Float64Array(256);
  private rest: Outside['rest'] = [];
  /** Entries so far, those of them that were handed over, and the same of `rest`. */
  private readonly written = { entries: 0, handed: 0, rest: 0, bytes: 0 };
  /** Of what is given: by kind the next row, for turns that of timers. */
  private readonly cursors = [0, 0, 0, 0, 0];
  private isWhole = true;

  /**
   * @param steps how many steps of the program there were so far
   * @param given what a first run took; undefined for one that writes
   */
  constructor(
    private readonly steps: () => number,
    private given?: Outside,
  ) {}

  /** It gives what another run took. */
  get gives(): boolean {
    return this.given !== undefined;
  }

  /** So far all was written down, or given. */
  get whole(): boolean {
    return this.isWhole;
  }

  /** A number that the program reads. @param now what it is outside */
  take(kind: Taken, now: () => number): number {
    const at = this.find(kind);
    if (at >= 0) return this.given!.number[at]!;
    const number = now();
    this.write(kind, number);
    return number;
  }

  /** Bytes that the program reads. @param now what they are outside */
  takeBytes(now: () => Uint8Array): Uint8Array {
    const at = this.find(Taken.Bytes);
    if (at >= 0) return this.given!.rest[this.given!.number[at]!] as Uint8Array;
    const made = now();
    this.write(Taken.Bytes, this.add(made, made.length));
    return made;
  }

  /** A timer fires. */
  fired(number: number): void {
    this.write(Taken.Timer, number);
  }

  /** A request has its answer, which the program now gets. */
  answered(answer: Answer): void {
    this.write(Taken.Answer, this.add(answer, answer.body.length));
  }

  /** The turn of the event loop that comes next; undefined where none does. */
  get upcoming(): Upcoming | undefined {
    const { given, cursors } = this;
    if (!given) return undefined;
    let at = cursors[Taken.Timer]!;
    while (at < given.kind.length && given.kind[at]! < Taken.Timer) at++;
    cursors[Taken.Timer] = at;
    if (at >= given.kind.length) return undefined;
    const number = given.number[at]!;
    const answer = given.kind[at] === Taken.Answer ? (given.rest[number] as Answer) : undefined;
    return { number: answer?.request ?? number, steps: given.steps[at]!, ...(answer ? { answer } : {}) };
  }

  /** The turn that comes next has begun. */
  pass(): void {
    this.cursors[Taken.Timer]!++;
  }

  /** The program goes another way, or is behind what was written down: from here on it gets what is outside. */
  leave(): void {
    this.given = undefined;
    this.isWhole = false;
  }

  /**
   * The next entry of a kind that was taken at this step. Those of steps before it were taken by the platform for
   * itself, which does not do the same things again.
   */
  private find(kind: Taken): number {
    const { given, cursors } = this;
    if (!given) return -1;
    const steps = this.steps();
    let at = cursors[kind]!;
    while (at < given.kind.length && (given.kind[at] !== kind || given.steps[at]! < steps)) at++;
    cursors[kind] = at;
    if (at >= given.kind.length || given.steps[at] !== steps) return -1;
    cursors[kind] = at + 1;
    return at;
  }

  /** What was written down since the last time; undefined where that is nothing. */
  hand(): Outside | undefined {
    const { written } = this;
    const { handed, entries } = written;
    if (handed === entries) return undefined;
    const rows: Outside = {
      kind: this.kind.slice(handed, entries),
      number: this.number.slice(handed, entries),
      steps: this.at.slice(handed, entries),
      rest: this.rest,
    };
    this.rest = [];
    written.handed = entries;
    return rows;
  }

  private add(item: Outside['rest'][number], size: number): number {
    const { written } = this;
    written.bytes += size;
    if (written.bytes > MOST_BYTES) this.isWhole = false;
    else own.append(this.rest, item);
    return this.isWhole ? written.rest++ : -1;
  }

  private write(kind: Taken, number: number): void {
    const { written } = this;
    if (!this.isWhole || this.given) return;
    if (written.entries >= MOST) {
      this.isWhole = false;
      return;
    }
    if (written.entries === this.kind.length) this.widen();
    const row = written.entries++;
    this.kind[row] = kind;
    this.number[row] = number;
    this.at[row] = this.steps();
  }

  private widen(): void {
    const size = this.kind.length * 2;
    const wider = <T extends Uint8Array | Float64Array>(from: T, to: T): T => {
      to.set(from as never);
      return to;
    };
    this.kind = wider(this.kind, new Uint8Array(size));
    this.number = wider(this.number, new Float64Array(size));
    this.at = wider(this.at, new Float64Array(size));
  }
}
