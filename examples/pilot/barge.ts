/** A barge that is steered: the reach bends, and who steers badly runs aground. */
export class Barge {
  /** Metres along the reach. */
  at = 0;
  /** Metres from the middle of the water; beyond 5 it is aground. */
  off = 0;
  /** Degrees against the bank; what the rudder turns. */
  heading = 2;
  rudder = 0;
  aground = 0;

  move(): void {
    this.heading += this.rudder + bend(this.at);
    this.at += 1;
    this.off += Math.sin((this.heading * Math.PI) / 180) * 2;
    if (Math.abs(this.off) > 5) {
      this.aground += 1;
      this.off = Math.sign(this.off) * 5;
      this.heading = 0;
    }
  }
}

/** Degrees that the reach turns in a metre. */
function bend(at: number): number {
  return Math.sin(at / 17) * 1.5;
}
