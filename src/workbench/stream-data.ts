/** The points of the stream that is plotted. */

/** Points kept per stream: a thousand a second for five minutes. */
const KEPT = 300_000;

/** The points of the stream that is looked at; outside of React, which need not know of each. */
export class StreamData {
  /** Milliseconds since the run began, then the numbers. */
  points: number[][] = [];
  listener: (() => void) | undefined;

  add(points: readonly number[][], fresh: boolean): void {
    if (fresh) this.points = [];
    for (const point of points) this.points.push(point);
    if (this.points.length > KEPT) this.points.splice(0, this.points.length - KEPT);
    this.listener?.();
  }
}
