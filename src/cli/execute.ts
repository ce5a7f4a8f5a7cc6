/** `usher-anvil run`: executes a pad once and prints what happened. */
import { createSession } from '../hosts/node/index.js';
import { padPath } from '../hosts/node/files.js';
import { toJson } from '../record/json.js';
import { historiesByLine, visitAt } from '../record/questions.js';
import type { PadRecord } from '../record/record.js';
import type { Session } from '../session/session.js';
import { AnvilError } from '../syntax/problems.js';
import { treeLines } from '../views/tree.js';
import { junitOf } from '../views/junit.js';
import { tapOf } from '../views/tap.js';
import { place, recordText } from './listing.js';
import { makePaint, wantsColour } from './paint.js';

export interface RunOptions {
  format: string;
  timeLimit: string;
  process?: boolean;
  width?: string;
  memory?: string;
  /** Levels to which values are opened below their lines. */
  expand?: string;
  /** `<line>:<visit>`, or a moment. */
  at?: string;
}

const FORMATS = ['text', 'json', 'tap', 'junit'];

/** Runs and prints; resolves with the exit code: 0 it ran, 1 the pad failed. */
export async function runCommand(pad: string, args: string[], options: RunOptions): Promise<number> {
  if (!FORMATS.includes(options.format)) throw new AnvilError('E_OPTION', `--format is "${options.format}". It is one of ${FORMATS.join(', ')}.`);
  const timeLimitMs = duration(options.timeLimit, '--time-limit');
  const cwd = process.cwd();
  const file = padPath(pad, cwd);
  const session = createSession({
    file,
    timeLimitMs,
    hangMs: timeLimitMs,
    argv: args,
    target: options.process ? 'process' : 'auto',
    stdin: 'inherit',
    ...(options.memory === undefined ? {} : { memoryMb: wholeNumber(options.memory, '--memory') }),
  });
  try {
    session.execute();
    const record = await session.settled();
    await show(record, session, file, cwd, options);
    return exitCode(record);
  } finally {
    await session.close();
  }
}

async function show(record: PadRecord, session: Session, file: string, cwd: string, options: RunOptions): Promise<void> {
  const until = options.at === undefined ? Infinity : momentOf(record, options.at);
  const name = place(file, 0, cwd).replace(/:1$/, '');
  const placeOf = (at: string, line: number): string => place(at, line, cwd);
  if (options.format === 'json') await print(`${JSON.stringify(toJson(record))}\n`);
  else if (options.format === 'tap') await print(tapOf(record, name, placeOf));
  else if (options.format === 'junit') await print(junitOf(record, name, placeOf));
  else {
    const width = options.width === undefined ? (process.stdout.columns ?? 120) : wholeNumber(options.width, '--width');
    const entry = record.program.files.find((one) => one.file === file)!;
    const trees = options.expand === undefined ? undefined : await treesOf(record, session, until, wholeNumber(options.expand, '--expand'));
    await print(
      recordText(record, entry.lines, { width, cwd, paint: makePaint(wantsColour(process.stdout, process.env)), until, ...(trees ? { trees } : {}) }),
    );
  }
}

/** The moment that `--at` means. */
function momentOf(record: PadRecord, at: string): number {
  const match = /^(\d+)(?::(\d+))?$/.exec(at);
  if (!match) throw new AnvilError('E_OPTION', `--at is "${at}". Give a line and a visit, as 12:4, or a moment, as 130.`);
  if (match[2] === undefined) return Number(match[1]);
  const line = Number(match[1]) - 1;
  const sample = visitAt(record, { line }, Number(match[2]));
  if (!sample) throw new AnvilError('E_OPTION', `Line ${line + 1} reported no value in this run. Choose a line that has one.`);
  return sample.moment;
}

/** The last value of each line that can be opened, as lines of a tree. */
async function treesOf(record: PadRecord, session: Session, until: number, depth: number): Promise<Map<number, string[]>> {
  const trees = new Map<number, string[]>();
  for (const [line, histories] of historiesByLine(record, record.file, until)) {
    const opened = histories.filter((history) => history.kind !== 'stage' && history.kind !== 'condition').map((history) => history.at(history.length - 1));
    const last = opened.find((sample) => sample.value.type === 'object');
    const lines = last && (await treeLines((request) => session.look(request), last.moment, 0, { depth, members: 20 }));
    if (lines && lines.length > 0) trees.set(line, lines);
  }
  return trees;
}

/** 0 when the pad ran to its end (also by `process.exit(0)`), else 1. */
export function exitCode(record: PadRecord): number {
  if (record.outcome === 'ok') return 0;
  if (record.outcome === 'stopped' && record.stop?.reason === 'exit' && record.stop.code === 0 && record.errors.length === 0) return 0;
  return 1;
}

/** Writes all of a text before the process may end. */
export function print(text: string): Promise<void> {
  return new Promise((resolve) => process.stdout.write(text, () => resolve()));
}

/** `500`, `500ms`, `10s`, `2m` in milliseconds. */
export function duration(text: string, option: string): number {
  const match = /^(\d+(?:\.\d+)?)(ms|s|m)?$/.exec(text.trim());
  const value = match ? Number(match[1]) * ({ ms: 1, s: 1000, m: 60_000 }[match[2] ?? 'ms'] ?? 1) : NaN;
  if (!(value > 0)) throw new AnvilError('E_OPTION', `${option} is "${text}". Give milliseconds, or a number with ms, s or m: 500, 10s, 2m.`);
  return value;
}

export function wholeNumber(text: string, option: string): number {
  const value = Number(text);
  if (!Number.isInteger(value) || value <= 0) throw new AnvilError('E_OPTION', `${option} is "${text}". Give a whole number above 0.`);
  return value;
}
