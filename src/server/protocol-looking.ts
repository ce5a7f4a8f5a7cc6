/** What a window is told of a value that it opened. */
import type { View } from '../views/view.js';
import type { LookAnswer } from '../wire/looking.js';

/** A target's answer, with bytes as base64. */
export type LookedAnswer =
  | Exclude<LookAnswer, { is: 'bytes' | 'wide' }>
  | { is: 'bytes'; bytes: string; size: number; width?: number; height?: number }
  | (Extract<LookAnswer, { is: 'wide' }> & { views: View[] });
