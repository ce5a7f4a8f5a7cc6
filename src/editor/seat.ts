/** One open file's window on the bench that serves it: what it was told last, and questions with their answers. */
import { ChangeSet } from '@codemirror/state';
import { changesBetween, textOf } from '../sharing/changes.js';
import type { AssistedMessage, SelectedMessage } from '../server/protocol-files.js';
import type { ChangeMessage, LookedAnswer, RecordMessage, RunsMessage, ToServer, ToWindow } from '../server/protocol.js';
import type { WorkbenchConnection } from '../server/workbench/session.js';
import type { LookRequest } from '../wire/looking.js';
import { Replies } from '../wire/replies.js';
import type { Bench } from './bench.js';

type Told<Type extends ToWindow['type']> = Extract<ToWindow, { type: Type }>;
export type HoveredMessage = Told<'hovered'>;
export type InspectedMessage = Told<'inspected'>;
type Answer =
  | { is: 'looked'; answer: LookedAnswer }
  | HoveredMessage
  | InspectedMessage
  | SelectedMessage
  | AssistedMessage
  | undefined;

/** What a seat tells those who hold it. */
export interface SeatEvents {
  /** A record came; the seat has it. */
  record(): void;
  /** Anything else that a person may want to see. */
  told(message: ToWindow): void;
}

/** Milliseconds for which a question waits: a target that is gone does not answer. */
const PATIENCE_MS = 4_000;

export class Seat {
  record: RecordMessage | undefined;
  runs: RunsMessage | undefined;
  changes: readonly ChangeMessage[] = [];
  /** The text that places in the record are in; undefined until it is known. */
  recordText: string | undefined;
  private readonly replies = new Replies<Answer>();
  private readonly connection: WorkbenchConnection;
  private readonly waiting = new Set<() => void>();
  /** The text as a program's workbench has it, with its version. */
  private benchText: { text: string; epoch: string; version: number; clock: number } | undefined;
  private pending = false;

  /**
   * @param path of the file, as the bench knows it
   * @param heldText the text as the editor has it now, where the bench takes it from there
   */
  constructor(
    readonly bench: Bench,
    readonly path: string,
    private readonly heldText: (() => string) | undefined,
    private readonly events: SeatEvents,
  ) {
    this.connection = bench.connect({ send: (message) => this.receive(message) });
  }

  get file(): string {
    return this.bench.nameOf(this.path);
  }

  /** Shows the file; `run` makes it the pad. */
  show(run: boolean): void {
    this.send({ type: 'show', file: this.file, run });
  }

  send(message: ToServer): void {
    this.connection.receive(message);
  }

  /** The text is another one, and a run that knows it is to come. */
  expect(): void {
    this.pending = true;
  }

  /** Resolves when what was told is of the newest text, or nothing more is to be expected of it, or after a while. */
  settled(ms: number): Promise<void> {
    return this.pending ? this.next(ms) : Promise.resolve();
  }

  /** Resolves with the next record that tells something, or after a while. */
  next(ms: number): Promise<void> {
    return new Promise((resolve) => {
      const done = (): void => {
        clearTimeout(timer);
        this.waiting.delete(done);
        resolve();
      };
      const timer = setTimeout(done, ms);
      this.waiting.add(done);
    });
  }

  look = async (request: LookRequest): Promise<LookedAnswer> => {
    const gone = { is: 'looked' as const, answer: { is: 'gone' as const, why: 'No answer came.' } };
    const found = await this.ask<{ is: 'looked'; answer: LookedAnswer }>(
      (ask) => this.send({ type: 'look', ask, request }),
      gone,
    );
    return (found ?? gone).answer;
  };

  hover(line: number, character: number): Promise<HoveredMessage | undefined> {
    return this.ask((ask) => this.send({ type: 'hover', ask, file: this.file, line, character }));
  }

  inspect(line: number): Promise<InspectedMessage | undefined> {
    return this.ask((ask) => this.send({ type: 'inspect', ask, file: this.file, line }));
  }

  select(start: number, end: number): Promise<SelectedMessage | undefined> {
    return this.ask((ask) => this.send({ type: 'select', ask, file: this.file, start, end }));
  }

  /** A text that is not saved becomes that of a live program. */
  apply(text: string): void {
    const { benchText } = this;
    if (!benchText || benchText.text === text) return;
    const changes = changesBetween(textOf(benchText.text), textOf(text));
    const { epoch, version, clock } = benchText;
    this.send({
      type: 'edit',
      file: this.file,
      epoch,
      version,
      client: CLIENT,
      first: clock + 1,
      changes: [changes.toJSON()],
    });
  }

  leave(): void {
    this.replies.end();
    this.settle();
    this.connection.leave();
  }

  private async ask<One extends Answer>(send: (ask: number) => void, gone?: One): Promise<One | undefined> {
    let timer: NodeJS.Timeout | undefined;
    const patience = new Promise<undefined>((resolve) => {
      timer = setTimeout(() => resolve(undefined), PATIENCE_MS);
    });
    const answer = await Promise.race([this.replies.ask<One | undefined>(send, gone), patience]);
    clearTimeout(timer);
    return answer;
  }

  private settle(): void {
    this.pending = false;
    for (const done of [...this.waiting]) done();
  }

  private receive(message: ToWindow): void {
    switch (message.type) {
      case 'record':
        this.record = message;
        this.recordText = this.heldText ? this.heldText() : this.benchText?.text;
        if (message.ended || message.lines.length > 0) this.settle();
        this.events.record();
        return;
      case 'runs':
        this.runs = message;
        if (message.behind && message.when !== 'edit') this.settle();
        break;
      case 'changes':
        this.changes = message.changes;
        break;
      case 'text':
        if (message.file === this.file) {
          const { text, epoch, version, clocks } = message;
          this.benchText = { text, epoch, version, clock: clocks[CLIENT] ?? 0 };
        }
        break;
      case 'accepted':
        this.accepted(message);
        break;
      case 'hovered':
      case 'selected':
      case 'assisted':
        this.replies.answer(message.ask, message);
        return;
      case 'inspected':
        if (message.ask !== undefined) this.replies.answer(message.ask, message);
        return;
      case 'looked':
        this.replies.answer(message.ask, { is: 'looked', answer: message.answer });
        return;
    }
    this.events.told(message);
  }

  private accepted({ file, epoch, version, updates }: Told<'accepted'>): void {
    const known = this.benchText;
    if (!known || file !== this.file) return;
    if (epoch !== known.epoch || version !== known.version) {
      this.send({ type: 'whole', file });
      return;
    }
    let text = textOf(known.text);
    for (const { client, changes } of updates) {
      text = ChangeSet.fromJSON(changes).apply(text);
      if (client === CLIENT) known.clock++;
    }
    known.text = text.toString();
    known.version += updates.length;
  }
}

/** The name of this process among the windows of a program. */
const CLIENT = `editor-${process.pid}`;
