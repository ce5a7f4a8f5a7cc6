/** How the frame of one run speaks with the frame around it, in the same thread. */
import type { FromRelay } from '../../../wire/messages.js';
import type { PointedPixel, ToFrame } from '../../../wire/frames.js';

/** Under this symbol the outer frame has its {@link FramePort}. */
export const PORT = Symbol.for('usher-anvil.frame');

/** Paths of what is ours on the page's own host. */
export const OWN_PATHS = '/@usher-anvil/';

export type RunMessage = Extract<ToFrame, { type: 'run' }>;

export interface FramePort {
  /** An inner frame is there, and takes what is said to it. */
  ready(inner: object, handle: (message: ToFrame) => void): void;
  tell(inner: object, message: FromRelay): void;
  /** It has executed to the end of its top level, or for some time; `failed`: that threw. */
  came(inner: object, failed: boolean): void;
  pointed(inner: object, pixel: PointedPixel | undefined): void;
  /** The keys are in the frame. */
  hasKeys(): boolean;
  /** A package that came along; undefined where it is fetched. @throws Error where it did not */
  carried?(specifier: string, from: string): Record<string, unknown>;
  /** Address of a package; rejects with why there is none. */
  find(specifier: string, from: string): Promise<string>;
}
