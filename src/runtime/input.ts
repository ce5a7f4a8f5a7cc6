/** The data that a pad works on: `input` of `usher-anvil/pad`. Read when it is first asked for. */
import * as own from './originals.js';

/** Data as the host gives it: bytes, or how to get them. */
export interface InputSource {
  /** As a person calls it: a file name, `standard input`, `pasted text`. */
  name: string;
  read(): Uint8Array;
}

export interface InputEngine {
  /** Decodes UTF-8; undefined where the bytes are none. */
  decode(bytes: Uint8Array): string | undefined;
  /** Parses comma-separated values; throws with a `message` and a `line`. */
  csv(text: string, options: { separator: string; header: boolean }): unknown[];
}

export interface CsvOptions {
  /** Between two cells; found out where it is absent. */
  separator?: string;
  /** The first row names the columns, and rows are objects. On by default. */
  header?: boolean;
  /** Cells that are written as a number become one. */
  numbers?: boolean;
}

class InputError extends own.ErrorCopy {
  readonly code: string;
  constructor(code: string, message: string) {
    super(message);
    this.code = code;
  }
}
own.defineProperty(InputError.prototype, 'name', { value: 'InputError' });

/** Longest text that an engine holds in one string, with room to spare. */
const MOST_TEXT = 500_000_000;

export class Input {
  private held: { bytes: Uint8Array; text?: string; lines?: string[] } | undefined;

  constructor(
    private readonly source: () => InputSource | undefined,
    private readonly engine: () => InputEngine | undefined,
    /** Says something beside the line that asks. */
    private readonly tell: (text: string) => void,
  ) {}

  /** What a pad gets. */
  moduleExports(): object {
    const input = this;
    return own.freeze({
      get name() {
        return input.needed().name;
      },
      get size() {
        return input.bytes().length;
      },
      get bytes() {
        return input.bytes();
      },
      get text() {
        return input.text();
      },
      get lines() {
        return input.lines();
      },
      json: () => input.json(),
      csv: (options?: CsvOptions) => input.csv(options ?? {}),
    });
  }

  private needed(): InputSource {
    const source = this.source();
    if (!source)
      throw new InputError(
        'E_NO_INPUT',
        'no data is there. Give it with --input <file>, pipe it in, paste it in the workbench, ' +
          'or name a file behind a line: //~ from: passages.log',
      );
    return source;
  }

  private bytes(): Uint8Array {
    if (!this.held) {
      const source = this.needed();
      let bytes: Uint8Array;
      try {
        bytes = source.read();
      } catch (error) {
        throw new InputError('E_INPUT', `${source.name} cannot be read: ${(error as Error).message}`);
      }
      this.held = { bytes };
    }
    return this.held.bytes;
  }

  private text(): string {
    const bytes = this.bytes();
    if (this.held!.text !== undefined) return this.held!.text;
    const { name } = this.needed();
    if (bytes.length > MOST_TEXT)
      throw new InputError(
        'E_INPUT',
        `${name} has ${own.numberLocale(Math.round(bytes.length / 1e6))} MB: more than ` +
          'one text can hold. Read input.bytes part by part.',
      );
    const text = this.engine()!.decode(bytes);
    if (text === undefined) {
      const at = firstBad(bytes);
      throw new InputError(
        'E_INPUT',
        `${name} is not UTF-8 text${at < 0 ? '' : ` (byte ${own.numberLocale(at)})`}. Use input.bytes.`,
      );
    }
    this.held!.text = text.charCodeAt(0) === 0xfeff ? own.slice(text, 1) : text;
    return this.held!.text;
  }

  private lines(): string[] {
    const known = this.held?.lines;
    if (known) return known;
    const text = this.text();
    const lines: string[] = [];
    let crlf = 0;
    let at = 0;
    for (let end = own.indexOf(text, '\n', at); end >= 0; end = own.indexOf(text, '\n', at)) {
      const cut = end > at && text.charCodeAt(end - 1) === 13;
      if (cut) crlf++;
      own.append(lines, own.slice(text, at, cut ? end - 1 : end));
      at = end + 1;
    }
    const ends = lines.length;
    if (at < text.length) own.append(lines, own.slice(text, at));
    const empty = countEmpty(lines);
    const how =
      ends === 0
        ? 'no line end in it'
        : crlf === 0
          ? 'split at \\n'
          : crlf === ends
            ? 'split at \\r\\n'
            : `split at \\n and ${own.numberLocale(crlf)} times at \\r\\n`;
    this.tell(
      `${own.numberLocale(lines.length)} ${lines.length === 1 ? 'line' : 'lines'}, ${how}${ends > 0 && at >= text.length ? '; the last line end begins no further line' : ''}${empty > 0 ? `; ${own.numberLocale(empty)} ${empty === 1 ? 'is' : 'are'} empty` : ''}`,
    );
    this.held!.lines = lines;
    return lines;
  }

  private json(): unknown {
    const text = this.text();
    try {
      return JSON.parse(text);
    } catch (error) {
      const { name } = this.needed();
      const message = (error as Error).message;
      const found = /position (\d+)/.exec(message);
      let where = '';
      if (found) {
        const at = Number(found[1]);
        let line = 1;
        let start = 0;
        for (let end = own.indexOf(text, '\n'); end >= 0 && end < at; end = own.indexOf(text, '\n', end + 1)) {
          line++;
          start = end + 1;
        }
        where = `, line ${line}, character ${at - start + 1}`;
      } else {
        // Newer engines quote what is around the place in its stead.
        const quoted = /"(?:\.\.\.)?([\s\S]*?)(?:\.\.\.)?" is not valid JSON$/.exec(
          message.replace(/^[^"]*, (?:\.\.\.)?(?=")/, ''),
        );
        const at = quoted ? own.indexOf(text, quoted[1]!) : -1;
        if (at >= 0) {
          let line = 1;
          for (let end = own.indexOf(text, '\n'); end >= 0 && end < at; end = own.indexOf(text, '\n', end + 1)) line++;
          where = `, line ${line}`;
        }
      }
      const first = text.slice(0, 10_000).split('\n', 2);
      const perLine = first.length === 2 && isJson(first[0]!) && (isJson(first[1]!) || first[1] === '');
      throw new InputError(
        'E_INPUT',
        `${name} is not JSON${where}: ${message}${perLine ? ' Each of its lines is: input.lines.map((line) => JSON.parse(line)).' : ''}`,
      );
    }
  }

  private csv(options: CsvOptions): unknown[] {
    const text = this.text();
    const { name } = this.needed();
    const head = text.slice(0, 20_000).split(/\r?\n/, 1)[0] ?? '';
    let separator = options.separator ?? ',';
    if (options.separator === undefined) {
      let most = 0;
      for (const candidate of [',', ';', '\t', '|']) {
        const count = head.split(candidate).length - 1;
        if (count > most) {
          most = count;
          separator = candidate;
        }
      }
    }
    const header = options.header ?? true;
    let rows: unknown[];
    try {
      rows = this.engine()!.csv(text, { separator, header });
    } catch (error) {
      const { line } = error as { line?: number };
      throw new InputError(
        'E_INPUT',
        `${name} cannot be read as rows of ` +
          `cells${line === undefined ? '' : `, line ${line}`}: ${(error as Error).message}`,
      );
    }
    if (options.numbers) for (let i = 0; i < rows.length; i++) numbered(rows[i] as Record<string, unknown>);
    this.tell(
      `${own.numberLocale(rows.length)} rows, cells ` +
        `between ${separator === '\t' ? 'tabs' : `"${separator}"`}, ${header ? 'columns named by the first line' : 'no names'}`,
    );
    return rows;
  }
}

function numbered(row: Record<string, unknown>): void {
  for (const key of own.keys(row)) {
    const cell = row[key];
    if (typeof cell === 'string' && /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(cell)) row[key] = Number(cell);
  }
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

function countEmpty(lines: readonly string[]): number {
  let count = 0;
  for (let i = 0; i < lines.length; i++) if (lines[i] === '') count++;
  return count;
}

/** Index of the first byte that cannot stand in UTF-8 (RFC 3629, section 4), or -1. */
function firstBad(bytes: Uint8Array): number {
  for (let i = 0; i < bytes.length;) {
    const byte = bytes[i]!;
    const more =
      byte < 0x80
        ? 0
        : byte >= 0xc2 && byte < 0xe0
          ? 1
          : byte >= 0xe0 && byte < 0xf0
            ? 2
            : byte >= 0xf0 && byte < 0xf5
              ? 3
              : -1;
    if (more < 0) return i;
    for (let k = 1; k <= more; k++) if ((bytes[i + k]! & 0xc0) !== 0x80) return i;
    i += more + 1;
  }
  return -1;
}
