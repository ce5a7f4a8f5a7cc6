/** A value that stands open in the inspector. */
export interface OpenValue {
  moment: number;
  part: number;
  /** How code reaches it. */
  path: string;
  /** What it was when it was reported. */
  then: string;
}
