/** What a window is told of a value that it opened. */
import type { View } from '../views/view.js';
import type { LookAnswer } from '../wire/looking.js';

/** A target's answer, with bytes as base64. */
export type LookedAnswer =
  | Exclude<LookAnswer, { is: 'bytes' | 'wide' }>
  | { is: 'bytes'; bytes: string; size: number; width?: number; height?: number }
  | (Extract<LookAnswer, { is: 'wide' }> & { views: View[] });

/** One of a chain of calls. */
export interface StageMessage {
  name: string;
  /** `1,204 items`, `3,400 characters`. */
  size: string;
  text: string;
  moment: number;
  openable: boolean;
}

/** Of a name that the pointer rests on. */
export interface HoveredMessage {
  type: 'hovered';
  ask: number;
  path: string;
  text: string;
  detail: string;
  stages: StageMessage[];
  openable: boolean;
  moment: number;
  views: View[];
}
