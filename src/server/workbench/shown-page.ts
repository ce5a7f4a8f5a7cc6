/** A page pad as it is shown. */
import type { PageFrame } from '../../hosts/pages/index.js';

export interface ShownPage {
  file: string;
  /** The text that it was told last. */
  text: string;
  frame: PageFrame;
  /** An edit patches it, and its state is kept. */
  keeps: boolean;
  /** The last run failed before it could be shown: what is seen is of the one before. */
  failed: boolean;
  /** Why the last frame was given up; undefined once another one runs. */
  lost?: true;
}
