/** `usher-anvil watch <folder>`: the tests of a folder; a save runs those that it can have touched. */
import { cpus } from 'node:os';
import { relative, sep } from 'node:path';
import { watch } from 'chokidar';
import { Saves } from '../hosts/node/saved-files.js';
import { TestRuns } from '../hosts/node/test-runs.js';
import { hasFailed, TestFolder, type Round, type TestFile } from '../session/test-folder.js';
import { durationText } from '../views/duration.js';
import { plural } from '../views/summary.js';
import { errorLines } from './listing-errors.js';
import type { ListingOptions } from './listing-paint.js';
import { harmless, makePaint, wantsColour } from './paint.js';
import { Screen } from './screen.js';

/** Watches until interrupted; resolves with the exit code. */
export function watchFolder(folder: string): Promise<number> {
  const cwd = process.cwd();
  const runs = new TestRuns({ cwd, memoryMb: 512, env: process.env, argv: [], stdin: 'ignore' });
  const screen = process.stdout.isTTY === true ? new Screen() : undefined;
  const listing = (): ListingOptions => ({
    width: process.stdout.columns ?? 120,
    cwd,
    paint: makePaint(wantsColour(process.stdout, process.env)),
  });
  const draw = (): void => {
    if (!screen) return;
    const options = listing();
    screen.show(
      {
        head: headOf(tests.files, options),
        listing: linesOf(tests.files, options),
        sections: [],
        keys: 'a runs all · q ends',
      },
      options.width,
    );
  };
  const tests: TestFolder = new TestFolder({
    slots: Math.max(1, Math.min(4, cpus().length - 1)),
    start: (file) => runs.start(file),
    changed: draw,
    // In a pipe: one report for each round.
    ended(round) {
      if (!screen) process.stdout.write(`${roundText(round, tests.files, listing())}\n`);
      draw();
    },
  });
  const look = (saved: readonly string[] = []): void => tests.found(runs.find(folder), saved);
  const saves = new Saves(look);
  const watcher = watch(folder, {
    ignoreInitial: true,
    ignored: (path) => /(?:^|[\\/])(?:node_modules|\.git|coverage)(?:[\\/]|$)/.test(path),
  });
  watcher.on('all', (_event, path) => saves.notice(path));
  return new Promise((resolve) => {
    const end = (): void => {
      screen?.close();
      tests.close();
      saves.close();
      void Promise.all([watcher.close(), runs.close()]).then(() => resolve(0));
    };
    process.once('SIGINT', end);
    process.once('SIGTERM', end);
    screen?.open((key) => {
      if (key === 'quit') end();
      else if (key === 'a') tests.all();
      else draw();
    });
    look();
    if (tests.files.length === 0 && !screen)
      process.stdout.write(
        `no tests below ${folder}: files are called *.test.*, *.spec.*, or lie in test or __tests__\n`,
      );
  });
}

interface Counts {
  tests: number;
  failed: number;
  files: number;
}

function countsOf(files: readonly TestFile[]): Counts {
  const counts: Counts = { tests: 0, failed: 0, files: 0 };
  for (const one of files) {
    if (hasFailed(one)) counts.files++;
    for (const test of one.record?.tests ?? []) {
      if (test.suite) continue;
      counts.tests++;
      if (test.state === 'failed') counts.failed++;
    }
  }
  return counts;
}

function headOf(files: readonly TestFile[], { paint }: ListingOptions): string {
  const { tests, failed, files: broken } = countsOf(files);
  const pending = files.filter((one) => one.pending).length;
  const trouble = [
    failed > 0 ? `${failed} failed` : '',
    // Files that fail without a test that does.
    failed === 0 && broken > 0 ? `${plural(broken, 'file')} failed` : '',
  ].filter(Boolean);
  const state = trouble.length > 0 ? paint.fail(trouble.join(' · ')) : pending > 0 ? '' : paint.pass('all passed');
  return `${plural(files.length, 'file')} · ${plural(tests, 'test')}  ${state}${pending > 0 ? `${state === '' ? '' : ' · '}${pending} to run` : ''}`;
}

/** Each file in a line; below those that fail, what has failed in it. */
function linesOf(files: readonly TestFile[], options: ListingOptions): string[] {
  return files.flatMap((one) => fileLines(one, options));
}

function fileLines(one: TestFile, options: ListingOptions): string[] {
  const { paint, cwd } = options;
  const name = harmless(nameOf(one.file, cwd));
  const { record } = one;
  if (one.problem !== undefined) return [`${paint.fail('✗')} ${name}  ${harmless(one.problem)}`];
  if (!record) return [paint.dim(`· ${name}`)];
  const tests = record.tests.filter((test) => !test.suite);
  const failed = tests.filter((test) => test.state === 'failed').length;
  const left = tests.filter((test) => test.state === 'skipped' || test.state === 'todo').length;
  const words = [
    plural(tests.length, 'test'),
    failed > 0 ? `${failed} failed` : '',
    left > 0 ? `${left} left out` : '',
    durationText(record.ownRun?.instead === undefined ? record.durationMs : (record.ownRun.durationMs ?? 0)),
    record.ownRun?.instead === undefined ? '' : `${record.ownRun.framework} itself`,
    one.pending ? 'to run' : '',
  ].filter(Boolean);
  const mark = hasFailed(one) ? paint.fail('✗') : paint.pass('✓');
  const line = `${one.pending ? paint.dim('·') : mark} ${name}  ${paint.dim(words.join(' · '))}`;
  return hasFailed(one) ? [line, ...errorLines(record, options).map((text) => `  ${text}`)] : [line];
}

/** What a round has come to, in plain lines. */
function roundText({ saved, asked }: Round, files: readonly TestFile[], options: ListingOptions): string {
  const { cwd, paint } = options;
  const names = saved.map((file) => nameOf(file, cwd));
  const why =
    names.length === 0
      ? 'all'
      : `saved ${names.slice(0, 3).join(', ')}${names.length > 3 ? ` and ${names.length - 3} more` : ''}`;
  const ran = new Set(asked);
  const own = files.filter(({ file }) => ran.has(file));
  const still = files.filter((one) => !ran.has(one.file) && hasFailed(one));
  return [
    paint.bold(`${harmless(why)}: ${own.length} of ${plural(files.length, 'file')}`),
    ...linesOf(own, options),
    ...(still.length > 0
      ? [paint.dim(`not touched, and failing: ${still.map(({ file }) => nameOf(file, cwd)).join(', ')}`)]
      : []),
    headOf(files, options),
    '',
  ].join('\n');
}

function nameOf(file: string, cwd: string): string {
  const name = relative(cwd, file);
  return name.startsWith('..') ? file : name.split(sep).join('/');
}
