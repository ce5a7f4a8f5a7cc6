/** `usher-anvil run`: executes a pad once and prints what happened. */
import { runPad } from '../hosts/node/index.js';
import { padPath } from '../hosts/node/files.js';
import { toJson } from '../record/json.js';
import type { PadRecord } from '../record/record.js';
import { AnvilError } from '../syntax/problems.js';
import { recordText } from './listing.js';
import { makePaint, wantsColour } from './paint.js';

export interface RunOptions {
  format: string;
  timeLimit: string;
  process?: boolean;
  width?: string;
  memory?: string;
}

/** Runs and prints; resolves with the exit code: 0 it ran, 1 the pad failed. */
export async function runCommand(pad: string, args: string[], options: RunOptions): Promise<number> {
  if (options.format !== 'text' && options.format !== 'json') throw new AnvilError('E_OPTION', `--format is "${options.format}". It is text or json.`);
  const timeLimitMs = duration(options.timeLimit, '--time-limit');
  const cwd = process.cwd();
  const file = padPath(pad, cwd);
  const record = await runPad({
    file,
    timeLimitMs,
    argv: args,
    target: options.process ? 'process' : 'auto',
    stdin: 'inherit',
    ...(options.memory === undefined ? {} : { memoryMb: wholeNumber(options.memory, '--memory') }),
  });
  if (options.format === 'json') await print(`${JSON.stringify(toJson(record))}\n`);
  else {
    const width = options.width === undefined ? (process.stdout.columns ?? 120) : wholeNumber(options.width, '--width');
    const entry = record.program.files.find((one) => one.file === file)!;
    await print(recordText(record, entry.lines, { width, cwd, paint: makePaint(wantsColour(process.stdout, process.env)) }));
  }
  return exitCode(record);
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
