/** The way of one run to its frame: what is said before the run is there waits for it. */
import type { ToFrame } from '../../wire/frames.js';
import type { FrameWay } from './frame-way.js';

type RunMessage = Extract<ToFrame, { type: 'run' }>;

export class RunWay {
  /** Number of the run in its frame. */
  readonly id: number;
  private readonly unsent: ToFrame[] = [];
  private message: RunMessage | undefined;
  /** The frame has been told of the run. */
  isThere = false;
  /** The frame has begun with it. */
  isTaken = false;
  /** Nobody wants it any more. */
  isOver = false;

  constructor(private readonly frame: FrameWay) {
    this.id = frame.nextRun();
  }

  /** The run is ready: it begins, as soon as there is a frame. */
  begin(message: RunMessage): void {
    this.message = { ...message, id: this.id };
    this.tryAgain();
  }

  /** A frame has come. @returns false where the run was there before */
  tryAgain(): boolean {
    if (this.isThere || this.isOver) return false;
    if (!this.message || !this.frame.send(this.message)) return true;
    this.isThere = true;
    for (const one of this.unsent.splice(0)) this.frame.send(one);
    return true;
  }

  /** The frame is lost. @returns true where it had not begun with the run, which goes to the next one then */
  lost(): boolean {
    if (this.isOver || this.isTaken) return false;
    this.isThere = false;
    return true;
  }

  took(id: number): void {
    if (id === this.id) this.isTaken = true;
  }

  /** Says something of the run. @returns false where it is not heard */
  say(message: ToFrame): boolean {
    if (this.isOver) return false;
    if (this.isThere) return this.frame.send(message);
    this.unsent.push(message);
    return true;
  }
}
