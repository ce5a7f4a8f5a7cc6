/** `usher-anvil watch`: the listing of a pad, redrawn at each save. */
import { watch as watchFiles } from 'chokidar';
import { createSession } from '../hosts/node/index.js';
import { padPath } from '../hosts/node/files.js';
import type { PadRecord } from '../record/record.js';
import { AnvilError } from '../syntax/problems.js';
import { consoleLines, errorLines, headLine, listingLines, recordText, testLines } from './listing.js';
import { cut, makePaint, wantsColour } from './paint.js';

const ENTER = '\u001b[?1049h\u001b[?25l';
const LEAVE = '\u001b[?25h\u001b[?1049l';

export interface WatchOptions {
  process?: boolean;
}

/** Watches until interrupted; resolves with the exit code. */
export async function watchCommand(pad: string, options: WatchOptions): Promise<number> {
  const cwd = process.cwd();
  const file = padPath(pad, cwd);
  const session = createSession({ file, target: options.process ? 'process' : 'auto' });
  const screen = process.stdout.isTTY === true ? new Screen() : undefined;
  let latest: PadRecord | undefined;
  let problem = '';

  const show = (record: PadRecord | undefined): void => {
    const options = { width: process.stdout.columns ?? 120, cwd, paint: makePaint(wantsColour(process.stdout, process.env)) };
    if (screen) {
      if (record) screen.show(record, options, problem);
      return;
    }
    // In a pipe: one plain listing per finished run.
    if (problem) process.stdout.write(`${problem}\n\n`);
    if (record?.ended) {
      const entry = record.program.files.find((one) => one.file === file)!;
      process.stdout.write(`${recordText(record, entry.lines, options)}\n`);
    }
  };

  const watcher = watchFiles([], { ignoreInitial: true, awaitWriteFinish: false });
  const watched = new Set<string>();
  const follow = (): void => {
    for (const one of session.files) {
      if (watched.has(one)) continue;
      watched.add(one);
      watcher.add(one);
    }
  };
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
    follow();
  };
  session.onRecord((record) => {
    latest = record;
    show(record);
  });
  let pending: NodeJS.Timeout | undefined;
  watcher.on('all', (event, path) => {
    // An editor may replace the file: forget the watch, so that the new one is taken.
    if (event === 'unlink') {
      watched.delete(path);
      watcher.unwatch(path);
    }
    clearTimeout(pending);
    pending = setTimeout(() => {
      const before = textsOf();
      execute();
      // The watcher swallows a second change within 50 ms: look again when that time is over.
      pending = setTimeout(() => {
        if (textsOf() !== before) execute();
      }, 80);
    }, 15);
  });
  const textsOf = (): string =>
    session.files
      .map((one) => {
        try {
          return session.textOf(one);
        } catch {
          return '';
        }
      })
      .join('\u0000');

  return new Promise((resolve) => {
    const end = (code: number): void => {
      screen?.close();
      clearTimeout(pending);
      void Promise.all([watcher.close(), session.close()]).then(() => resolve(code));
    };
    process.once('SIGINT', () => end(0));
    process.once('SIGTERM', () => end(0));
    screen?.open((key) => (key === 'quit' ? end(0) : show(latest)));
    execute();
  });
}

/** A full-screen view that writes each frame in one piece, so nothing flickers. */
class Screen {
  private top = 0;
  private last: string[] = [];

  open(onKey: (key: 'quit' | 'redraw') => void): void {
    process.stdout.write(ENTER);
    process.stdout.on('resize', () => {
      this.last = [];
      onKey('redraw');
    });
    if (!process.stdin.isTTY) return;
    process.stdin.setRawMode(true);
    process.stdin.resume();
    process.stdin.on('data', (data: Buffer) => {
      const key = data.toString();
      const page = Math.max(1, (process.stdout.rows ?? 24) - 8);
      if (key === 'q' || key === '\u0003' || key === '\u0004') onKey('quit');
      else if (key === '\u001b[A' || key === 'k') this.move(-1, onKey);
      else if (key === '\u001b[B' || key === 'j') this.move(1, onKey);
      else if (key === '\u001b[5~') this.move(-page, onKey);
      else if (key === '\u001b[6~' || key === ' ') this.move(page, onKey);
    });
  }

  private move(by: number, onKey: (key: 'redraw') => void): void {
    this.top = Math.max(0, this.top + by);
    onKey('redraw');
  }

  show(record: PadRecord, options: Parameters<typeof recordText>[2], problem: string): void {
    const rows = process.stdout.rows ?? 24;
    const entry = record.program.files.find((one) => one.file === record.file)!;
    const listing = listingLines(record, entry.lines, options);
    const errors = problem ? [options.paint.fail(problem)] : errorLines(record, options);
    const console = consoleLines(record, options);
    const tests = testLines(record, options);
    const dock: string[] = [];
    const room = Math.max(3, Math.floor(rows * 0.4));
    for (const [title, lines, newestLast] of [
      ['Errors', errors, false],
      [`Console ${record.console.length + record.consoleOmitted}`, console, true],
      [`Tests ${tests.length}`, tests, false],
    ] as const) {
      if (lines.length === 0 || dock.length >= room - 1) continue;
      const share = Math.max(1, Math.min(lines.length, room - dock.length - 1));
      dock.push(options.paint.bold(title), ...(newestLast ? lines.slice(-share) : lines.slice(0, share)));
    }
    const space = Math.max(1, rows - dock.length - 3);
    this.top = Math.min(this.top, Math.max(0, listing.length - space));
    const visible = listing.slice(this.top, this.top + space);
    while (visible.length < space) visible.push('');
    const more =
      listing.length > space
        ? options.paint.dim(`lines ${this.top + 1}–${Math.min(listing.length, this.top + space)} of ${listing.length}, arrows scroll · `)
        : '';
    this.draw([headLine(record, options), ...visible, `${more}${options.paint.dim('q ends')}`, ...dock].slice(0, rows), options.width);
  }

  /** Writes the lines that changed, each cut to the window, in one write. */
  private draw(lines: string[], width: number): void {
    let frame = '';
    lines.forEach((line, row) => {
      if (this.last[row] === line) return;
      frame += `\u001b[${row + 1};1H${clip(line, width)}\u001b[0m\u001b[K`;
    });
    if (this.last.length > lines.length) frame += `\u001b[${lines.length + 1};1H\u001b[J`;
    this.last = lines;
    if (frame !== '') process.stdout.write(frame);
  }

  close(): void {
    process.stdout.write(LEAVE);
    if (process.stdin.isTTY) {
      process.stdin.setRawMode(false);
      process.stdin.pause();
    }
  }
}

/** Cuts a line with colours to the window. */
function clip(line: string, width: number): string {
  let used = 0;
  let result = '';

  for (const part of line.split(/(\u001b\[[0-9;]*m)/)) {
    if (part.startsWith('\u001b[')) result += part;
    else if (used < width) {
      const text = cut(part, width - used);
      result += text;
      used += [...text].length;
    }
  }
  return result;
}
