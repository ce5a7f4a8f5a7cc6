/** Which of the engine's stops is the end of a step, and which frames of a stopped thread are the person's. */
import type { Going } from '../../wire/pausing.js';
import type { RawFrame } from '../../wire/reports.js';
import { callerOf, type Caller } from '../holding/callers.js';
import * as own from '../originals.js';
import type { Stacks } from '../stacks.js';
import type { EngineGoing, OwnFrame, StoppedThread } from './engine.js';

/** Stops of the engine within one step: a loop on one line has many. */
const MOST_STOPS = 100_000;

/** The person's frames, the innermost first. */
export function ownFrames({ places }: StoppedThread, stacks: Stacks): OwnFrame[] {
  const frames: OwnFrame[] = [];
  let inVersion: OwnFrame | undefined;
  for (let at = 0; at < places.length; at++) {
    const found = stacks.locate(places[at]!, inVersion?.frame.file);
    if (found === 'point') {
      // Where the call of a version began.
      inVersion!.entry = at;
      continue;
    }
    // Ours stands between a version and its patch point.
    if (found === undefined) continue;
    if (!found.frame.local) {
      inVersion = undefined;
      continue;
    }
    const own_: OwnFrame = { at, entry: at, ...found };
    own.append(frames, own_);
    inVersion = found.version ? own_ : undefined;
  }
  return frames;
}

/** Who has called the outermost of the person's frames. */
export function callerOutside({ places }: StoppedThread, frames: readonly OwnFrame[], stacks: Stacks): Caller {
  const below: RawFrame[] = [];
  const last = frames[frames.length - 1];
  for (let at = (last?.entry ?? -1) + 1; at < places.length; at++) {
    const found = stacks.locate(places[at]!, undefined);
    if (found !== undefined && found !== 'point') own.append(below, found.frame);
  }
  return callerOf(below);
}

type Plain = 'on' | 'over' | 'into' | 'out';

export class Stepping {
  private stops = 0;

  private constructor(
    private readonly how: 'over' | 'into' | 'out' | 'to' | 'soon' | 'again',
    private readonly from: { file: string; line: number; depth: number } | undefined,
    private readonly to: number,
  ) {}

  static from(going: Going, { places }: StoppedThread, frames: readonly OwnFrame[]): Stepping {
    const top = frames[0]!;
    const from = { file: top.frame.file, line: top.frame.line, depth: places.length - top.at };
    return new Stepping(going.how === 'on' ? 'over' : going.how, from, going.how === 'to' ? going.line : -1);
  }

  /** Until the next statement of the person. */
  static soon(): Stepping {
    return new Stepping('soon', undefined, -1);
  }

  /** A call that begins anew goes on by itself. */
  static again(): Stepping {
    return new Stepping('again', undefined, -1);
  }

  /** @returns how the engine is to go on, or undefined where the step has come to its end */
  next(thread: StoppedThread, frames: readonly OwnFrame[]): EngineGoing | undefined {
    const how = this.goesOn(thread, frames);
    return how && { how };
  }

  private goesOn({ places }: StoppedThread, frames: readonly OwnFrame[]): Plain | undefined {
    const { how, from } = this;
    if (how === 'again') return 'on';
    if (++this.stops > MOST_STOPS) return undefined;
    const top = frames[0];
    // In code that is not the person's, or at a patch point, which leads into the version.
    if (!top || top.at > 0)
      return how === 'into' || how === 'soon' ? 'into' : top ? this.below(places.length - top.at) : 'out';
    if (top.isOurs) return how === 'into' || how === 'soon' ? 'into' : 'over';
    if (!from) return undefined;
    const { file, line } = top.frame;
    const depth = places.length - top.at;
    const isThere = file === from.file && line === from.line && depth === from.depth;
    // A place that was to catch the step is met in a call further in.
    if (how === 'over' && depth > from.depth) return 'out';
    if (how === 'to') return depth < from.depth || (file === from.file && line === this.to) ? undefined : 'over';
    if (how === 'out') return depth < from.depth ? undefined : 'out';
    return isThere ? (how === 'into' ? 'into' : 'over') : undefined;
  }

  private below(depth: number): Plain {
    return this.from && depth < this.from.depth ? 'out' : 'over';
  }
}
