/** The record as JSON, format `usher-anvil/record@1`. */
import { lineStates } from './lines.js';
import { RECORD_FORMAT, valueAt, type PadRecord } from './record.js';
import type { RawFrame } from '../wire/reports.js';
import type { RecordJson } from './schema.js';

export type { RecordJson };

/** A record as plain data, ready for `JSON.stringify`. Values of numbers are text, so that `NaN` and `-0` survive. */
export function toJson(record: PadRecord): RecordJson {
  const sites: RecordJson['sites'] = [];
  const known = new Set<number>();
  for (const file of record.program.files) {
    for (const site of file.sites) {
      if (site.kind === 'last-values' || site.kind === 'step') continue;
      known.add(file.base + site.id);
      sites.push({
        id: file.base + site.id,
        kind: site.kind,
        file: file.file,
        range: file.lines.rangeOf(site.start, site.end),
        name: site.name,
      });
    }
  }
  const samples: RecordJson['samples'] = [];
  for (let row = 0; row < record.samples.length; row++) {
    if (!known.has(record.samples.site[row]!)) continue;
    samples.push({
      site: record.samples.site[row]!,
      visit: record.samples.visit[row]!,
      moment: record.samples.moment[row]!,
      value: valueAt(record.samples, row),
    });
  }
  const lines = record.program.files.flatMap((file) =>
    lineStates(record, file.file).map(({ line, state, hits, missing }) => ({
      line,
      state,
      hits,
      file: file.file,
      ...(missing.length > 0 ? { missing } : {}),
    })),
  );
  return {
    format: RECORD_FORMAT,
    file: record.file,
    outcome: record.outcome,
    durationMs: record.durationMs,
    ...(record.exitCode === undefined ? {} : { exitCode: record.exitCode }),
    target: record.target,
    ...(record.keptPackages ? { keptPackages: true as const } : {}),
    sites,
    samples,
    lines,
    console: [...record.console],
    errors: [...record.errors],
    tests: [...record.tests],
    ...(record.ownRun ? { ownRun: record.ownRun } : {}),
    dials: record.dials.map(({ moment: _moment, frame, ...rest }) => ({ ...rest, ...placeOf(frame) })),
    gates: record.gates.map(({ moment: _moment, id: _id, last: _last, frame, ...rest }) => ({
      ...rest,
      ...placeOf(frame),
    })),
    waits: [...record.waits],
    timers: record.timers.map(({ id: _id, frame, ...rest }) => ({ ...rest, ...placeOf(frame) })),
    requests: record.requests.map(({ id: _id, bodyMoment: _body, frames, ...rest }) => ({
      ...rest,
      ...placeOf(frames[0]),
    })),
    ...(record.stop ? { stop: record.stop } : {}),
    omitted: { console: record.consoleOmitted },
  };
}

function placeOf(frame: RawFrame | undefined): { file?: string; line?: number } {
  return frame ? { file: frame.file, line: frame.line } : {};
}
