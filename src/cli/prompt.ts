/** `usher-anvil prompt`: enters code inside a module of a live program. */
import { relative, resolve } from 'node:path';
import { type Interface, clearLine, clearScreenDown, createInterface, cursorTo, moveCursor } from 'node:readline';
import { valueText } from '../runtime/text.js';
import type { Answers } from '../server/door-methods.js';
import { targetNamed } from '../server/targets.js';
import { type Window, joinTarget } from '../server/window.js';
import { MOST_ENTERED, enteredBefore, rememberEntered } from '../server/workbench/entered.js';
import { nearest } from '../syntax/names.js';
import { AnvilError } from '../syntax/problems.js';
import { treeLines } from '../views/tree.js';
import { eventLines } from './live.js';
import { type Paint, harmless, makePaint, wantsColour } from './paint.js';
import { oneLine } from './prompt-history.js';

export interface PromptOptions {
  in?: string;
  token?: string;
  evaluate?: string;
}

/** Lines of output that are shown at once, and in each second of a flood. */
const MOST_LINES = 4;

/** Characters of a result in its line; all of it is seen with `open`. */
const WIDE = 600;

export async function promptCommand(name: string | undefined, options: PromptOptions): Promise<number> {
  const address = name !== undefined && /^(127\.0\.0\.1|localhost):\d+$/.test(name) ? name : undefined;
  const token = options.token ?? process.env.USHER_ANVIL_TOKEN;
  const target = address !== undefined && token !== undefined ? { name: address, address, token } : targetNamed(name);
  const session = new Prompt(
    target.name,
    process.stdin.isTTY === true && process.stdout.isTTY === true && options.evaluate === undefined,
  );
  const window = await joinTarget(target.address, target.token, session.listeners);
  await session.begin(window, options.in);
  if (options.evaluate !== undefined) {
    const code = (await session.enter(options.evaluate)) ? 0 : 1;
    window.close();
    return code;
  }
  return session.run();
}

class Prompt {
  private readonly paint: Paint;
  private readonly cwd = process.cwd();
  private window!: Window;
  private files: string[] = [];
  private file = '';
  /** Label of the place, where the file runs in several. */
  private where: string | undefined;
  private lines: Interface | undefined;
  private readonly results: number[] = [];
  private failed = false;
  /** Lines of an entry that is not whole yet. */
  private begun: string[] = [];
  private busy = false;
  private end: (code: number) => void = () => undefined;

  constructor(
    private readonly name: string,
    private readonly interactive: boolean,
  ) {
    this.paint = makePaint(wantsColour(process.stdout, process.env));
  }

  readonly listeners = {
    event: (event: Parameters<typeof eventLines>[0] & { text: string }): void => {
      // What was entered here is answered here; in a pipe only errors are of interest.
      if (event.text.startsWith('entered: ') && this.busy) return;
      if (this.interactive) this.late(eventLines(event, this.paint, this.cwd));
    },
    output: ({ text, omitted }: { text: string; omitted: number }): void => {
      const more = omitted > 0 ? `… ${omitted.toLocaleString('en-US')} characters are left out\n` : '';
      if (this.interactive) this.thinned(harmless(text) + more);
      else this.late(harmless(text) + more);
    },
    ended: (text: string): void => {
      this.late(`${this.paint.fail(harmless(text))}\n`);
      this.lines?.close();
      this.end(this.failed || !this.interactive ? 1 : 0);
    },
  };

  async begin(window: Window, file: string | undefined): Promise<void> {
    this.window = window;
    const { files, entry } = await window.ask('describe', {});
    this.files = files;
    this.file = file === undefined ? entry : this.fileNamed(file);
  }

  private fileNamed(name: string): string {
    const path = resolve(this.cwd, name);
    const found = this.files.find((one) => one === path) ?? this.files.find((one) => one.endsWith(`/${name}`));
    if (found !== undefined) return found;
    const short = this.files.map((one) => this.short(one));
    const near = nearest(name, short);
    throw new AnvilError(
      'E_NOT_FOUND',
      `${name} is no module ` +
        `of ${this.name}${near ? `. Did you mean ${near}?` : `; its modules are ${short.slice(0, 12).join(', ')}`}`,
    );
  }

  private short(file: string): string {
    const path = relative(this.cwd, file);
    return path === '' || path.startsWith('..') ? file : path;
  }

  private prompt(): string {
    return this.begun.length > 0
      ? `${this.paint.dim('…')} `
      : `${this.paint.bold(this.short(this.file).split('/').pop()!)}${this.where === undefined ? '' : ` ${this.paint.dim(this.where)}`} ${this.paint.value('▸')} `;
  }

  /** What the program printed in this second. */
  private printed: { lines: string[]; open: string; timer: NodeJS.Timeout | undefined; shown: number } = {
    lines: [],
    open: '',
    timer: undefined,
    shown: 0,
  };
  private hidden = false;

  /** Output of a program that prints much: the newest lines of each second, and how many are left out. */
  private thinned(text: string): void {
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
    printed.timer ??= setTimeout(() => {
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
    }, 1_000);
    printed.timer.unref();
  }

  /** Prints what comes while a line is typed, above it. */
  private late(text: string): void {
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

  /** Interactive, or the lines of a pipe, to the end. */
  async run(): Promise<number> {
    await this.window.ask('listen', { on: true });
    const history = this.interactive ? enteredBefore().flatMap(oneLine) : [];
    const lines = (this.lines = createInterface({
      input: process.stdin,
      ...(this.interactive ? { output: process.stdout } : {}),
      terminal: this.interactive,
      history: [...history].reverse(),
      historySize: MOST_ENTERED,
      removeHistoryDuplicates: true,
      completer: (line: string, callback: (error: null, result: [string[], string]) => void) =>
        void this.complete(line).then((found) => callback(null, found)),
    }));
    const ended = new Promise<number>((resolve) => (this.end = resolve));
    if (this.interactive) {
      process.stdout.write(
        `${this.paint.bold(this.name)}  ${this.files.length} module${this.files.length === 1 ? '' : 's'}; ` +
          'Tab completes, Ctrl+D leaves, the program goes on\n',
      );
      lines.setPrompt(this.prompt());
      lines.prompt();
    }
    let queue: Promise<void> = Promise.resolve();
    lines.on('line', (line) => {
      // While something runs, what is typed waits its turn.
      queue = queue.then(() => this.take(line));
    });
    lines.on('SIGINT', () => {
      if (this.busy) {
        this.give?.();
        return;
      }
      this.begun = [];
      lines.write(null, { ctrl: true, name: 'e' });
      lines.write(null, { ctrl: true, name: 'u' });
      process.stdout.write('\n');
      lines.setPrompt(this.prompt());
      lines.prompt();
    });
    lines.on('close', () => {
      void queue.then(() => {
        if (this.begun.length > 0) this.complain('what was entered last is not whole');
        this.window.close();
        if (this.interactive) process.stdout.write('\n');
        this.end(this.failed && !this.interactive ? 1 : 0);
      });
    });
    return ended;
  }

  /** Stops waiting for what runs. */
  private give: (() => void) | undefined;

  private async take(line: string): Promise<void> {
    this.busy = true;
    try {
      const text = [...this.begun, line].join('\n');
      if (text.trim() === '') this.begun = [];
      else if (this.begun.length === 0 && (await this.word(line.trim()))) this.remember(line);
      else if (await this.whole(text)) {
        this.remember(text);
        this.begun = [];
      } else this.begun.push(line);
    } catch (error) {
      this.begun = [];
      this.complain((error as Error).message);
    } finally {
      this.busy = false;
      this.lines?.setPrompt(this.prompt());
      if (this.interactive) this.lines?.prompt();
    }
  }

  private get there(): { where?: string } {
    return this.where === undefined ? {} : { where: this.where };
  }

  private remember(entry: string): void {
    if (this.interactive) rememberEntered(entry);
  }

  /** Two words that are no JavaScript; true when they were taken. */
  private async word(line: string): Promise<boolean> {
    const found = /^(?:(open|undo|run|reset|show|hide) +(\S+)|(in) +(\S+)(?: +((?:thread|process|page) \d+))?)$/.exec(
      line,
    );
    if (!found) return false;
    const verb = (found[1] ?? found[3])!;
    const what = (found[2] ?? found[4])!;
    if (verb === 'open' && /^\d+$/.test(what)) {
      const moment = this.results[Number(what) - 1];
      const tree =
        moment === undefined
          ? undefined
          : await treeLines((request) => this.window.ask('look', { request } as never), moment, 0, {
              depth: 3,
              members: 50,
            });
      if (!tree)
        this.complain(
          moment === undefined ? `there is no result ${what}` : 'the program does not hold this value any more',
        );
      else
        process.stdout.write(
          tree.length === 0 ? '  nothing inside\n' : tree.map((one) => `  ${harmless(one)}\n`).join(''),
        );
      return true;
    }
    if (verb === 'in') {
      const { files, places } = await this.window.ask('describe', {});
      this.files = files;
      const file = this.fileNamed(what);
      const labels = places.filter((place) => place.files.includes(file)).map((place) => place.label);
      if (found[5] !== undefined && !labels.includes(found[5])) {
        this.complain(
          `${what} does not run in ${found[5]}${labels.length > 0 ? `; it runs in ${labels.join(', ')}` : ''}`,
        );
        return true;
      }
      this.file = file;
      this.where = found[5];
      if (found[5] === undefined && labels.length > 1)
        process.stdout.write(
          `${this.paint.dim(`it runs in ${labels.join(', ')}: in ${what} ${labels[1]!} takes that one`)}\n`,
        );
      return true;
    }
    if (verb === 'undo' && what === 'last') {
      const { done } = await this.window.ask('undo', {});
      if (!done) this.complain('there is no change to take back');
      return true;
    }
    if (verb === 'run' && what === 'waiting') {
      const { ran } = await this.window.ask('run', { file: this.file });
      process.stdout.write(`${ran === 0 ? 'no statement waits' : `${ran} statement${ran === 1 ? '' : 's'} ran`}\n`);
      return true;
    }
    if (verb === 'reset') {
      const { done } = await this.window.ask('reset', { file: this.file, name: what });
      if (!done) this.complain(`no save has given ${what} another first value than it lives with`);
      return true;
    }
    if ((verb === 'hide' || verb === 'show') && what === 'output') {
      this.hidden = verb === 'hide';
      this.printed.lines.length = 0;
      this.printed.open = '';
      return true;
    }
    if (verb === 'show' && what === 'names') {
      const { names } = await this.window.ask('complete', { file: this.file, text: '', ...this.there });
      process.stdout.write(names.map((one) => `  ${one.name}  ${this.paint.dim(harmless(one.text))}\n`).join(''));
      return true;
    }
    return false;
  }

  /** Evaluates; false when more has to come. */
  private async whole(text: string): Promise<boolean> {
    const asked = this.window.ask('evaluate', { file: this.file, text, ...this.there });
    const given = await Promise.race([
      asked,
      new Promise<undefined>((resolve) => (this.give = () => resolve(undefined))),
    ]);
    if (!given) {
      process.stdout.write('it goes on in the program; its result is told when it comes\n');
      void asked.then(
        (answer) => this.late(this.told(answer)),
        () => undefined,
      );
      return true;
    }
    if (given.is === 'incomplete') return false;
    process.stdout.write(this.told(given));
    return true;
  }

  /** Enters once; true when it went well. */
  async enter(text: string): Promise<boolean> {
    const answer = await this.window.ask('evaluate', { file: this.file, text, ...this.there });
    if (answer.is === 'done') process.stdout.write(this.told(answer));
    else process.stderr.write(this.told(answer));
    return answer.is === 'done';
  }

  private told(answer: Answers['evaluate']): string {
    const { paint } = this;
    switch (answer.is) {
      case 'incomplete':
        this.failed = true;
        return `${paint.fail('what was entered is not whole')}\n`;
      case 'wrong':
        this.failed = true;
        return answer.problems
          .map(({ line, message }) => `${paint.fail(`line ${line + 1}  ${harmless(message)}`)}\n`)
          .join('');
      case 'failed':
        this.failed = true;
        return `${paint.fail(harmless(answer.text))}\n${answer.details.map((one) => `    ${harmless(one)}\n`).join('')}`;
      case 'done': {
        const where =
          answer.where === undefined || this.where !== undefined ? '' : ` · in ${answer.where || 'the program'}`;
        const changes = answer.changes === '' ? '' : `${paint.pass(harmless(answer.changes))}${where}\n`;
        if (!answer.result) return changes;
        const text = harmless(valueText(answer.result.value, this.interactive ? WIDE : 10_000));
        this.results.push(answer.result.moment);
        if (!this.interactive) return `${changes}${text}\n`;
        return `${changes}${paint.dim(String(this.results.length).padStart(2))}  ${paint.value(text)}\n`;
      }
    }
  }

  private complain(text: string): void {
    this.failed = true;
    process.stderr.write(`${this.paint.fail(harmless(text))}\n`);
  }

  private async complete(line: string): Promise<[string[], string]> {
    try {
      const text = [...this.begun, line].join('\n');
      const { from, names } = await this.window.ask('complete', { file: this.file, text, ...this.there });
      return [names.map((one) => one.name).sort(), text.slice(from)];
    } catch {
      return [[], line];
    }
  }
}
