/** What every pass of deciding is given. */
import type { Change } from '../change.js';
import type { Decisions } from '../decisions.js';
import type { LateNames } from '../late-names.js';

export interface Deciding {
  readonly change: Change;
  readonly names: LateNames;
  readonly decisions: Decisions;
}
