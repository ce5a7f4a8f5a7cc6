/** What a comparison of two ways has come to: `usher-anvil/comparison@1`. */
import { z } from 'zod';
import { isValue, type Value } from '../wire/value.js';

export const COMPARISON_FORMAT = 'usher-anvil/comparison@1';

const value = z.custom<Value>((one) => isValue(one), 'no value');
const interval = z.object({
  value: z.number().describe('The middle, or the estimate.'),
  low: z.number(),
  high: z.number(),
});

const way = z.object({
  name: z.string().describe('How the way is called.'),
  file: z.string(),
  export: z.string(),
  revision: z.string().optional().describe('The text of the file is the one of this revision.'),
});

const times = z.object({
  ns: interval.describe(
    'Nanoseconds of one call: the middle of all processes; a tenth of them are below, a tenth above.',
  ),
  perSecond: z.number(),
  points: z.array(z.number()).describe('Nanoseconds of one call, one of each process.'),
  collections: z.number().describe('Collections of garbage in a thousand batches of calls.'),
  bytes: z.number().optional().describe('What one call allocates.'),
});

const equality = z.object({
  tried: z.number().describe('Inputs that both ways were called with.'),
  differing: z.number().describe('Of those, how many they differ for.'),
  smallest: z
    .object({
      part: z.enum(['result', 'error', 'input']).describe('What differs: what is given, thrown, or left of the input.'),
      input: value,
      differences: z.object({
        list: z
          .array(z.looseObject({ path: z.string(), expected: value.optional(), received: value.optional() }))
          .describe('Places that differ: `expected` is of the baseline, `received` of the candidate.'),
        more: z.number(),
        compared: z.number(),
        partial: z.literal(true).optional(),
      }),
    })
    .optional()
    .describe('The smallest input that was found for which they differ.'),
});

const timing = z.object({
  baseline: times,
  candidate: times,
  ratio: interval.describe(
    'Time of the candidate to that of the baseline, with its 95 % interval over pairs of processes.',
  ),
  verdict: z.enum(['faster', 'slower', 'cannot be told']).describe('What the candidate is.'),
  pairs: z.number(),
  tookMs: z.number(),
  ended: z.enum(['narrow', 'time']),
});

const curve = z.object({
  points: z.array(z.object({ size: z.number(), ns: z.number() })),
  exponent: z.number().describe('Time grows with this power of the size.'),
});

export const comparisonSchema = z.object({
  format: z.literal(COMPARISON_FORMAT),
  baseline: way,
  candidate: way,
  equality,
  timing: timing.optional().describe('Absent where it was not wanted.'),
  growth: z
    .object({
      baseline: curve,
      candidate: curve,
      crossing: z.number().optional().describe('The size from which on the other one is faster.'),
    })
    .optional(),
});
export type Comparison = z.infer<typeof comparisonSchema>;
export type ComparedWay = z.infer<typeof way>;

/** The schema of the format, as JSON Schema. */
export function comparisonJsonSchema(): object {
  return z.toJSONSchema(comparisonSchema, { unrepresentable: 'any' });
}
