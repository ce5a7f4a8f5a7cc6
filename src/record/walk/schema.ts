/** A walk as JSON, `usher-anvil/walk@1`: one definition for types, checks and the published JSON Schema. */
import { z } from 'zod';
import { WALK_FORMAT } from './walk.js';

const position = z.object({ line: z.int().min(0), character: z.int().min(0) });
const range = z.object({ start: position, end: position });

export const walkSchema = z.object({
  format: z.literal(WALK_FORMAT),
  /** The pad. */
  file: z.string(),
  files: z.array(z.string()),
  /** Steps and frames before these that are not kept: the run was longer than its budget of memory. */
  folded: z.object({ steps: z.int().min(0), frames: z.int().min(0) }),
  /** Statements that frames came by, in order. `file`: place in `files`; `frame`: number of the frame, 0 for none. */
  steps: z.array(z.object({ file: z.int().min(0), range, frame: z.int().min(0), moment: z.number() })),
  /** Activations of functions, by their numbers from 1. */
  frames: z.array(
    z.object({
      number: z.int().min(1),
      name: z.string(),
      file: z.int().min(0),
      range,
      caller: z.int().min(0),
      around: z.int().min(0),
      entered: z.number(),
      left: z.number().optional(),
      how: z.enum(['goes on', 'returned', 'threw', 'waits']),
    }),
  ),
  /** Where one begins to walk: the step of the first failure, or the last. -1 where there is none. */
  from: z.int().min(-1),
  /** What the code sees there. */
  variables: z.array(z.object({ name: z.string(), value: z.string(), frame: z.int(), moment: z.number() })),
});
export type WalkJson = z.infer<typeof walkSchema>;

/** The published JSON Schema. */
export function walkJsonSchema(): object {
  return {
    $id: WALK_FORMAT,
    title: 'A walk of Usher Anvil, version 1',
    ...z.toJSONSchema(walkSchema, { io: 'output' }),
  };
}
