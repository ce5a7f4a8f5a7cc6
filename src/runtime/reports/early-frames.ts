/**
 * Where telling begins in the middle of a run: frames from before, and what their variables hold, as the engine has them.
 * What nothing refers to any more it has not.
 */
import type { EarlyFrame, Met, Opening } from '../../wire/opening.js';
import * as own from '../originals.js';
import { SHALLOW, type Previewer } from '../preview.js';
import type { KnownFrames } from './known-frames.js';

/** A call that is active: objects with the variables of its scopes, the innermost first; and its `this`. */
export interface CallScopes {
  scopes: object[];
  self: unknown;
}

/** Reads the variables of the calls that are active, at most so many from the innermost out. */
export type ReadScopes = (most: number) => CallScopes[];

/** The local that has the number of a frame; see `NAMES.frame` of the instrumentation. */
const FRAME = /^\$ua_*E\d+$/;
/** Variables that are told at once, at most. */
const MOST = 20_000;
const MOST_CALLS = 2_000;
/** Some of them are ours. */
const FEW_CALLS = 32;
/** How often frames that are met later are asked for their variables: each time stops the program for a moment. */
const MOST_READS = 64;

export class EarlyFrames {
  private begun = 1;
  private reads = 0;
  private readonly listed = own.safeMap<number, true>();
  /** Frames whose variables were told: all (true), or those alone that functions refer to. */
  private readonly read = own.safeMap<number, boolean>();

  constructor(
    private readonly frames: KnownFrames,
    private readonly scopes: ReadScopes | undefined,
    private readonly previewer: Previewer,
  ) {}

  /** @param clock the last moment @returns what is told, and the last moment that is taken by it */
  open(clock: number): { opening: Omit<Opening, 'steps'>; clock: number } {
    const { frames } = this;
    this.begun = frames.last + 1;
    const active = frames.active();
    const waiting = frames.paused();
    const listed: EarlyFrame[] = [];
    for (let i = 0; i < active.length; i++) this.list(active[i]!.frame, listed);
    for (let i = 0; i < waiting.length; i++) this.list(waiting[i]!.frame, listed);
    const variables = this.variables(MOST_CALLS, listed);
    const moment = clock + 1;
    return {
      opening: { moment, last: frames.last, frames: listed, active, waiting, variables },
      clock: moment + listed.length + active.length + waiting.length + variables.length,
    };
  }

  /** A frame from before is not known yet, or its variables are not. @param goesOn all of them are there now */
  isNew(frame: number, goesOn: boolean): boolean {
    if (frame === 0 || frame >= this.begun) return false;
    const known = this.read.get(frame);
    return known === undefined || (goesOn && !known);
  }

  /** A frame of which {@link isNew} holds goes on, or a function is called that was made in it. */
  meet(frame: number, goesOn: boolean, clock: number): Met {
    const listed: EarlyFrame[] = [];
    this.list(frame, listed);
    // Its own code is the innermost, and that of the function which was called.
    const variables = this.reads++ < MOST_READS ? this.variables(FEW_CALLS, listed) : [];
    this.read.set(frame, goesOn);
    return { frames: listed, variables, moment: clock + 1 };
  }

  private list(frame: number, to: EarlyFrame[]): void {
    const open = [frame];
    while (open.length > 0) {
      const at = open[open.length - 1]!;
      open.length--;
      const one = this.listed.has(at) ? undefined : this.frames.of(at);
      if (!one) continue;
      this.listed.set(at, true);
      own.append(to, one);
      own.append(open, one.caller);
      own.append(open, one.around);
    }
  }

  /** The program is not to hear of it where they cannot be read. */
  private calls(most: number): CallScopes[] {
    try {
      return this.scopes?.(most) ?? [];
    } catch {
      return [];
    }
  }

  private variables(most: number, listed: EarlyFrame[]): Met['variables'] {
    const found: Met['variables'] = [];
    const calls = this.calls(most);
    const seen = own.safeMap<string, true>();
    for (let i = 0; i < calls.length; i++) {
      const told: number[] = [];
      eachVariable(calls[i]!, (frame, name, value) => {
        const key = `${frame} ${name}`;
        if (frame >= this.begun || found.length >= MOST || this.read.get(frame) === true || seen.has(key)) return;
        seen.set(key, true);
        this.list(frame, listed);
        if (told[told.length - 1] !== frame) own.append(told, frame);
        own.append(found, { frame, name, value: this.previewer.take(value, SHALLOW) });
      });
      // Its own variables are all there, of the frames around it those that functions refer to.
      for (let k = 0; k < told.length; k++) if (this.read.get(told[k]!) !== true) this.read.set(told[k]!, k === 0);
    }
    return found;
  }
}

/** A variable of a scope; undefined for one that is not declared yet, which newer engines do not let be read. */
function described(scope: object, name: string): PropertyDescriptor | undefined {
  try {
    return own.getDescriptor(scope, name);
  } catch {
    return undefined;
  }
}

/** Names of scopes belong to the frame whose number is the next that is found on the way out. */
function eachVariable({ scopes, self }: CallScopes, tell: (frame: number, name: string, value: unknown) => void): void {
  let found: { name: string; value: unknown }[] = [{ name: 'this', value: self }];
  for (let i = 0; i < scopes.length; i++) {
    const scope = scopes[i]!;
    const keys = own.ownKeys(scope);
    let frame = 0;
    for (let k = 0; k < keys.length; k++) {
      const name = keys[k]!;
      if (typeof name !== 'string') continue;
      const descriptor = described(scope, name);
      if (!descriptor || !('value' in descriptor)) continue;
      if (own.test(FRAME, name)) frame = typeof descriptor.value === 'number' ? descriptor.value : 0;
      else own.append(found, { name, value: descriptor.value });
    }
    if (frame === 0) continue;
    for (let k = 0; k < found.length; k++) tell(frame, found[k]!.name, found[k]!.value);
    found = [];
  }
}
