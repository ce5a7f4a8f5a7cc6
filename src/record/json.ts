/** The record as JSON, format `usher-anvil/record@1`, and its schema. */
import { z } from 'zod';
import { lineStates } from './questions.js';
import { RECORD_FORMAT, valueAt, type PadRecord, type RecordError } from './record.js';
import type { RawFrame, Value } from '../runtime/wire.js';

const position = z.object({ line: z.int().min(0), character: z.int().min(0) });
const range = z.object({ start: position, end: position });

const value: z.ZodType<Value> = z.lazy(() =>
  z.object({
    type: z.enum(['undefined', 'null', 'boolean', 'number', 'bigint', 'string', 'symbol', 'function', 'object']),
    text: z.string().optional(),
    form: z
      .enum(['array', 'map', 'set', 'typed', 'buffer', 'date', 'regexp', 'error', 'promise', 'proxy', 'weak', 'iterator', 'boxed', 'class', 'getter', 'module'])
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

const frame = z.object({ name: z.string(), file: z.string(), range, local: z.boolean(), isAsync: z.literal(true).optional() });
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
            text: z.object({ at: z.int(), line: z.int().optional(), received: z.string(), expected: z.string() }).optional(),
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
  target: z.enum(['worker', 'process', 'none']),
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
      reason: z.string().optional(),
      notes: z.array(z.string()).optional(),
      reused: z.literal(true).optional(),
    }),
  ),
  waits: z.array(z.object({ file: z.string(), line: z.int().min(0), character: z.int().min(0), since: z.number(), count: z.int() })),
  timers: z.array(
    z.object({ repeats: z.boolean(), delay: z.number(), fired: z.int(), since: z.number(), file: z.string().optional(), line: z.int().min(0).optional() }),
  ),
  knobs: z.array(
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
  return { $id: 'usher-anvil/record@1', title: 'A record of Usher Anvil, version 1', ...z.toJSONSchema(recordSchema, { io: 'output' }) };
}

/** A record as plain data, ready for `JSON.stringify`. Values of numbers are text, so that `NaN` and `-0` survive. */
export function toJson(record: PadRecord): RecordJson {
  const sites: RecordJson['sites'] = [];
  const known = new Set<number>();
  for (const file of record.program.files) {
    for (const site of file.sites) {
      if (site.name === 'last values') continue;
      known.add(file.base + site.id);
      sites.push({ id: file.base + site.id, kind: site.kind, file: file.file, range: file.lines.rangeOf(site.start, site.end), name: site.name });
    }
  }
  const samples: RecordJson['samples'] = [];
  for (let row = 0; row < record.samples.length; row++) {
    samples.push({
      site: record.samples.site[row]!,
      visit: record.samples.visit[row]!,
      moment: record.samples.moment[row]!,
      value: valueAt(record.samples, row),
    });
  }
  const lines = record.program.files.flatMap((file) =>
    lineStates(record, file.file).map(({ line, state, hits, missing }) => ({ line, state, hits, file: file.file, ...(missing.length > 0 ? { missing } : {}) })),
  );
  return {
    format: RECORD_FORMAT,
    file: record.file,
    outcome: record.outcome,
    durationMs: record.durationMs,
    target: record.target,
    sites,
    samples,
    lines,
    console: [...record.console],
    errors: [...record.errors],
    tests: [...record.tests],
    knobs: record.knobs.map(({ moment: _moment, frame, ...rest }) => ({ ...rest, ...placeOf(frame) })),
    gates: record.gates.map(({ moment: _moment, id: _id, last: _last, frame, ...rest }) => ({ ...rest, ...placeOf(frame) })),
    waits: [...record.waits],
    timers: record.timers.map(({ id: _id, frame, ...rest }) => ({ ...rest, ...placeOf(frame) })),
    requests: record.requests.map(({ id: _id, bodyMoment: _body, frames, ...rest }) => ({ ...rest, ...placeOf(frames[0]) })),
    ...(record.stop ? { stop: record.stop } : {}),
    omitted: { console: record.consoleOmitted },
  };
}

function placeOf(frame: RawFrame | undefined): { file?: string; line?: number } {
  return frame ? { file: frame.file, line: frame.line } : {};
}
