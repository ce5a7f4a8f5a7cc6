/** What a client gives with a launch or an attachment. */
import { z } from 'zod';
import type { DebuggedProgram, ProgramListener } from './live/program.js';

/** What a client may ask of a launch; documented in docs/editors.md. */
export const launchArguments = z.object({
  program: z.string().min(1),
  cwd: z.string().optional(),
  args: z.array(z.string()).optional(),
  env: z.record(z.string(), z.string()).optional(),
  /** A test by its name, with the suites around it: `fares > a discount`. */
  test: z.string().min(1).optional(),
  /** Where one begins: at the failure, or at the first step. */
  stopOnEntry: z.boolean().optional(),
  noDebug: z.boolean().optional(),
  /** Milliseconds after which a run is ended; what it did until then can be walked through. */
  timeLimit: z.number().positive().optional(),
  /** Text of the program in place of that on disk. */
  text: z.string().optional(),
  /** A program that runs on, and is stopped and changed meanwhile; not a pad that is walked through. */
  live: z.boolean().optional(),
  /** Of a program: calls that fail are held. */
  hold: z.enum(['on', 'auto']).optional(),
  /** That with which the server was started, where it was. */
  token: z.string().optional(),
});

/** What a client may ask of an attachment. */
export const attachArguments = z.object({
  /** Name of a live program, or the address of its door. */
  name: z.string().min(1),
  /** What the door asks for; not needed for programs of this person on this machine. */
  doorToken: z.string().optional(),
  token: z.string().optional(),
});

/** Reaches a live program. */
export type JoinProgram = (
  asked: { name: string; doorToken?: string | undefined },
  listener: ProgramListener,
) => Promise<DebuggedProgram>;

export const WRONG_TOKEN = 'The token is missing or wrong: give the one that the server was started with.';
export type LaunchArguments = Omit<z.infer<typeof launchArguments>, 'token'>;
