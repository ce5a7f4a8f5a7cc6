/** What the host of a page needs of the frame that shows it, and of the files that it is made of. */
import type { PageText } from '../../syntax/page-text.js';
import { type FramePage, type FromFrame, fromFrame, type PointedPixel, type ToFrame } from '../../wire/frames.js';
import { checkFromRelay, type FromRelay } from '../../wire/messages.js';

/** Who hears what a frame says. */
export interface FrameListener {
  /** What a run tells. */
  told(message: Exclude<FromRelay, { type: 'started' | 'ready' }>): void;
  /** What came is no message of ours. */
  garbled(why: string): void;
  /** A frame has a run that it was sent. */
  took(id: number): void;
  /** A run is seen. */
  painted(id: number, shown: boolean): void;
  /** The pointer is on a pixel of a canvas, or on none any more. */
  pointed(pixel: PointedPixel | undefined): void;
  /** A frame is there that has nothing yet. */
  came(): void;
  /** It does not answer, has grown too large, or is gone in the middle of a run. */
  lost(why: 'not-answering' | 'memory' | 'crashed', detail?: string): void;
}

/** A package as a module asks for it. */
export interface Wanted {
  specifier: string;
  from: string;
}

/** Where packages are, and why some are not: both by specifier and folder. */
export interface Bundled {
  packages: Record<string, string>;
  broken: Record<string, string>;
}

export interface FrameWay {
  /** Path of the page on its own host; empty where it has none. */
  address: string;
  listener: FrameListener | undefined;
  readonly packages: { bundle(wanted: readonly Wanted[]): Promise<Bundled> };
  /** A number for a run that no other run in this frame has. */
  nextRun(): number;
  /** @returns false where nobody is there to be told */
  send(message: ToFrame): boolean;
}

export interface PageSource {
  /** The pad as a page; undefined for a script. */
  pageOf(text: string): PageText | undefined;
  /** Names that classic scripts of the page declare, by file. */
  readonly globals: Record<string, string[]>;
  /** What comes along with it, where it can fetch nothing. */
  carriedWith?(page: PageText): FramePage['carried'];
}

/**
 * Tells a listener what a frame says; what is none of our messages is not believed.
 *
 * @returns what it says of itself; undefined for what a run tells
 */
export function hear(given: unknown, listener: FrameListener | undefined): FromFrame | undefined {
  const own = fromFrame.safeParse(given);
  if (own.success) {
    const { data } = own;
    if (data.type === 'took') listener?.took(data.id);
    if (data.type === 'painted') listener?.painted(data.id, data.shown);
    if (data.type === 'pointed') listener?.pointed(data.pixel);
    return data;
  }
  const checked = checkFromRelay(given);
  if (!checked.ok) listener?.garbled(checked.why);
  else if (checked.message.type !== 'started' && checked.message.type !== 'ready') listener?.told(checked.message);
  return undefined;
}
