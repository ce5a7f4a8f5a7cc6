/**
 * The frames of a program, whether they are told or not. Which are active is known from the frames themselves: a step of
 * one that is not the last means that those above it are gone.
 */
import type { EarlyFrame, Standing } from '../../wire/opening.js';
import * as own from '../originals.js';

/** Frames whose function is known at most; older ones are overwritten. A power of two. */
const MOST = 1 << 21;
/** Frames that wait, and are known to. */
const MOST_WAITING = 10_000;

export class KnownFrames {
  /** Number of the last frame. */
  last = 0;
  /** Those that are active, the innermost last; the site of the statement where each stands, and that step's number. */
  private stack = new Int32Array(256);
  private standing = new Int32Array(256);
  private at = new Float64Array(256);
  private depth = 0;
  /** By number of the frame: itself, its function's site, the frame that called, the one the function was made in. */
  private made = {
    frame: new Int32Array(1024),
    site: new Int32Array(1024),
    caller: new Int32Array(1024),
    around: new Int32Array(1024),
  };
  /** Frames that wait, with where they do. */
  private readonly waiting = own.safeMap<number, Standing>();

  /** 0 where none is active. */
  get innermost(): number {
    return this.depth === 0 ? 0 : this.stack[this.depth - 1]!;
  }

  /** A function is entered. @returns the number of its frame */
  enter(site: number, around: number): number {
    const frame = ++this.last;
    if (frame >= this.made.frame.length && frame < MOST) this.grow();
    const { made } = this;
    const place = frame & (made.frame.length - 1);
    made.frame[place] = frame;
    made.site[place] = site;
    made.caller[place] = this.innermost;
    made.around[place] = around;
    this.push(frame);
    return frame;
  }

  /** A frame is the innermost from now on. @param frame 0 for the one that is active @returns it had waited */
  activate(frame: number): boolean {
    if (frame === 0 || (this.depth > 0 && this.stack[this.depth - 1] === frame)) return false;
    const at = this.placeOf(frame);
    if (at >= 0) {
      this.depth = at + 1;
      return false;
    }
    if (this.waiting.size > 0) this.waiting.delete(frame);
    this.push(frame);
    return true;
  }

  /** A frame is the innermost, and stands at a statement. @param frame 0 for the one that is active */
  pass(site: number, frame: number, step: number): void {
    if (this.depth === 0 || this.stack[this.depth - 1] !== frame) this.activate(frame);
    this.stand(site, step);
  }

  /** The innermost frame stands at a statement. @param step its number @returns the frame's number */
  stand(site: number, step: number): number {
    const last = this.depth - 1;
    if (last < 0) return 0;
    this.standing[last] = site;
    this.at[last] = step;
    return this.stack[last]!;
  }

  /** A frame ends. @param waits it goes on later */
  leave(frame: number, waits: boolean): void {
    const at = this.placeOf(frame);
    if (at < 0) return;
    this.depth = at;
    if (waits && this.waiting.size < MOST_WAITING) this.waiting.set(frame, this.place(at));
  }

  /** The frames that are active, the innermost last. */
  active(): Standing[] {
    const list: Standing[] = [];
    for (let i = 0; i < this.depth; i++) own.append(list, this.place(i));
    return list;
  }

  /** The frames that wait. */
  paused(): Standing[] {
    const list: Standing[] = [];
    this.waiting.forEach((one) => own.append(list, one));
    return list;
  }

  private place(at: number): Standing {
    return { frame: this.stack[at]!, site: this.standing[at]!, step: this.at[at]! };
  }

  /** What is known of a frame; undefined for one that was overwritten since. */
  of(frame: number): EarlyFrame | undefined {
    const { made } = this;
    const place = frame & (made.frame.length - 1);
    if (frame === 0 || made.frame[place] !== frame) return undefined;
    return { frame, site: made.site[place]!, caller: made.caller[place]!, around: made.around[place]! };
  }

  private placeOf(frame: number): number {
    for (let at = this.depth - 1; at >= 0; at--) if (this.stack[at] === frame) return at;
    return -1;
  }

  private push(frame: number): void {
    if (this.depth === this.stack.length) {
      this.stack = wider(this.stack);
      this.standing = wider(this.standing);
      const at = new Float64Array(this.depth * 2);
      at.set(this.at);
      this.at = at;
    }
    this.standing[this.depth] = -1;
    this.stack[this.depth++] = frame;
  }

  private grow(): void {
    const { frame, site, caller, around } = this.made;
    this.made = { frame: wider(frame), site: wider(site), caller: wider(caller), around: wider(around) };
  }
}

function wider(from: Int32Array): Int32Array<ArrayBuffer> {
  const to = new Int32Array(from.length * 2);
  to.set(from);
  return to;
}
