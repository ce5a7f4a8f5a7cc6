/** `usher-anvil watch <target>`: a file of a live program in the terminal, with what its functions do. */
import { parse } from 'node:path';
import { LineTable } from '../syntax/positions.js';
import type { ErrorMessage, RecordMessage, ToWindow } from '../server/protocol.js';
import type { LineView } from '../views/margin.js';
import { PROTOCOL } from '../server/protocol.js';
import { listingOf } from './listing.js';
import { cut, harmless, makePaint, wantsColour, type Paint } from './paint.js';
import { Screen, type Scene } from './screen.js';
import { joinAt } from '../server/program-bench.js';

export interface WatchLiveOptions {
  in?: string;
  look?: string;
}

/** Milliseconds between two listings in a pipe. */
const PIPE_MS = 2_000;

function hasSomething({ hits, items }: RecordMessage['lines'][number]): boolean {
  return hits > 0 || items.length > 0;
}

/** Shows until interrupted, or until the program has ended; resolves with the exit code. */
export async function watchLive(
  target: { name: string; address: string; token: string },
  options: WatchLiveOptions,
): Promise<number> {
  const screen = process.stdout.isTTY === true ? new Screen() : undefined;
  let record: RecordMessage | undefined;
  let lines = new LineTable('');
  let file = '';
  let problem = '';
  let looked = false;
  let printed = 0;
  let end: (code: number) => void = () => undefined;
  const ended = new Promise<number>((resolve) => (end = resolve));

  const scene = (paint: Paint, width: number): Scene =>
    sceneOf(target.name, file, record!, lines, problem, { paint, width });
  const show = (): void => {
    if (!record) return;
    const width = process.stdout.columns ?? 120;
    const paint = makePaint(wantsColour(process.stdout, process.env));
    if (screen) {
      screen.show(scene(paint, width), width);
      return;
    }
    // In a pipe: a plain listing now and then, the first when something was counted.
    const now = Date.now();
    if (now - printed < PIPE_MS || (printed === 0 && !record.lines.some(hasSomething))) return;
    printed = now;
    process.stdout.write(plainText(scene(paint, width), paint));
  };
  const window = await joinAt(target, {
    page: (message) => take(message),
    ended: (text) => leave(text),
  });
  const ask = (message: Parameters<typeof window.ask<'window'>>[1]['message']): void => {
    window.ask('window', { message }).catch((error: unknown) => {
      problem = (error as Error).message;
      show();
    });
  };
  const leave = (text: string, code = 0): void => {
    screen?.close();
    if (text !== '') (code === 0 ? process.stdout : process.stderr).write(`${harmless(text)}\n`);
    window.close();
    end(code);
  };
  function take(message: ToWindow): void {
    switch (message.type) {
      case 'welcome':
        file = options.in === undefined ? (message.pad ?? '') : fileNamed(options.in, message.pads);
        if (file === '') {
          leave(
            `${options.in} is no module of ${target.name}; its modules are ${message.pads.slice(0, 12).join(', ')}`,
            2,
          );
          return;
        }
        ask({ type: 'show', file, run: false });
        break;
      case 'text':
        lines = new LineTable(message.text);
        break;
      case 'record':
        if (message.file !== file) break;
        record = message;
        if (!looked && options.look !== undefined) {
          const line = lineNamed(options.look, lines) ?? bodyLine(options.look, file, record);
          // Until something of a component has run, nothing is known of its body.
          looked = line !== undefined || !isBody(options.look, file);
          if (!looked) break;
          if (line === undefined) problem = `${options.look} is neither a line nor a name in ${file}`;
          else ask({ type: 'inspect', file, line });
        }
        show();
        break;
      case 'problem':
        problem = `${message.code}  ${message.message}`;
        show();
        break;
    }
  }
  /** To the next function that begins on a line of its own. */
  const next = (): void => {
    const line = functionAfter(at, record);
    if (line === undefined) return;
    at = line;
    ask({ type: 'inspect', file, line });
  };
  let at = -1;
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => leave(''));
  process.stdout.on('error', () => leave(''));
  screen?.open((key) => {
    if (key === 'quit') leave('');
    else if (key === 'f') next();
    else if (key === 'c' || key === 'a') ask({ type: key === 'c' ? 'shut' : 'again', file });
    else show();
  });
  ask({ type: 'hello', format: PROTOCOL });
  return ended;
}

function sceneOf(
  name: string,
  file: string,
  record: RecordMessage,
  lines: LineTable,
  problem: string,
  { paint, width }: { paint: Paint; width: number },
): Scene {
  return {
    head: headOf(name, file, record, paint),
    listing: listingOf(new Map(record.lines.map((line) => [line.line, line as LineView])), lines, { paint, width }),
    sections: [
      [
        'Errors',
        [
          ...(problem === '' ? [] : [paint.fail(problem)]),
          ...record.errors.flatMap((error) => errorLines(error, paint, width)),
        ],
        false,
      ],
      [
        `Console ${(record.console.length + record.consoleOmitted).toLocaleString('en-US')}`,
        consoleLines(record, file, paint),
        true,
      ],
    ],
    keys: 'q ends, the program goes on · f looks into the next function, c only counts, a begins it anew',
  };
}

/** As it goes into a pipe. */
function plainText({ head, listing, sections }: Scene, paint: Paint): string {
  const rest = sections
    .filter(([, list]) => list.length > 0)
    .map(([title, list]) => [paint.bold(title), ...list.slice(-20)].join('\n'));
  return `${[[head, ...listing].join('\n'), ...rest].join('\n\n')}\n\n`;
}

/** The next line on which a function begins, from the top again behind the last one. */
function functionAfter(line: number, record: RecordMessage | undefined): number | undefined {
  const heads = (record?.lines ?? [])
    .filter((one) => one.items.some((item) => item.kind === 'calls'))
    .map((one) => one.line);
  return heads.find((one) => one > line) ?? heads[0];
}

function fileNamed(name: string, files: readonly string[]): string {
  return files.find((one) => one === name) ?? files.find((one) => one.endsWith(`/${name}`)) ?? '';
}

/** A line number, or the first line that declares the name. */
function lineNamed(text: string, lines: LineTable): number | undefined {
  if (/^\d+$/.test(text)) return Number(text) - 1;
  const name = text.replace(/[^\p{ID_Continue}$]/gu, '');
  const pattern = new RegExp(
    `(?:function\\*?\\s+|(?:const|let|var)\\s+|^\\s*(?:(?:static|async|get|set)\\s+)*#?)${name.replace(/\$/g, '\\$')}\\s*(?:[=(:<])`,
    'u',
  );
  for (let line = 0; line < lines.lineCount; line++) if (name !== '' && pattern.test(lines.line(line))) return line;
  return undefined;
}

/** A single-file component is itself the function that is meant by its name, or by that of its `setup`. */
function bodyLine(name: string, file: string, record: RecordMessage): number | undefined {
  return isBody(name, file) ? record.lines.find((line) => line.state !== 'none')?.line : undefined;
}

const isBody = (name: string, file: string): boolean =>
  /\.(?:vue|svelte)$/.test(file) && (name === 'setup' || name === parse(file).name);

function headOf(name: string, file: string, record: RecordMessage, paint: Paint): string {
  const { run, trouble } = record.summary;
  const parts = [paint.bold(name), file, paint.dim(run)];
  if (record.live?.opened !== undefined)
    parts.push(paint.straw(`values of ${record.live.opened.replace(/\//g, ' › ')}`));
  if (record.stale) parts.push(paint.fail('the text does not parse: the program runs what it had'));
  if (trouble) parts.push(paint.fail(trouble));
  const waits = record.live?.waiting.length ?? 0;
  if (waits > 0) parts.push(paint.straw(waits === 1 ? '1 statement waits' : `${waits} statements wait`));
  return parts.map(harmlessButColours).join(paint.dim('  '));
}

const harmlessButColours = (text: string): string =>
  text
    .split(/(\u001b\[[0-9;]*m)/)
    .map((part, index) => (index % 2 === 1 ? part : harmless(part)))
    .join('');

function errorLines(error: ErrorMessage, paint: Paint, width: number): string[] {
  const head = `${paint.fail('✗')} ${error.at.file}:${error.at.line + 1}  ${harmless(error.text.split('\n')[0]!)}`;
  const why = [error.reason, error.hint].filter(Boolean).map(harmless).join('. ');
  return [
    head,
    ...(why === '' ? [] : [cut(`    ${why}`, Math.max(60, width))]),
    ...error.values.map((one) => `    ${paint.dim(harmless(one.name))} = ${paint.value(harmless(one.text))}`),
  ];
}

function consoleLines(record: RecordMessage, file: string, paint: Paint): string[] {
  const rows = record.console.flatMap((entry) => {
    const place = !entry.at
      ? ''
      : entry.at.file === file
        ? String(entry.at.line + 1)
        : `${entry.at.file}:${entry.at.line + 1}`;
    const where = entry.where === undefined ? '' : ` ${entry.where}`;
    const mark =
      entry.level === 'error'
        ? paint.fail('! ')
        : entry.level === 'warn'
          ? paint.straw('* ')
          : /^std/.test(entry.level)
            ? paint.dim('> ')
            : '  ';
    return entry.text
      .split('\n')
      .map(
        (line, index) =>
          `${paint.dim((index === 0 ? `${place}${where}` : '').padStart(4))} ${mark}${'  '.repeat(entry.indent)}${harmless(line)}`,
      );
  });
  return record.consoleOmitted > 0
    ? [paint.dim(`${record.consoleOmitted.toLocaleString('en-US')} lines more were printed and only counted`), ...rows]
    : rows;
}
