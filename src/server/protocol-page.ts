/** What page and server say about pads that are pages. */
import { z } from 'zod';
import type { PointedPixel } from '../wire/frames.js';

/** From a window: an edit patches it (`keep`) or executes it anew (`renew`); load it anew; where the pad executes. */
export const pageAsked = z.object({
  type: z.literal('page'),
  do: z.enum(['keep', 'renew', 'reload', 'page', 'node']),
});

/** Where a page pad is to be seen; without `shown`, what runs is none. */
export interface PageMessage {
  type: 'page';
  shown?: {
    pad: string;
    /** First part of its host's name: the rest is `.localhost`, and the port of the workbench. */
    host: string;
    /** An edit patches it, and its state is kept. */
    keeps: boolean;
    /** The last run failed before it could be shown: what is seen is of the one before. */
    failed: boolean;
  };
}

/** The pixel of the page under a pointer; without `pixel`, it is on no canvas. */
export interface PointedMessage {
  type: 'pointed';
  pixel?: PointedPixel;
}
