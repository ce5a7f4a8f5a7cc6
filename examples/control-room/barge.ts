import { heightAt, LENGTH, locks } from './locks.js';

/** Kilometres a frame. */
const SPEED = 0.012;
/** Part of a chamber that a frame fills or drains. */
const FILL = 0.006;

export class Barge {
  /** Kilometres from the sea. */
  at: number;
  /** 1 goes up, -1 comes down. */
  heading: 1 | -1 = 1;
  /** How far the chamber it lies in has taken it, from 0 to 1; undefined between locks. */
  lift: number | undefined;

  constructor(
    readonly name: string,
    readonly cargo: string,
    at: number,
  ) {
    this.at = at;
  }

  /** Metres above the sea. */
  get height(): number {
    if (this.lift === undefined) return heightAt(this.at);
    const lock = this.nextLock();
    const below = heightAt(lock ? lock.at - 0.01 : this.at);
    return below + (lock?.rise ?? 0) * (this.heading > 0 ? this.lift : 1 - this.lift);
  }

  nextLock() {
    return locks.find((lock) => Math.abs(lock.at - this.at) < 0.02);
  }

  advance(): void {
    const lock = this.nextLock();
    if (lock && this.lift === undefined) this.lift = 0;
    if (this.lift !== undefined && this.lift < 1) {
      this.lift += FILL;
      return;
    }
    this.lift = undefined;
    this.at += this.heading * (lock ? 0.05 : SPEED);
    if (this.at > LENGTH || this.at < 0) this.turn();
  }

  turn(): void {
    this.heading = this.heading > 0 ? -1 : 1;
    this.at = Math.min(LENGTH, Math.max(0, this.at));
  }
}
