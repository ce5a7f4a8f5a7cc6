/**
 * Schemas of what a client says beside the open protocol: it draws more than that has words for, values beside the lines
 * and the rail as decorations, selected values, panels of the workbench, pads from templates. Documented in
 * docs/editors.md; a client that knows none of it is told none of it.
 */
import { z } from 'zod';
import { toServer } from '../server/protocol.js';

const uri = z.string().min(1).max(4_096);

/** What a client says of itself when it begins, in `initializationOptions`; also by `workspace/didChangeConfiguration`. */
export const clientOptions = z.object({
  /** It draws values and the rail itself: it gets `usher-anvil/lane` and no hints, symbols or tokens. */
  lane: z.boolean().optional(),
  /** It has a command `usherAnvil.walk` that walks back from a failed test: lenses give it `uri` and `path`. */
  walks: z.boolean().optional(),
  /** Lenses are shown. On by default. */
  lenses: z.boolean().optional(),
  /** A live program takes what is typed: at each save, or at each edit as well. */
  patch: z.enum(['save', 'edit']).optional(),
});
export type ClientOptions = z.infer<typeof clientOptions>;

/** Lines that are on the screen, the last not included: they are told first. */
export const sees = z.object({ uri, from: z.int().min(0), to: z.int().min(0) });
export type SeesParams = z.infer<typeof sees>;

/** What a selected expression gave. Offsets in the text with `\n` for all line ends. */
export const select = z.object({ uri, start: z.int().min(0), end: z.int().min(0), version: z.int() });

/** The name of a file that messages of panels have. */
export const nameOf = z.object({ uri });

/** A pad from a template; one of no name is empty. */
export const template = z.object({ name: z.string().max(200) });

/** A panel of the workbench that looks at a file says something to its bench, or leaves it (`null`). */
export const panel = z.object({ panel: z.int().min(0), uri, message: toServer.nullable() });
export type PanelParams = z.infer<typeof panel>;

/** Does something with a call that is held in a program, or switches the program to holding. */
export const doHeld = z.object({
  /** The address of its door. */
  program: z.string().min(1).max(4_096),
  id: z.int().min(1).optional(),
  do: z.enum(['again', 'give', 'fail', 'drop', 'write', 'off', 'on', 'auto']),
  /** What is given. */
  text: z.string().max(100_000).optional(),
});
export type HeldAsked = z.infer<typeof doHeld>;
