/** `usher-anvil coverage`: what of a project its tests reach. */
import { writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { relative, resolve, sep } from 'node:path';
import { statSync } from 'node:fs';
import { fileError } from '../hosts/node/files.js';
import { TestRuns } from '../hosts/node/test-runs.js';
import { Coverage, type CoveredFile } from '../record/coverage.js';
import { hasFailed, TestFolder } from '../session/test-folder.js';
import { AnvilError } from '../syntax/problems.js';
import { plural } from '../views/summary.js';
import { print } from './execute.js';
import { harmless, makePaint, wantsColour, type Paint } from './paint.js';

export interface CoverageOptions {
  /** A file for the figures of all lines. */
  lcov?: string;
  /** `<file>:<line>`. */
  at?: string;
}

/**
 * Runs all tests of a folder and prints what they reach; resolves with the exit code: 1 where a test fails.
 *
 * @throws AnvilError `E_NOT_FOUND`, `E_OPTION`
 */
export async function coverageCommand(given: string, options: CoverageOptions): Promise<number> {
  const cwd = process.cwd();
  const folder = resolve(cwd, given);
  if (statSync(folder, { throwIfNoEntry: false })?.isDirectory() !== true) throw fileError(given, { code: 'ENOENT' });
  const at = options.at === undefined ? undefined : placeOf(options.at, cwd);
  const runs = new TestRuns({ cwd, memoryMb: 512, env: process.env, argv: [], stdin: 'ignore' }, { reach: true });
  try {
    const found = runs.find(folder);
    if (found.length === 0)
      throw new AnvilError(
        'E_NOT_FOUND',
        `There are no tests below ${given}. Their files are called *.test.*, *.spec.*, or lie in test or __tests__.`,
      );
    const files = await runAll(runs, found);
    const coverage = new Coverage();
    for (const { record } of files) if (record) coverage.add(record);
    for (const program of runs.sources(folder)) coverage.addUnreached(program);
    // A pad with its tests in it is code of its own.
    const isLeftOut = (file: string): boolean => runs.isBesideTests(file, folder);
    const nameOf = (file: string): string => relative(cwd, file).split(sep).join('/');
    const paint = makePaint(wantsColour(process.stdout, process.env));
    const failed = files.filter(hasFailed);
    if (options.lcov !== undefined) writeFileSync(resolve(cwd, options.lcov), coverage.lcov(isLeftOut, nameOf));
    const lines = at
      ? reachingLines(coverage, at, nameOf, paint)
      : tableLines(coverage.files(isLeftOut), nameOf, paint);
    // What the framework runs alone is not seen.
    const unseen = files.filter(({ record }) => record?.ownRun?.instead !== undefined);
    if (unseen.length > 0)
      lines.push(
        paint.dim(
          `not counted, for their framework runs them itself: ${unseen.map(({ file }) => nameOf(file)).join(', ')}`,
        ),
      );
    if (failed.length > 0)
      lines.push(
        paint.fail(
          `${plural(failed.length, 'file')} of tests failed: ${failed.map(({ file }) => nameOf(file)).join(', ')}`,
        ),
      );
    await print(`${lines.join('\n')}\n`);
    return failed.length > 0 ? 1 : 0;
  } finally {
    await runs.close();
  }
}

function runAll(runs: TestRuns, found: readonly string[]): Promise<TestFolder['files']> {
  return new Promise((done) => {
    const tests: TestFolder = new TestFolder({
      slots: Math.max(1, Math.min(4, cpus().length - 1)),
      start: (file) => runs.start(file),
      changed: () => undefined,
      ended: () => done(tests.files),
    });
    tests.found(found);
  });
}

/** @throws AnvilError `E_OPTION` for what is no place */
function placeOf(text: string, cwd: string): { file: string; line: number } {
  const match = /^(.*):(\d+)$/.exec(text);
  const line = Number(match?.[2]);
  if (!match || line < 1)
    throw new AnvilError('E_OPTION', `--at is "${text}". Give a file and a line: src/gate.ts:14.`);
  return { file: resolve(cwd, match[1]!), line: line - 1 };
}

function tableLines(files: readonly CoveredFile[], nameOf: (file: string) => string, paint: Paint): string[] {
  const sum = { lines: 0, ran: 0 };
  const rows = files.map(({ file, lines, ran }) => {
    sum.lines += lines.length;
    sum.ran += ran;
    const never = ranges(lines.filter(({ state }) => state === 'never').map(({ line }) => line + 1));
    const text = `${percent(ran, lines.length)}  ${String(ran).padStart(5)} of ${String(lines.length).padEnd(5)} ${harmless(nameOf(file))}`;
    return never === '' ? text : `${text}  ${paint.dim(`never: ${never}`)}`;
  });
  return [
    ...rows,
    paint.bold(
      `${percent(sum.ran, sum.lines)}  ${String(sum.ran).padStart(5)} of ${String(sum.lines).padEnd(5)} lines of ${plural(files.length, 'file')}`,
    ),
  ];
}

function percent(ran: number, all: number): string {
  // Never rounded up to all of them.
  const share = all === 0 ? 100 : Math.floor((ran / all) * 1_000) / 10;
  return `${share.toFixed(1).padStart(5)} %`;
}

/** `3–5, 9`; of many the first. */
function ranges(lines: readonly number[]): string {
  const found: [number, number][] = [];
  for (const line of lines) {
    const last = found.at(-1);
    if (last && line === last[1] + 1) last[1] = line;
    else found.push([line, line]);
  }
  const words = found.slice(0, 6).map(([from, to]) => (from === to ? String(from) : `${from}–${to}`));
  return `${words.join(', ')}${found.length > 6 ? ` and ${found.length - 6} more places` : ''}`;
}

function reachingLines(
  coverage: Coverage,
  { file, line }: { file: string; line: number },
  nameOf: (file: string) => string,
  paint: Paint,
): string[] {
  const tests = coverage.testsAt(file, line);
  const place = `${nameOf(file)}:${line + 1}`;
  if (tests.length === 0) return [`no test reaches ${place}`];
  return [
    paint.bold(`${plural(tests.length, 'test')} reach${tests.length === 1 ? 'es' : ''} ${place}`),
    ...tests.map(
      ({ file: from, path, state, line: at }) =>
        `${state === 'failed' ? paint.fail('✗') : state === 'passed' ? paint.pass('✓') : paint.dim('-')} ${harmless(path.join(' > '))}  ${paint.dim(`${nameOf(from)}:${at + 1}`)}`,
    ),
  ];
}
