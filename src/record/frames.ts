/** Places of a report in the files of a program. */
import type { Range } from '../syntax/positions.js';
import type { RawFrame } from '../wire/reports.js';
import type { Program, ProgramFile } from './program.js';
import type { Frame } from './record.js';

/** The file that holds a program-wide site number. */
export function fileOfSite(program: Program, site: number): ProgramFile | undefined {
  for (const file of program.files) if (site >= file.base && site < file.base + file.sites.length) return file;
  return undefined;
}

export function frameOf(raw: RawFrame): Frame {
  return {
    name: raw.name,
    file: raw.file,
    range: rangeOfFrame(raw),
    local: raw.local,
    ...(raw.isAsync ? { isAsync: true as const } : {}),
  };
}

export function rangeOfFrame(raw: RawFrame): Range {
  const at = { line: Math.max(0, raw.line), character: Math.max(0, raw.character) };
  return { start: at, end: at };
}
