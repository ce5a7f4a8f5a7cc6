/** The schema of what a program takes from outside. */
import { z } from 'zod';
import { bytes, numbers } from './arrays.js';
import type { Answer, Outside } from './taken.js';

const answer: z.ZodType<Answer> = z.object({
  request: z.number(),
  error: z.string().optional(),
  name: z.string().optional(),
  url: z.string(),
  redirected: z.boolean(),
  status: z.number(),
  statusText: z.string(),
  headers: z.array(z.tuple([z.string(), z.string()])),
  body: bytes,
});

export const outside: z.ZodType<Outside> = z.object({
  kind: bytes,
  number: numbers,
  steps: numbers,
  rest: z.array(z.union([bytes, answer])),
});
