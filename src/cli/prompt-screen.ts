/** What a prompt prints: results, and what comes while a line is typed, above it. */
import { clearLine, clearScreenDown, cursorTo, type Interface, moveCursor } from 'node:readline';
import { harmless, makePaint, type Paint, wantsColour } from './paint.js';

/** Lines of output that are shown at once, and in each second of a flood. */
const MOST_LINES = 4;

export class PromptScreen {
  readonly paint: Paint = makePaint(wantsColour(process.stdout, process.env));
  /** The line that is typed; undefined in a pipe, and before the first. */
  lines: Interface | undefined;
  /** Something runs, and no line is typed. */
  busy = false;
  /** Output of the program is not shown. */
  hidden = false;
  /** What the program printed in this second. */
  private readonly printed: { lines: string[]; open: string; timer: NodeJS.Timeout | undefined; shown: number } = {
    lines: [],
    open: '',
    timer: undefined,
    shown: 0,
  };

  constructor(readonly interactive: boolean) {}

  /** Prints what answers a line. */
  say(text: string): void {
    process.stdout.write(text);
  }

  complain(text: string): void {
    process.stderr.write(`${this.paint.fail(harmless(text))}\n`);
  }

  /** What the program prints is shown from now on, or not. */
  hide(hidden: boolean): void {
    this.hidden = hidden;
    this.printed.lines.length = 0;
    this.printed.open = '';
  }

  /** Output of the program; of one that prints much, the newest lines of each second, and how many are left out. */
  output(text: string): void {
    if (!this.interactive) {
      this.late(text);
      return;
    }
    if (this.hidden) return;
    const { printed } = this;
    const lines = (printed.open + text).split('\n');
    printed.open = lines.pop()!;
    for (const line of lines) {
      if (printed.shown < MOST_LINES) {
        printed.shown++;
        this.late(`${line}\n`);
      } else printed.lines.push(line);
    }
    printed.timer ??= setTimeout(() => this.second(), 1_000);
    printed.timer.unref();
  }

  private second(): void {
    const { printed } = this;
    const left = printed.lines.length;
    const newest = printed.lines.splice(0).slice(-MOST_LINES);
    printed.timer = undefined;
    printed.shown = newest.length;
    if (left > newest.length)
      this.late(`${this.paint.dim(`… ${(left - newest.length).toLocaleString('en-US')} lines`)}\n`);
    if (newest.length > 0) this.late(`${newest.join('\n')}\n`);
    // A line that has no end yet, as of a progress bar.
    if (printed.open !== '' && left === 0) {
      this.late(`${printed.open}\n`);
      printed.open = '';
    }
  }

  /** Prints what comes while a line is typed, above it. */
  late(text: string): void {
    const { lines } = this;
    const whole = text.endsWith('\n') ? text : `${text}\n`;
    if (!this.interactive || !lines) {
      if (text !== '') process.stdout.write(text);
      return;
    }
    // The line may take several rows of the window.
    const { rows } = lines.getCursorPos();
    cursorTo(process.stdout, 0);
    moveCursor(process.stdout, 0, -rows);
    clearLine(process.stdout, 0);
    clearScreenDown(process.stdout);
    process.stdout.write(whole);
    if (!this.busy) lines.prompt(true);
  }
}
