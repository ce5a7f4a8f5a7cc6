/** What a client may ask by a command, with the schema of its one argument. */
import { z } from 'zod';

const uri = z.string().min(1).max(4_096);
const line = z.int().min(0);
const ofFile = z.object({ uri });
const atLine = z.object({ uri, line });

export const commands = {
  /** Runs a file as a pad, now and at each edit; it is remembered. */
  'usher-anvil.run': ofFile,
  /** Runs it no more, and not when it is opened again. */
  'usher-anvil.rest': ofFile,
  /** Ends the run in progress. */
  'usher-anvil.stop': ofFile,
  /** When it runs from now on. */
  'usher-anvil.when': z.object({ uri, when: z.enum(['edit', 'save', 'command']) }),
  /** What changes something outside is held from now on, or not. */
  'usher-anvil.careful': z.object({ uri, on: z.boolean() }),
  /** Runs one test or suite alone, by its names from the outermost in. */
  'usher-anvil.test': z.object({ uri, path: z.array(z.string().max(1_000)).min(1).max(50) }),
  'usher-anvil.openGate': z.object({ uri, id: z.int().min(0) }),
  /** Lets through what a careful run holds: all of it, or what has this name. */
  'usher-anvil.letThrough': z.object({ uri, name: z.string().max(400).optional() }),
  /** Forgets what is kept over runs, and runs. */
  'usher-anvil.drop': ofFile,
  /** Of a live program: has the function at a line report its values. */
  'usher-anvil.look': atLine,
  'usher-anvil.shut': ofFile,
  /** Of a live program: evaluates in its module; without `text`, the statement at the line. Gives {@link Evaluated}. */
  'usher-anvil.evaluate': z.object({ uri, line, text: z.string().max(1_000_000).optional() }),
  /** Of a live program: takes the text that is not saved, or takes its last change back. */
  'usher-anvil.apply': ofFile,
  'usher-anvil.undo': ofFile,
  'usher-anvil.runWaiting': z.object({ uri, line: line.optional() }),
  /** A pad that calls the function at a place. Gives `{ text, languageId }`. */
  'usher-anvil.try': z.object({ uri, line, character: z.int().min(0) }),
  /** Tells beside each import what its package costs when it is bundled. */
  'usher-anvil.sizes': ofFile,
  'usher-anvil.add': z.object({ uri, package: z.string().min(1).max(300) }),
} as const;

export type CommandName = keyof typeof commands;
export type CommandArguments = { [Name in CommandName]: z.infer<(typeof commands)[Name]> };

export const COMMAND_NAMES = Object.keys(commands) as CommandName[];
