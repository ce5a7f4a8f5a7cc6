/** What a page's frame is told, and what it tells beside what every pad tells. */
import { z } from 'zod';
import type { HoldRequest } from './holding.js';
import type { LookRequest, NamesRequest } from './looking.js';
import type { Resolved } from './messages.js';
import type { Action, LiveChange, ModuleCode } from './modules.js';
import type { PauseRequest } from './pausing.js';
import type { RunAsked } from './runs.js';

/** The page around a run. */
export interface FramePage {
  /** Path of the page on its own host, with `/`; empty where it has none. */
  address: string;
  /** The document without its scripts; empty for a pad that is a script alone. */
  html: string;
  /** Scripts from elsewhere that are loaded before ours, in order. */
  outside: string[];
  /** Names that classic scripts declare, by file: they are global. */
  globals: Record<string, string[]>;
  /** Addresses of packages, by specifier and folder: `react\n/home/…`. */
  packages: Record<string, string>;
  /** Why one of them could not be made, by the same key. */
  broken: Record<string, string>;
  /** The default export of the first file is a component, to be mounted in the way of this library. */
  mounts?: string;
  /** What it can fetch from nowhere, by address as the page has it: style sheets, scripts, data of pictures. */
  carried?: {
    sheets: Record<string, string>;
    scripts: Record<string, string>;
    pictures: Record<string, string>;
  };
}

/** The server to a frame. */
export type ToFrame =
  | { type: 'page'; address: string }
  | { type: 'run'; id: number; entry: string; modules: ModuleCode[]; asked: RunAsked; live: boolean; page: FramePage }
  | { type: 'cancel'; id: number }
  | { type: 'ping' }
  /** Style sheets by address, and the texts of all `<style>` elements in order. */
  | { type: 'styles'; sheets: Record<string, string>; own: string[] }
  | { type: 'resolved'; id: number; ask: number; answer: Resolved }
  | { type: 'change'; id: number; ask: number; change: LiveChange }
  | { type: 'act'; id: number; action: Action }
  | { type: 'pause'; id: number; ask: number; request: PauseRequest }
  | { type: 'hold'; id: number; ask: number; request: HoldRequest }
  | { type: 'look'; id: number; ask: number; request: LookRequest | NamesRequest };

const byte = z.int().min(0).max(255);

/** The pixel of a canvas under the pointer. */
const pointedPixel = z.object({
  x: z.int().min(0),
  y: z.int().min(0),
  /** Red, green, blue, alpha; absent where the browser does not tell. */
  colour: z.tuple([byte, byte, byte, byte]).optional(),
  /** The number that a painted colour stands for. */
  value: z.number().optional(),
});
export type PointedPixel = z.infer<typeof pointedPixel>;

/** What a frame tells of itself. */
export const fromFrame = z.discriminatedUnion('type', [
  z.object({ type: z.literal('hello') }),
  /** It answers; `megabytes` of its heap, where the browser tells. */
  z.object({ type: z.literal('pong'), megabytes: z.number().optional() }),
  /** It has a run, and executes it now. */
  z.object({ type: z.literal('took'), id: z.int() }),
  /** A run is shown from now on, or the one before it stays. */
  z.object({ type: z.literal('painted'), id: z.int(), shown: z.boolean() }),
  /** The pointer is on a pixel of a canvas, or on none any more. */
  z.object({ type: z.literal('pointed'), pixel: pointedPixel.optional() }),
]);
export type FromFrame = z.infer<typeof fromFrame>;
