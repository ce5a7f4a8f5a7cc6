/** `usher-anvil run`: executes a pad once and prints what happened. */
import { accessSync, constants, mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createSession } from '../hosts/node/index.js';
import { sizeOf } from '../hosts/node/packages.js';
import { TypeChecker, type TypeProblem } from '../hosts/node/types.js';
import { packageImports } from '../syntax/imports.js';
import { sizeText } from '../views/requests.js';
import { fileError, padPath } from '../hosts/node/files.js';
import { toJson } from '../record/json.js';
import { historiesByLine, visitAt } from '../record/histories.js';
import type { PadRecord } from '../record/record.js';
import type { InputData } from '../wire/runs.js';
import type { Session } from '../session/session.js';
import { AnvilError } from '../syntax/problems.js';
import { treeLines } from '../views/tree.js';
import { junitOf } from '../views/junit.js';
import { tapOf } from '../views/tap.js';
import { useAdditions } from './additions.js';
import { errorLines } from './listing-errors.js';
import { place } from './listing-paint.js';
import { recordText } from './listing.js';
import { makePaint, wantsColour } from './paint.js';

export interface RunOptions {
  format: string;
  timeLimit: string;
  process?: boolean;
  keepProcesses?: boolean;
  careful?: boolean;
  width?: string;
  memory?: string;
  /** Levels to which values are opened below their lines. */
  expand?: string;
  /** `<line>:<visit>`, or a moment. */
  at?: string;
  /** File that `input` reads; `-` for standard input. */
  input?: string;
  types?: boolean;
  sizes?: boolean;
  /** Print only the default export. */
  result?: boolean;
  /** The project's own test framework runs the tests as well. */
  confirm?: boolean;
  /** Gates that open when they are reached. */
  open?: string[];
}

const FORMATS = ['text', 'json', 'tap', 'junit'];

/**
 * Runs and prints; resolves with the exit code: 0 it ran, 1 the pad failed.
 *
 * @throws AnvilError `E_OPTION` for a wrong option; what cannot be read, as {@link runPad}
 */
export async function runCommand(pad: string, args: string[], options: RunOptions): Promise<number> {
  if (!FORMATS.includes(options.format))
    throw new AnvilError('E_OPTION', `--format is "${options.format}". It is one of ${FORMATS.join(', ')}.`);
  const timeLimitMs = duration(options.timeLimit, '--time-limit');
  const cwd = process.cwd();
  const fromPipe = pad === '-';
  const file = fromPipe ? join(cwd, 'standard-input.ts') : padPath(pad, cwd);
  if (fromPipe && options.input === '-')
    throw new AnvilError('E_OPTION', 'Standard input is the pad already: give --input a file.');
  const text = fromPipe ? (await piped()).toString('utf8') : undefined;
  const data = await inputOf(
    fromPipe ? options.input : (options.input ?? (options.result && !process.stdin.isTTY ? '-' : undefined)),
    cwd,
  );
  if (!options.careful) useAdditions(file, options.format === 'text');
  const session = createSession({
    once: true,
    file,
    ...(text === undefined ? {} : { text }),
    ...(data ? { input: data.input } : {}),
    ...(options.open ? { open: options.open } : {}),
    ...(options.result ? { result: true } : {}),
    timeLimitMs,
    hangMs: timeLimitMs,
    argv: args,
    target: options.process ? 'process' : 'auto',
    keepStarted: options.keepProcesses ?? false,
    careful: options.careful ?? false,
    stdin: data?.piped || fromPipe ? 'ignore' : 'inherit',
    ...(options.confirm ? { ownRuns: 'at-end' as const } : {}),
    ...(options.memory === undefined ? {} : { memoryMb: wholeNumber(options.memory, '--memory') }),
  });
  try {
    session.execute();
    const record = await session.settled();
    if (options.result) return await writeResult(record, session, file, cwd);
    await show(record, session, file, cwd, options);
    return exitCode(record);
  } finally {
    await session.close();
    data?.remove();
  }
}

/** All that is piped in. */
async function piped(): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of process.stdin) parts.push(part as Buffer);
  return Buffer.concat(parts);
}

/** Larger data goes over a file. */
const IN_MEMORY = 4_000_000;

/**
 * The data that the command line gives: a named file, or what is piped in.
 *
 * @throws AnvilError `E_NOT_FOUND`, `E_UNREADABLE` for data that cannot be read
 */
export async function inputOf(
  given: string | undefined,
  cwd: string,
): Promise<{ input: InputData; piped: boolean; remove(): void } | undefined> {
  const nothing = (): void => undefined;
  if (given !== undefined && given !== '-') {
    const file = resolve(cwd, given);
    try {
      if (statSync(file).isDirectory())
        throw new AnvilError('E_IS_FOLDER', `${given} is a folder. Name a file for --input.`);
      accessSync(file, constants.R_OK);
    } catch (error) {
      throw error instanceof AnvilError ? error : fileError(given, error);
    }
    return { input: { name: given, file }, piped: false, remove: nothing };
  }
  if (given === undefined) return undefined;
  const bytes = await piped();
  const name = 'standard input';
  if (bytes.length <= IN_MEMORY) return { input: { name, bytes }, piped: true, remove: nothing };
  const folder = mkdtempSync(join(tmpdir(), 'usher-anvil-'));
  writeFileSync(join(folder, 'input'), bytes);
  return {
    input: { name, file: join(folder, 'input') },
    piped: true,
    remove: () => rmSync(folder, { recursive: true, force: true }),
  };
}

/** The pad as a filter: its default export to standard output, everything else to standard error. */
async function writeResult(record: PadRecord, session: Session, file: string, cwd: string): Promise<number> {
  const listing = { width: 120, cwd, paint: makePaint(wantsColour(process.stderr, process.env)) };
  for (const entry of record.console) process.stderr.write(`${entry.text}\n`);
  const result = session.padResult;
  const code = exitCode(record);
  if (code !== 0) {
    process.stderr.write(`${errorLines(record, listing).join('\n')}\n`);
    return code;
  }
  const fail = (why: string): number => {
    process.stderr.write(`usher-anvil: E_NO_RESULT  ${place(file, 0, cwd).replace(/:1$/, '')}: ${why}\n`);
    return 1;
  };
  switch (result?.is) {
    case 'text':
      await print(result.text === '' || result.text.endsWith('\n') ? result.text : `${result.text}\n`);
      return 0;
    case 'bytes':
      await new Promise<void>((done) => process.stdout.write(result.bytes, () => done()));
      return 0;
    case 'failed':
      return fail(result.why);
    default:
      return fail('it has no default export. Write one: export default …');
  }
}

async function show(
  record: PadRecord,
  session: Session,
  file: string,
  cwd: string,
  options: RunOptions,
): Promise<void> {
  const until = options.at === undefined ? Infinity : momentOf(record, options.at);
  const name = place(file, 0, cwd).replace(/:1$/, '');
  const placeOf = (at: string, line: number): string => place(at, line, cwd);
  if (options.format === 'json') await print(`${JSON.stringify(toJson(record))}\n`);
  else if (options.format === 'tap') await print(tapOf(record, name, placeOf));
  else if (options.format === 'junit') await print(junitOf(record, name, placeOf));
  else {
    const width = options.width === undefined ? (process.stdout.columns ?? 120) : wholeNumber(options.width, '--width');
    const entry = record.program.files.find((one) => one.file === file)!;
    const checked = options.types ? await typesOf(record, session) : [];
    const sizes = options.sizes ? await sizesOf(record) : [];
    const trees =
      options.expand === undefined
        ? undefined
        : await treesOf(record, session, until, wholeNumber(options.expand, '--expand'));
    await print(
      recordText(record, entry.lines, {
        width,
        cwd,
        paint: makePaint(wantsColour(process.stdout, process.env)),
        until,
        ...(trees ? { trees } : {}),
        ...(options.types ? { types: checked } : {}),
        ...(options.sizes ? { sizes } : {}),
      }),
    );
  }
}

async function typesOf(record: PadRecord, session: Session): Promise<TypeProblem[]> {
  const checker = new TypeChecker();
  try {
    return await checker.check(
      record.file,
      record.program.files.map(({ file }) => ({ file, text: session.textOf(file) })),
    );
  } finally {
    await checker.close();
  }
}

/** What each package that the pad imports costs, in words; one that cannot be bundled says why. */
async function sizesOf(record: PadRecord): Promise<{ line: number; text: string }[]> {
  const entry = record.program.files.find((one) => one.file === record.file)!;
  return Promise.all(
    packageImports(record.file, entry.lines.text).map(async ({ specifier, names, line }) => {
      try {
        const { minified, gzipped } = await sizeOf(specifier, names, record.file);
        return { line, text: `${specifier}: ${sizeText(minified)} minified, ${sizeText(gzipped)} with gzip` };
      } catch (error) {
        if (!(error instanceof AnvilError)) throw error;
        return { line, text: error.message };
      }
    }),
  );
}

/** The moment that `--at` means. */
function momentOf(record: PadRecord, at: string): number {
  const match = /^(\d+)(?::(\d+))?$/.exec(at);
  if (!match)
    throw new AnvilError('E_OPTION', `--at is "${at}". Give a line and a visit, as 12:4, or a moment, as 130.`);
  if (match[2] === undefined) return Number(match[1]);
  const line = Number(match[1]) - 1;
  const sample = visitAt(record, { line }, Number(match[2]));
  if (!sample)
    throw new AnvilError('E_OPTION', `Line ${line + 1} reported no value in this run. Choose a line that has one.`);
  return sample.moment;
}

/** The last value of each line that can be opened, as lines of a tree. */
async function treesOf(
  record: PadRecord,
  session: Session,
  until: number,
  depth: number,
): Promise<Map<number, string[]>> {
  const trees = new Map<number, string[]>();
  for (const [line, histories] of historiesByLine(record, record.file, until)) {
    const opened = histories
      .filter((history) => history.kind !== 'stage' && history.kind !== 'condition')
      .map((history) => history.at(history.length - 1));
    const last = opened.find((sample) => sample.value.type === 'object');
    const lines = last && (await treeLines((request) => session.look(request), last.moment, 0, { depth, members: 20 }));
    if (lines && lines.length > 0) trees.set(line, lines);
  }
  return trees;
}

/** The exit code that the program itself ended with; 1 where it failed otherwise, or a careful run held some of it. */
export function exitCode(record: PadRecord): number {
  if (record.gates.some((gate) => gate.held && gate.state === 'closed')) return 1;
  if (record.outcome === 'ok') return record.exitCode ?? 0;
  if (record.outcome === 'stopped' && record.stop?.reason === 'exit')
    return Number(record.stop.code) || (record.errors.length > 0 ? 1 : 0);
  return record.exitCode || 1;
}

/** Writes all of a text before the process may end. */
export function print(text: string): Promise<void> {
  return new Promise((resolve) => process.stdout.write(text, () => resolve()));
}

/**
 * `500`, `500ms`, `10s`, `2m` in milliseconds.
 *
 * @returns milliseconds
 * @throws AnvilError `E_OPTION` when it is no duration
 */
export function duration(text: string, option: string): number {
  const match = /^(\d+(?:\.\d+)?)(ms|s|m)?$/.exec(text.trim());
  const value = match ? Number(match[1]) * ({ ms: 1, s: 1000, m: 60_000 }[match[2] ?? 'ms'] ?? 1) : NaN;
  if (!(value > 0))
    throw new AnvilError(
      'E_OPTION',
      `${option} is "${text}". Give milliseconds, or a number with ms, s or m: 500, 10s, 2m.`,
    );
  return value;
}

/** @throws AnvilError `E_OPTION` when it is no whole number */
export function wholeNumber(text: string, option: string): number {
  const value = Number(text);
  if (!Number.isInteger(value) || value <= 0)
    throw new AnvilError('E_OPTION', `${option} is "${text}". Give a whole number above 0.`);
  return value;
}
