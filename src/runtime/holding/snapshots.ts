/** What frames held when an error was thrown, for as long as the error is there. */
import type { RawHeld } from '../../wire/holding.js';
import type { PauseScope } from '../../wire/pausing.js';
import * as own from '../originals.js';
import type { RawFrame } from '../../wire/reports.js';
import type { OwnFrame, SteppingFunction, StoppedThread, There } from '../pausing/engine.js';
import { scopesOf } from '../pausing/scopes.js';
import { scopesAt } from '../pausing/there.js';
import { CONSOLE } from '../preview.js';
import type { Reporter } from '../reports/reporter.js';
import type { Stacks } from '../stacks.js';

type Frames = RawHeld['frames'];

const NOWHERE = { why: 'the call is over' };

/** Frames of one error whose variables are kept. */
const MOST_FRAMES = 20;
/** Scopes further out than the function: those of the module say little, and are many. */
const NEAR = new Set(['this', 'local', 'block', 'catch', 'closure']);

export class Snapshots {
  private readonly taken = own.safeWeakMap<object, Frames>();
  /** Of what is thrown and is no object: the last. */
  private lastPlain: { value: unknown; frames: Frames } | undefined;

  /** Of errors that have come through calls: the next of their frames. */
  private readonly next = own.safeWeakMap<object, number>();

  constructor(
    private readonly reporter: Reporter,
    private readonly stacks: Stacks,
  ) {}

  /** An error comes out of a call: the innermost first, so each finds its frame behind the one before. */
  passed(error: unknown, { name, file, first, last }: SteppingFunction, there: There): void {
    if (typeof error !== 'object' || error === null) return;
    const frames = this.stacks.of(error);
    const list = this.taken.get(error) ?? [];
    if (list.length >= MOST_FRAMES) return;
    let at = this.next.get(error) ?? 0;
    for (; at < frames.length; at++) {
      const frame = frames[at]!;
      if (frame.file === file && frame.line >= first && frame.line <= last && lastOf(frame.name) === name) break;
    }
    // The engine tells of some frames only: further out it is not known where the call stood.
    const beyond: RawFrame = { name, file, line: -1, character: -1, local: true, isAsync: false };
    const thread = { places: [], scopes: () => scopesAt(there), evaluate: () => NOWHERE };
    own.append(list, this.frame(frames[at] ?? beyond, true, thread, 0));
    this.next.set(error, at < frames.length ? at + 1 : at);
    this.taken.set(error, list);
  }

  /** An error is being thrown: only the first place counts, for it may be thrown on. */
  take(error: unknown, thread: StoppedThread, frames: readonly OwnFrame[]): void {
    const isObject = (typeof error === 'object' && error !== null) || typeof error === 'function';
    if (isObject && this.taken.has(error)) return;
    const list: Frames = [];
    for (let i = 0; i < frames.length && i < MOST_FRAMES; i++) {
      const { at, frame, version } = frames[i]!;
      own.append(list, this.frame(frame, version, thread, at));
    }
    if (isObject) this.taken.set(error, list);
    else this.lastPlain = { value: error, frames: list };
  }

  private frame(frame: RawFrame, version: boolean, thread: StoppedThread, at: number): Frames[number] {
    const { holder, previewer } = this.reporter;
    const moment = ++this.reporter.clock;
    let part = 0;
    const scopes = scopesOf(thread, at, (value) => {
      holder.hold(moment, part, value);
      return { value: previewer.take(value, CONSOLE), part: part++ };
    });
    const near: PauseScope[] = [];
    for (let k = 0; !('why' in scopes) && k < scopes.length; k++) {
      const isModule = k === scopes.length - 1 && scopes[k]!.kind === 'closure';
      if (NEAR.has(scopes[k]!.kind) && !isModule) own.append(near, scopes[k]!);
    }
    return { ...frame, version, moment, scopes: near };
  }

  of(error: unknown): Frames {
    if ((typeof error === 'object' && error !== null) || typeof error === 'function')
      return this.taken.get(error) ?? [];
    return this.lastPlain && this.lastPlain.value === error ? this.lastPlain.frames : [];
  }
}

/** `fill` of `Lock.fill`. */
function lastOf(name: string): string {
  return own.exec(/[^. ]*$/, name)![0];
}
