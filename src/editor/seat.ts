/** One open file's window on the bench that serves it: what it was told last, and questions with their answers. */
import type { AssistedMessage, SelectedMessage } from '../server/protocol-files.js';
import type { ChangeMessage, RecordMessage, RunsMessage, ToServer, ToWindow } from '../server/protocol.js';
import type { LookedAnswer } from '../server/protocol-looking.js';
import type { WorkbenchConnection } from '../server/workbench/session.js';
import type { LookRequest } from '../wire/looking.js';
import { Replies } from '../wire/replies.js';
import type { Bench } from './bench.js';

type Told<Type extends ToWindow['type']> = Extract<ToWindow, { type: Type }>;
export type HoveredMessage = Told<'hovered'>;
export type InspectedMessage = Told<'inspected'>;
export type EnteredMessage = Told<'entered'>;
type Answer =
  | { is: 'looked'; answer: LookedAnswer }
  | HoveredMessage
  | InspectedMessage
  | EnteredMessage
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
  /** What came last, by kind. */
  private readonly last: { record?: RecordMessage; runs?: RunsMessage; changes: readonly ChangeMessage[] } = {
    changes: [],
  };
  /** The text that places in the record are in; and the last record of a text that could be executed, with its text. */
  private readonly shown: { text?: string; good?: { record: RecordMessage; text: string | undefined } } = {};
  /** Of a live program: the text that it was told of last, and the one that it took though it is not saved. */
  private readonly sent: { held?: string; applied?: string } = {};
  private readonly replies = new Replies<Answer>();
  private readonly connection: WorkbenchConnection;
  private readonly waiting = new Set<() => void>();
  private pending = false;

  /**
   * @param path of the file, as the bench knows it
   * @param heldText the text as the editor has it now
   */
  constructor(
    readonly bench: Bench,
    readonly path: string,
    private readonly heldText: () => string,
    private readonly events: SeatEvents,
  ) {
    this.connection = bench.connect({ send: (message) => this.receive(message) });
  }

  get record(): RecordMessage | undefined {
    return this.last.record;
  }

  get runs(): RunsMessage | undefined {
    return this.last.runs;
  }

  get changes(): readonly ChangeMessage[] {
    return this.last.changes;
  }

  /** The text that places in the record are in; undefined until it is known. */
  get recordText(): string | undefined {
    return this.shown.text;
  }

  /** The last record of a text that could be executed, with that text. */
  get good(): { record: RecordMessage; text: string | undefined } | undefined {
    return this.shown.good;
  }

  /** The text that a live program took though it is not saved. */
  get applied(): string | undefined {
    return this.sent.applied;
  }

  get file(): string {
    return this.bench.nameOf(this.path);
  }

  /** Shows the file; `run` makes it the pad. */
  show(run: boolean): void {
    this.hold();
    this.send({ type: 'show', file: this.file, run });
  }

  send(message: ToServer): void {
    this.connection.receive(message);
  }

  /** The text is another one, and a run that knows it is to come. */
  expect(): void {
    this.pending = true;
  }

  get isPending(): boolean {
    return this.pending;
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

  /** Evaluates code inside the module of a live program; without `text`, the statement at the line. */
  enter(line: number, text?: string): Promise<EnteredMessage | undefined> {
    const given = text === undefined ? { line } : { text, line };
    return this.ask((ask) => this.send({ type: 'enter', ask, file: this.file, remember: true, ...given }));
  }

  /** The text that the editor has now; a pad's bench has it from elsewhere. */
  hold(): void {
    if (this.bench.kind === 'live')
      this.send({ type: 'hold', file: this.file, text: (this.sent.held = this.heldText()) });
  }

  /** A text that is not saved becomes that of a live program. */
  apply(): void {
    this.hold();
    this.sent.applied = this.sent.held!;
    this.send({ type: 'apply', file: this.file });
  }

  /** The editor has saved the text. */
  stored(): void {
    if (this.bench.kind === 'live') this.send({ type: 'stored', file: this.file });
  }

  /** Shows what another window of the same pad showed, until it is told itself. */
  inherit({ last, shown }: Seat): void {
    Object.assign(this.last, last);
    Object.assign(this.shown, shown);
  }

  leave(): void {
    this.replies.end();
    this.settle();
    this.connection.leave();
  }

  private async ask<One extends Answer>(send: (ask: number) => void, gone?: One): Promise<One | undefined> {
    let patience: NodeJS.Timeout | undefined;
    const answer = await this.replies.ask<One | undefined>((number) => {
      patience = setTimeout(() => this.replies.answer(number, gone), PATIENCE_MS);
      send(number);
    }, gone);
    clearTimeout(patience);
    return answer;
  }

  /** Nothing more is to be expected of the text of now. */
  settle(): void {
    this.pending = false;
    for (const done of [...this.waiting]) done();
  }

  private receive(message: ToWindow): void {
    switch (message.type) {
      case 'record':
        this.last.record = message;
        this.shown.text = this.sent.held ?? this.heldText();
        if (!message.stale) this.shown.good = { record: message, text: this.shown.text };
        if (message.ended || message.lines.length > 0) this.settle();
        this.events.record();
        return;
      case 'runs':
        this.last.runs = message;
        if (message.behind && message.when !== 'edit') this.settle();
        break;
      case 'changes':
        this.last.changes = message.changes;
        break;
      case 'hovered':
      case 'entered':
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
}
