/** A pad that is executed once at depth `steps`, and stays alive so that its objects can be opened. */
import { createSession, type Session } from './index.js';
import type { ConsoleEntry, PadRecord } from '../../record/record.js';
import { startOf } from '../../record/walk/start.js';
import { type Walk, walk } from '../../record/walk/walk.js';
import { AnvilError } from '../../syntax/problems.js';
import type { Member } from '../../wire/looking.js';

export interface RunOptions {
  file: string;
  cwd?: string;
  args?: string[];
  env?: Record<string, string>;
  /** A test by its name; only it runs. */
  test?: string;
  timeLimitMs: number;
  /** Unsaved text. */
  text?: string;
  /** Unsaved texts of its modules. */
  modules?: readonly { file: string; text: string }[];
  /** What changes something outside of it is held. */
  careful?: boolean;
  /** Nobody is there to let through what is held: the run ends there. */
  alone?: boolean;
  /** Of pictures that are painted pixel by pixel, the call for this one alone is told. */
  pixel?: { x: number; y: number };
}

export class WalkedPad {
  private readonly session: Session;
  private printed = 0;
  private walked: { record: PadRecord; run: Walk } | undefined;
  private asked = false;

  /** @param print takes each line of the console as it comes */
  constructor(
    private readonly options: RunOptions,
    print: (entry: ConsoleEntry) => void,
  ) {
    const { file, cwd, args, env, text, timeLimitMs, careful, pixel, alone } = options;
    this.session = createSession({
      file,
      depth: 'steps',
      timeLimitMs,
      hangMs: timeLimitMs,
      ...(careful ? { careful } : {}),
      ...(pixel ? { pixel } : {}),
      ...(alone ? { once: true } : {}),
      ...(cwd === undefined ? {} : { cwd }),
      ...(args ? { argv: args } : {}),
      ...(env ? { env: { ...process.env, ...env } } : {}),
      ...(text === undefined ? {} : { text }),
    });
    for (const module of options.modules ?? []) this.session.overlay(module.file, module.text);
    this.session.onRecord((record) => {
      for (const entry of record.console.slice(this.printed)) print(entry);
      this.printed = Math.max(this.printed, record.console.length);
    });
  }

  /**
   * Executes the pad, and resolves when it has ended.
   *
   * @throws AnvilError for a pad that cannot be read, that does not parse (`E_SYNTAX`), or that came by no statement
   */
  async execute(): Promise<{ record: PadRecord; run: Walk }> {
    const { test } = this.options;
    this.asked = true;
    if (test === undefined) this.session.execute();
    else this.session.testAlone(test.split(' > '));
    const record = await this.session.settled();
    const run = walk(record);
    const [error] = record.errors;
    if (record.outcome === 'syntax' && error)
      throw new AnvilError('E_SYNTAX', `${error.message} (${error.file}:${error.range.start.line + 1})`);
    if (!run || run.length === 0)
      throw new AnvilError(
        'E_NO_STEPS',
        `The pad came by no statement: there is nothing to walk through.${error ? ` ${error.message}` : ''}`,
      );
    if (test !== undefined && startOf(record, run, test) === undefined) {
      const names = record.tests.map(({ path, name }) => [...path, name].join(' > ')).join(', ');
      throw new AnvilError('E_OPTION', `No test is called ${test}. There are ${names || 'none'}.`);
    }
    return (this.walked = { record, run });
  }

  /** Ends a run that does not end by itself: what it did until then can be walked through. */
  stop(): void {
    if (this.asked) this.session.stop();
  }

  /**
   * Executes the pad once more, with the same from outside, and keeps the steps around one.
   *
   * @param number of the step among all of the run, as {@link Walk.numberOf} gives it
   * @returns undefined where nothing has ended that could be repeated; `at` is the step, or the nearest that is kept
   */
  async repeat(number: number): Promise<{ record: PadRecord; run: Walk; at: number } | undefined> {
    const { walked } = this;
    if (!walked || !this.session.repeat(number - 1)) return undefined;
    const record = await this.session.settled();
    const run = walk(record);
    if (!run || run.length === 0) return undefined;
    this.walked = { record, run };
    const at = run.withNumber(number) ?? (number <= run.folded.steps ? 0 : run.length - 1);
    return { record, run, at };
  }

  async open(moment: number): Promise<{ node: number; total: number } | undefined> {
    const answer = await this.session.look({ do: 'open', moment, part: 0 });
    return answer.is === 'opened' ? { node: answer.opened.node, total: answer.opened.total } : undefined;
  }

  async members(node: number, from: number, count: number): Promise<readonly Member[]> {
    const answer = await this.session.look({ do: 'members', node, from, count: Math.min(count, 1_000), filter: '' });
    return answer.is === 'members' ? answer.members : [];
  }

  reported(identity: number): number | undefined {
    return this.walked?.run.reported(identity);
  }

  close(): Promise<void> {
    return this.session.close();
  }
}
