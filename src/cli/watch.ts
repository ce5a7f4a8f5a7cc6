/** `usher-anvil watch`: the listing of a pad, redrawn at each save. */
import { statSync } from 'node:fs';
import { resolve as resolvePath } from 'node:path';
import { createSession } from '../hosts/node/index.js';
import { padPath } from '../hosts/node/files.js';
import { SavedFiles } from '../hosts/node/saved-files.js';
import type { PadRecord } from '../record/record.js';
import { AnvilError } from '../syntax/problems.js';
import { useAdditions } from './additions.js';
import { consoleLines, headLine, listingLines, recordText } from './listing.js';
import { errorLines, testLines } from './listing-errors.js';
import { makePaint, wantsColour } from './paint.js';
import { Screen, type Scene } from './screen.js';
import { targetOf } from './target-address.js';
import { watchFolder } from './watch-folder.js';
import { watchLive, type WatchLiveOptions } from './watch-live.js';

export interface WatchOptions extends WatchLiveOptions {
  process?: boolean;
  keepProcesses?: boolean;
  token?: string;
}

/** Watches until interrupted; resolves with the exit code. */
export async function watchCommand(pad: string, options: WatchOptions): Promise<number> {
  const target = targetOf(pad, options.token);
  if (target) return watchLive(target, options);
  const cwd = process.cwd();
  if (isFolder(resolvePath(cwd, pad))) return watchFolder(resolvePath(cwd, pad));
  const file = padPath(pad, cwd);
  useAdditions(file);
  const session = createSession({
    file,
    target: options.process ? 'process' : 'auto',
    keepStarted: options.keepProcesses ?? false,
  });
  const screen = process.stdout.isTTY === true ? new Screen() : undefined;
  let latest: PadRecord | undefined;
  let problem = '';

  const show = (record: PadRecord | undefined): void => {
    const options = {
      width: process.stdout.columns ?? 120,
      cwd,
      paint: makePaint(wantsColour(process.stdout, process.env)),
    };
    if (screen) {
      if (record) screen.show(sceneOf(record, options, problem), options.width);
      return;
    }
    // In a pipe: one plain listing per finished run.
    if (problem) process.stdout.write(`${problem}\n\n`);
    if (record?.ended) {
      const entry = record.program.files.find((one) => one.file === file)!;
      process.stdout.write(`${recordText(record, entry.lines, options)}\n`);
    }
  };

  const saved = new SavedFiles(() => execute());
  const execute = (): void => {
    problem = '';
    try {
      session.execute();
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
      // The file vanished or is no text now: the last view stays, with the reason.
      problem = `${error.code}  ${error.message}`;
      show(latest);
    }
    saved.add(session.files);
  };
  session.onRecord((record) => {
    latest = record;
    show(record);
  });
  return new Promise((resolve) => {
    const end = (code: number): void => {
      screen?.close();
      void Promise.all([saved.close(), session.close()]).then(() => resolve(code));
    };
    process.once('SIGINT', () => end(0));
    process.once('SIGTERM', () => end(0));
    screen?.open((key) => (key === 'quit' ? end(0) : show(latest)));
    execute();
  });
}

function sceneOf(record: PadRecord, options: Parameters<typeof recordText>[2], problem: string): Scene {
  const entry = record.program.files.find((one) => one.file === record.file)!;
  const tests = testLines(record, options);
  return {
    head: headLine(record, options),
    listing: listingLines(record, entry.lines, options),
    sections: [
      ['Errors', problem ? [options.paint.fail(problem)] : errorLines(record, options), false],
      [`Console ${record.console.length + record.consoleOmitted}`, consoleLines(record, options), true],
      [`Tests ${tests.length}`, tests, false],
    ],
    keys: 'q ends',
  };
}

function isFolder(path: string): boolean {
  return statSync(path, { throwIfNoEntry: false })?.isDirectory() === true;
}
