/** A page pad as it is shown. */
import type { PageText } from '../../syntax/page-text.js';
import type { PageFrame } from '../../hosts/pages/index.js';

export interface ShownPage {
  file: string;
  /** What it was told last; of a script nothing. */
  told: PageText;
  frame: PageFrame;
  /** An edit patches it, and its state is kept. */
  keeps: boolean;
  /** The last run failed before it could be shown: what is seen is of the one before. */
  failed: boolean;
  /** Why the last frame was given up; undefined once another one runs. */
  lost?: true;
}
