/** A full-screen view that writes each frame in one piece, so nothing flickers. */
import { cut, makePaint, wantsColour } from './paint.js';

const ENTER = '\u001b[?1049h\u001b[?25l';
const LEAVE = '\u001b[?25h\u001b[?1049l';

/** What is drawn: a head, a listing that scrolls, and what stands below it. */
export interface Scene {
  head: string;
  listing: string[];
  /** Title, lines, and whether the newest are last. */
  sections: readonly (readonly [string, readonly string[], boolean])[];
  /** What keys do. */
  keys: string;
}

export class Screen {
  private top = 0;
  private last: string[] = [];
  private opened = false;

  /** @param onKey `redraw` after scrolling and resizing; other letters as they are */
  open(onKey: (key: string) => void): void {
    this.opened = true;
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
      else if (/^[a-z]$/.test(key)) onKey(key);
    });
  }

  private move(by: number, onKey: (key: string) => void): void {
    this.top = Math.max(0, this.top + by);
    onKey('redraw');
  }

  show({ head, listing, sections, keys }: Scene, width: number): void {
    const rows = process.stdout.rows ?? 24;
    const paint = makePaint(wantsColour(process.stdout, process.env));
    const dock: string[] = [];
    const room = Math.max(3, Math.floor(rows * 0.4));
    for (const [title, lines, newestLast] of sections) {
      if (lines.length === 0 || dock.length >= room - 1) continue;
      const share = Math.max(1, Math.min(lines.length, room - dock.length - 1));
      dock.push(paint.bold(title), ...(newestLast ? lines.slice(-share) : lines.slice(0, share)));
    }
    const space = Math.max(1, rows - dock.length - 3);
    this.top = Math.min(this.top, Math.max(0, listing.length - space));
    const visible = listing.slice(this.top, this.top + space);
    while (visible.length < space) visible.push('');
    const more =
      listing.length > space
        ? paint.dim(
            `lines ${this.top + 1}–${Math.min(listing.length, this.top + space)} ` +
              `of ${listing.length}, arrows scroll · `,
          )
        : '';
    this.draw([head, ...visible, `${more}${paint.dim(keys)}`, ...dock].slice(0, rows), width);
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
    if (!this.opened) return;
    this.opened = false;
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
