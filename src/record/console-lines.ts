/** The console of a record: its first lines and its last, each with its place. */
import type { RawConsole } from '../wire/reports.js';
import { fileOfSite, frameOf, rangeOfFrame } from './frames.js';
import type { Program } from './program.js';
import type { ConsoleEntry } from './record.js';

/** Lines of a record that are kept, from its begin and to its end. */
const FIRST_LINES = 2_000;
const LAST_LINES = 5_000;

export class ConsoleLines {
  private readonly lines: ConsoleEntry[] = [];
  private dropped = 0;
  /** Lines that the target has left out. */
  omittedThere = 0;

  /** All that were left out, there and here. */
  get omitted(): number {
    return this.omittedThere + this.dropped;
  }

  add(raw: RawConsole, program: Program): void {
    this.lines.push(entryOf(raw, program));
    if (this.lines.length <= FIRST_LINES + LAST_LINES * 2) return;
    const drop = this.lines.length - FIRST_LINES - LAST_LINES;
    this.lines.splice(FIRST_LINES, drop);
    this.dropped += drop;
  }

  soFar(): ConsoleEntry[] {
    return this.lines.slice();
  }
}

function entryOf(raw: RawConsole, program: Program): ConsoleEntry {
  const entry: ConsoleEntry = {
    moment: raw.moment,
    time: raw.time,
    level: raw.level,
    method: raw.method,
    text: raw.text,
    args: raw.args,
    indent: raw.indent,
  };
  if (raw.site >= 0) {
    const file = fileOfSite(program, raw.site);
    const site = file?.sites[raw.site - file.base];
    if (file && site) {
      entry.file = file.file;
      entry.range = file.lines.rangeOf(site.start, site.end);
    }
  } else if (raw.frame) {
    entry.file = raw.frame.file;
    entry.range = rangeOfFrame(raw.frame);
  }
  if (raw.frames) entry.frames = raw.frames.map(frameOf);
  if (raw.table) entry.table = raw.table;
  if (raw.where !== undefined) entry.where = raw.where;
  return entry;
}
