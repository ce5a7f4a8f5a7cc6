/** The end of a run in words, with its place. */
import type { Program } from '../record/program.js';
import type { Stop } from '../record/record.js';
import type { RawStop } from '../wire/runs.js';

export function seconds(ms: number): string {
  return ms % 1000 === 0 ? `${ms / 1000} s` : `${ms} ms`;
}

/** Puts the end of a run into words, with its place. */
export function stopOf(program: Program, raw: RawStop): Stop {
  const stop: Stop = { reason: raw.reason, message: '' };
  if (raw.code !== undefined) stop.code = raw.code;
  const frame = raw.frames?.find((one) => one.local);
  let where = '';
  if (frame) {
    stop.file = frame.file;
    const at = { line: Math.max(0, frame.line), character: Math.max(0, frame.character) };
    stop.range = { start: at, end: at };
    where = ` at line ${at.line + 1}`;
  } else {
    const place = activePlace(program, raw.active ?? []);
    if (place) {
      stop.file = place.file;
      stop.range = place.range;
      where = place.loop
        ? ` in the loop at line ${place.range.start.line + 1}`
        : ` near line ${place.range.start.line + 1}`;
    }
  }
  const visits =
    raw.active && raw.active.length > 0
      ? ` after ${Math.max(...raw.active.map((one) => countOf(raw, one))).toLocaleString('en-US')} visits`
      : '';
  switch (raw.reason) {
    case 'not-answering':
      stop.message = `it did not come to an end${where}${where ? visits : ''}, and was stopped`;
      break;
    case 'memory':
      stop.message = `it used up its memory${where}${raw.detail ? ` (${raw.detail})` : ''}`;
      break;
    case 'exit':
      stop.message = `process.exit(${raw.code ?? 0}) was called${where}`;
      break;
    case 'abort':
      stop.message = `process.abort() was called${where}`;
      break;
    case 'killed':
      stop.message = `its process was ended by ${raw.code ?? 'a signal'}${where}`;
      break;
    case 'garbled':
      stop.message =
        `it sent what is no message of ours${raw.detail ? ` (${raw.detail})` : ''}: code of ` +
        'the pad uses the channel by which it is run (E_GARBLED)';
      break;
    case 'held':
      stop.message =
        `it was held${where} before it could ${raw.code ?? 'change anything'}: ` +
        `a careful run lets that through with --open ${JSON.stringify(raw.code ?? '')}`;
      break;
    case 'time-limit':
      stop.message = `it was still running at its time limit${where}`;
      break;
    default:
      stop.message = `its process ended${raw.code !== undefined ? ` (${raw.code})` : ''}${where}${raw.detail ? `: ${raw.detail}` : ''}`;
  }
  return stop;
}

function countOf(raw: RawStop, at: { unit: number; cell: number; by: number }): number {
  return raw.counts?.find((one) => one.unit === at.unit)?.cells[at.cell] ?? at.by;
}

/** The loop that goes round without being entered anew, or else the busiest place. */
function activePlace(
  program: Program,
  active: readonly { unit: number; cell: number; by: number }[],
): { file: string; range: NonNullable<Stop['range']>; loop: boolean } | undefined {
  let best: { score: number; file: string; range: NonNullable<Stop['range']>; loop: boolean } | undefined;
  for (const { unit, cell, by } of active) {
    const file = program.files.find((one) => one.unit === unit);
    const site =
      file?.sites.find((one) => one.cell === cell && (one.kind === 'loop' || one.kind === 'function')) ??
      file?.sites.find((one) => one.cell === cell);
    if (!file || !site) continue;
    const statement = enclosingStatement(file.sites, site.start, site.id);
    const entered = statement ? (active.find((one) => one.unit === unit && one.cell === statement.cell)?.by ?? 0) : 0;
    const endless = site.kind === 'loop' && entered === 0;
    const score = (endless ? 2e18 : site.kind === 'loop' || site.kind === 'function' ? 1e18 : 0) + by;
    if (best && best.score >= score) continue;
    const from = endless && statement ? statement : site;
    best = { score, file: file.file, range: file.lines.rangeOf(from.start, from.end), loop: site.kind === 'loop' };
  }
  return best;
}

function enclosingStatement(
  sites: Program['files'][number]['sites'],
  offset: number,
  not: number,
): Program['files'][number]['sites'][number] | undefined {
  let best: Program['files'][number]['sites'][number] | undefined;
  for (const site of sites) {
    if (site.kind !== 'statement' || site.id === not || site.start > offset || site.end <= offset) continue;
    if (!best || site.end - site.start < best.end - best.start) best = site;
  }
  return best;
}

/** @param pending places that wait, in words; empty where none is known */
export function overdueText(pending: string, limitMs: number): string {
  const what = pending === '' ? 'something is pending (a server, a stream, a request)' : pending;
  return `still running after ${seconds(limitMs)}: ${what}. Raise the limit with --time-limit, or end it in the pad.`;
}
