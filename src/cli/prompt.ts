/** `usher-anvil prompt`: enters code inside a module of a live program. */
import { createInterface } from 'node:readline';
import { valueText } from '../runtime/text.js';
import type { Answers } from '../server/door-methods.js';
import { isAddress } from '../server/joined.js';
import { targetNamed } from '../server/targets.js';
import type { Window } from '../server/window.js';
import { MOST_ENTERED, enteredBefore, rememberEntered } from '../server/workbench/entered.js';
import { eventLines } from './event-lines.js';
import { harmless } from './paint.js';
import { oneLine } from './prompt-history.js';
import { PromptPlace } from './prompt-place.js';
import { PromptScreen } from './prompt-screen.js';
import { joinAt } from '../server/program-bench.js';
import { targetAt } from './target-address.js';
import { takeWords, type WordsAround } from './prompt-words.js';

export interface PromptOptions {
  in?: string;
  token?: string;
  evaluate?: string;
}

/** Characters of a result in its line; all of it is seen with `open`. */
const WIDE = 600;

export async function promptCommand(name: string | undefined, options: PromptOptions): Promise<number> {
  const target = name !== undefined && isAddress(name) ? targetAt(name, options.token) : targetNamed(name);
  const session = new Prompt(
    target.name,
    process.stdin.isTTY === true && process.stdout.isTTY === true && options.evaluate === undefined,
  );
  const window = await joinAt(target, session.listeners);
  await session.begin(window, options.in);
  if (options.evaluate !== undefined) {
    const code = (await session.enter(options.evaluate)) ? 0 : 1;
    window.close();
    return code;
  }
  return session.run();
}

class Prompt {
  private readonly screen: PromptScreen;
  private readonly place: PromptPlace;
  private window!: Window;
  private readonly results: number[] = [];
  private failed = false;
  /** Lines of an entry that is not whole yet. */
  private begun: string[] = [];
  private end: (code: number) => void = () => undefined;
  /** Stops waiting for what runs. */
  private give: (() => void) | undefined;

  constructor(
    private readonly name: string,
    private readonly interactive: boolean,
  ) {
    this.screen = new PromptScreen(interactive);
    this.place = new PromptPlace(name);
  }

  readonly listeners = {
    event: (event: Parameters<typeof eventLines>[0] & { text: string }): void => {
      // What was entered here is answered here; in a pipe only errors are of interest.
      if (event.text.startsWith('entered: ') && this.screen.busy) return;
      if (this.interactive) this.screen.late(eventLines(event, this.screen.paint, process.cwd()));
    },
    output: ({ text, omitted }: { text: string; omitted: number }): void => {
      const more = omitted > 0 ? `… ${omitted.toLocaleString('en-US')} characters are left out\n` : '';
      this.screen.output(harmless(text) + more);
    },
    ended: (text: string): void => {
      this.screen.late(`${this.screen.paint.fail(harmless(text))}\n`);
      this.screen.lines?.close();
      this.end(this.failed || !this.interactive ? 1 : 0);
    },
  };

  async begin(window: Window, file: string | undefined): Promise<void> {
    this.window = window;
    await this.place.begin(window, file);
  }

  private prompt(): string {
    const { paint } = this.screen;
    if (this.begun.length > 0) return `${paint.dim('…')} `;
    const file = paint.bold(this.place.short(this.place.file).split('/').pop()!);
    const where = this.place.where === undefined ? '' : ` ${paint.dim(this.place.where)}`;
    return `${file}${where} ${paint.value('▸')} `;
  }

  /** Interactive, or the lines of a pipe, to the end. */
  async run(): Promise<number> {
    await this.window.ask('listen', { on: true });
    const history = this.interactive ? enteredBefore().flatMap(oneLine) : [];
    const lines = (this.screen.lines = createInterface({
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
      const modules = this.place.files.length === 1 ? '1 module' : `${this.place.files.length} modules`;
      const name = this.screen.paint.bold(this.name);
      this.screen.say(`${name}  ${modules}; Tab completes, Ctrl+D leaves, the program goes on\n`);
      lines.setPrompt(this.prompt());
      lines.prompt();
    }
    let queue: Promise<void> = Promise.resolve();
    lines.on('line', (line) => {
      // While something runs, what is typed waits its turn.
      queue = queue.then(() => this.take(line));
    });
    lines.on('SIGINT', () => {
      if (this.screen.busy) {
        this.give?.();
        return;
      }
      this.begun = [];
      lines.write(null, { ctrl: true, name: 'e' });
      lines.write(null, { ctrl: true, name: 'u' });
      this.screen.say('\n');
      lines.setPrompt(this.prompt());
      lines.prompt();
    });
    lines.on('close', () => {
      void queue.then(() => {
        if (this.begun.length > 0) this.complain('what was entered last is not whole');
        this.window.close();
        if (this.interactive) this.screen.say('\n');
        this.end(this.failed && !this.interactive ? 1 : 0);
      });
    });
    return ended;
  }

  private async take(line: string): Promise<void> {
    this.screen.busy = true;
    try {
      const text = [...this.begun, line].join('\n');
      if (text.trim() === '') this.begun = [];
      else if (this.begun.length === 0 && (await takeWords(line.trim(), this.around))) this.remember(line);
      else if (await this.whole(text)) {
        this.remember(text);
        this.begun = [];
      } else this.begun.push(line);
    } catch (error) {
      this.begun = [];
      this.complain((error as Error).message);
    } finally {
      this.screen.busy = false;
      this.screen.lines?.setPrompt(this.prompt());
      if (this.interactive) this.screen.lines?.prompt();
    }
  }

  private remember(entry: string): void {
    if (this.interactive) rememberEntered(entry);
  }

  /** Evaluates; false when more has to come. */
  private async whole(text: string): Promise<boolean> {
    const asked = this.window.ask('evaluate', { file: this.place.file, text, ...this.place.there });
    const given = await Promise.race([
      asked,
      new Promise<undefined>((resolve) => (this.give = () => resolve(undefined))),
    ]);
    if (!given) {
      this.screen.say('it goes on in the program; its result is told when it comes\n');
      void asked.then(
        (answer) => this.screen.late(this.told(answer)),
        () => undefined,
      );
      return true;
    }
    if (given.is === 'incomplete') return false;
    this.screen.say(this.told(given));
    return true;
  }

  /** Enters once; true when it went well. */
  async enter(text: string): Promise<boolean> {
    const answer = await this.window.ask('evaluate', { file: this.place.file, text, ...this.place.there });
    if (answer.is === 'done') this.screen.say(this.told(answer));
    else process.stderr.write(this.told(answer));
    return answer.is === 'done';
  }

  private told(answer: Answers['evaluate']): string {
    const { paint } = this.screen;
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
          answer.where === undefined || this.place.where !== undefined ? '' : ` · in ${answer.where || 'the program'}`;
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
    this.screen.complain(text);
  }

  private get around(): WordsAround {
    const { window, place, screen, results } = this;
    return { window, place, screen, results, complain: (text) => this.complain(text) };
  }

  private async complete(line: string): Promise<[string[], string]> {
    try {
      const text = [...this.begun, line].join('\n');
      const { from, names } = await this.window.ask('complete', { file: this.place.file, text, ...this.place.there });
      return [names.map((one) => one.name).sort(), text.slice(from)];
    } catch {
      return [[], line];
    }
  }
}
