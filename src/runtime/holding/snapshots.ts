/** What frames held when an error was thrown, for as long as the error is there. */
import type { RawHeld } from '../../wire/holding.js';
import type { PauseScope } from '../../wire/pausing.js';
import * as own from '../originals.js';
import type { OwnFrame, StoppedThread } from '../pausing/engine.js';
import { scopesOf } from '../pausing/scopes.js';
import { CONSOLE } from '../preview.js';
import type { Reporter } from '../reports/reporter.js';

type Frames = RawHeld['frames'];

/** Frames of one error whose variables are kept. */
const MOST_FRAMES = 20;
/** Scopes further out than the function: those of the module say little, and are many. */
const NEAR = new Set(['this', 'local', 'block', 'catch', 'closure']);

export class Snapshots {
  private readonly taken = own.safeWeakMap<object, Frames>();
  /** Of what is thrown and is no object: the last. */
  private lastPlain: { value: unknown; frames: Frames } | undefined;

  constructor(private readonly reporter: Reporter) {}

  /** An error is being thrown: only the first place counts, for it may be thrown on. */
  take(error: unknown, thread: StoppedThread, frames: readonly OwnFrame[]): void {
    const isObject = (typeof error === 'object' && error !== null) || typeof error === 'function';
    if (isObject && this.taken.has(error)) return;
    const { holder, previewer } = this.reporter;
    const list: Frames = [];
    for (let i = 0; i < frames.length && i < MOST_FRAMES; i++) {
      const { at, frame, version } = frames[i]!;
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
      own.append(list, { ...frame, version, moment, scopes: near });
    }
    if (isObject) this.taken.set(error, list);
    else this.lastPlain = { value: error, frames: list };
  }

  of(error: unknown): Frames {
    if ((typeof error === 'object' && error !== null) || typeof error === 'function')
      return this.taken.get(error) ?? [];
    return this.lastPlain && this.lastPlain.value === error ? this.lastPlain.frames : [];
  }
}
