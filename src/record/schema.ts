/**
 * The schema of a record as JSON: one definition for types, checks and the published JSON Schema. Apart from what
 * writes records: to load it takes a while.
 */
import { z } from 'zod';
import { RECORD_FORMAT, type RecordError } from './record.js';
import type { Value } from '../wire/value.js';

const position = z.object({ line: z.int().min(0), character: z.int().min(0) });
const range = z.object({ start: position, end: position });

const value: z.ZodType<Value> = z.lazy(() =>
  z.object({
    type: z.enum(['undefined', 'null', 'boolean', 'number', 'bigint', 'string', 'symbol', 'function', 'object']),
    text: z.string().optional(),
    form: z
      .enum([
        'array',
        'map',
        'set',
        'typed',
        'buffer',
        'date',
        'regexp',
        'element',
        'error',
        'promise',
        'proxy',
        'weak',
        'iterator',
        'boxed',
        'class',
        'getter',
        'module',
      ])
      .optional(),
    class: z.string().optional(),
    size: z.number().optional(),
    entries: z.array(z.object({ key: z.string().optional(), value })).optional(),
    more: z.number().optional(),
    state: z.enum(['pending', 'fulfilled', 'rejected']).optional(),
    late: z.literal(true).optional(),
    failed: z.literal(true).optional(),
  }),
) as z.ZodType<Value>;

const frame = z.object({
  name: z.string(),
  file: z.string(),
  range,
  local: z.boolean(),
  isAsync: z.literal(true).optional(),
});
const error: z.ZodType<RecordError> = z.lazy(() =>
  z.object({
    kind: z.enum(['syntax', 'thrown', 'rejection', 'uncaught', 'resolve']),
    moment: z.number(),
    name: z.string(),
    message: z.string(),
    code: z.string().optional(),
    package: z.string().optional(),
    file: z.string(),
    range,
    frames: z.array(frame),
    value: value.optional(),
    expected: value.optional(),
    received: value.optional(),
    operator: z.string().optional(),
    differences: z
      .object({
        list: z.array(
          z.object({
            path: z.string(),
            received: value.optional(),
            expected: value.optional(),
            text: z
              .object({ at: z.int(), line: z.int().optional(), received: z.string(), expected: z.string() })
              .optional(),
            note: z.string().optional(),
          }),
        ),
        more: z.int(),
        compared: z.int(),
        partial: z.literal(true).optional(),
      })
      .optional(),
    cause: error.optional(),
    errors: z.array(error).optional(),
  }),
) as z.ZodType<RecordError>;

/** The one definition of the format: types, checks and the published JSON Schema come from it. */
export const recordSchema = z.object({
  format: z.literal(RECORD_FORMAT),
  file: z.string(),
  outcome: z.enum(['ok', 'failed', 'syntax', 'stopped']),
  durationMs: z.number().min(0),
  exitCode: z.int().optional(),
  target: z.enum(['worker', 'process', 'page', 'none']),
  sites: z.array(z.object({ id: z.int().min(0), kind: z.string(), file: z.string(), range, name: z.string() })),
  samples: z.array(z.object({ site: z.int().min(0), visit: z.number().min(1), moment: z.number().min(1), value })),
  lines: z.array(
    z.object({
      line: z.int().min(0),
      state: z.enum(['ran', 'partly', 'never', 'failed']),
      hits: z.number().min(0),
      file: z.string(),
      missing: z.array(z.string()).optional(),
    }),
  ),
  console: z.array(
    z.object({
      moment: z.number(),
      time: z.number(),
      level: z.string(),
      method: z.string(),
      text: z.string(),
      args: z.array(value),
      indent: z.number(),
      file: z.string().optional(),
      range: range.optional(),
      frames: z.array(frame).optional(),
      table: z.object({ columns: z.array(z.string()), rows: z.array(z.array(z.string())) }).optional(),
      where: z.string().optional(),
    }),
  ),
  errors: z.array(error),
  tests: z.array(
    z.object({
      name: z.string(),
      path: z.array(z.string()),
      state: z.enum(['passed', 'failed', 'skipped', 'todo', 'running']),
      file: z.string(),
      line: z.int().min(0),
      durationMs: z.number().min(0),
      moment: z.number(),
      suite: z.boolean(),
      id: z.int(),
      parent: z.int(),
      lastLine: z.int().min(0),
      passed: z.boolean(),
      error: error.optional(),
      failure: z.enum(['code', 'hook', 'timeout', 'cancelled', 'subtests', 'plan', 'parent-ended']).optional(),
      leftOut: z.enum(['one-asked', 'only']).optional(),
      reason: z.string().optional(),
      notes: z.array(z.string()).optional(),
      reused: z.literal(true).optional(),
      inPad: z.enum(['passed', 'failed', 'skipped', 'todo', 'running', 'absent']).optional(),
      onlyInPad: z.literal(true).optional(),
    }),
  ),
  keptPackages: z.literal(true).optional(),
  ownRun: z
    .object({
      framework: z.string(),
      state: z.enum(['running', 'done', 'failed']),
      instead: z.string().optional(),
      problem: z.string().optional(),
      durationMs: z.number().optional(),
      differing: z.int().min(0),
    })
    .optional(),
  waits: z.array(
    z.object({ file: z.string(), line: z.int().min(0), character: z.int().min(0), since: z.number(), count: z.int() }),
  ),
  timers: z.array(
    z.object({
      repeats: z.boolean(),
      delay: z.number(),
      fired: z.int(),
      since: z.number(),
      file: z.string().optional(),
      line: z.int().min(0).optional(),
    }),
  ),
  dials: z.array(
    z.object({
      name: z.string(),
      kind: z.enum(['range', 'number', 'choice', 'colour', 'text', 'switch']),
      value: z.union([z.string(), z.number(), z.boolean()]),
      initial: z.union([z.string(), z.number(), z.boolean()]),
      min: z.number().optional(),
      max: z.number().optional(),
      step: z.number().optional(),
      choices: z.array(z.union([z.string(), z.number(), z.boolean()])).optional(),
      file: z.string().optional(),
      line: z.int().min(0).optional(),
    }),
  ),
  gates: z.array(
    z.object({
      name: z.string(),
      state: z.enum(['closed', 'open', 'done', 'failed']),
      file: z.string().optional(),
      line: z.int().min(0).optional(),
      value: value.optional(),
      error: z.string().optional(),
      tookMs: z.number().optional(),
    }),
  ),
  requests: z.array(
    z.object({
      moment: z.number(),
      by: z.enum(['fetch', 'http']),
      method: z.string(),
      url: z.string(),
      state: z.enum(['open', 'done', 'failed']),
      since: z.number(),
      file: z.string().optional(),
      line: z.int().min(0).optional(),
      status: z.int().optional(),
      statusText: z.string().optional(),
      sent: z.array(z.tuple([z.string(), z.string()])).optional(),
      got: z.array(z.tuple([z.string(), z.string()])).optional(),
      headMs: z.number().optional(),
      tookMs: z.number().optional(),
      size: z.int().optional(),
      body: value.optional(),
      bodyCut: z.boolean().optional(),
      error: z.string().optional(),
    }),
  ),
  stop: z
    .object({
      reason: z.string(),
      message: z.string(),
      code: z.union([z.number(), z.string()]).optional(),
      file: z.string().optional(),
      range: range.optional(),
    })
    .optional(),
  omitted: z.object({ console: z.number() }),
});

export type RecordJson = z.infer<typeof recordSchema>;

/** The published JSON Schema of the format. */
export function recordJsonSchema(): object {
  return {
    $id: 'usher-anvil/record@1',
    title: 'A record of Usher Anvil, version 1',
    ...z.toJSONSchema(recordSchema, { io: 'output' }),
  };
}
