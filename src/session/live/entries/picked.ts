/** The entry point that a person has picked: what it needs and gives, asked again and again. */
import { answerChange, type Answer, type AnswerChange } from '../../../record/entries/answers.js';
import type { EntryBook, EntryPoint } from '../../../record/entries/book.js';
import { nameOfPiece, piecesOf, type Piece } from '../../../record/entries/pieces.js';
import { segmentsToMatch } from '../../../record/entries/shapes.js';
import { LiveRecord } from '../../../record/live.js';
import type { PadRecord } from '../../../record/record.js';
import type { EntriesRequest, RawEntry } from '../../../wire/entries.js';
import type { Batch } from '../../../wire/reports.js';
import type { RunningProgram } from '../running.js';
import type { TargetState } from '../target-state.js';
import { isSafe, questionFor, type AskedOtherwise, type HttpQuestion, type RequestMaker } from './asking.js';
import type { KeptRequests } from './kept-requests.js';
import type { ProgramTexts } from './program-texts.js';
import { askTarget, placeOf } from './targets.js';

/** An entry point, with what its last request needed and gave. */
export interface PickedEntry {
  point: EntryPoint;
  /** What was asked; absent where nobody asked, or it cannot be. */
  question?: HttpQuestion;
  answer?: Answer;
  /** What has changed since the answer before. */
  change?: AnswerChange;
  pieces: Piece[];
  /** Pieces that the request before did not need, by name, and those that it needed and this one does not. */
  joined: string[];
  faded: Piece[];
  /** What its functions told of that request. */
  record: PadRecord;
  /** It is being asked. */
  isAsking: boolean;
  /** Why it was not asked, as a sentence. */
  why?: string;
  /** Number of the request, for comparing. */
  request?: number;
}

/** Functions by file, by their paths there. */
export type Serving = ReadonlyMap<string, ReadonlySet<string>>;

/** What a picked entry point is given. */
export interface PickedParts {
  running: RunningProgram;
  book: EntryBook;
  texts: ProgramTexts;
  requests: KeptRequests;
  /** Absent where no request can be made. */
  maker: RequestMaker | undefined;
  /** These functions tell their values of the requests that are asked for. */
  serve(serving: Serving): Promise<void>;
  /** Something about it is another. */
  tell(): void;
}

/** Milliseconds for the end of a request to be told, once its answer is there. */
const TOLD_MS = 2_000;
/** A request is made so often again until all of its functions are known. */
const MOST_ROUNDS = 4;
/** Functions that tell their values where it is not known which take part. */
const MOST_SERVED = 600;
const NOT_YET = 'it may change something: it is asked when you say so; until then the next that comes in is shown';

/** Questions are counted over all that were picked: an answer that comes late is to be taken for no other one. */
const numbers = { last: 0 };

export class PickedRequest {
  private readonly records: LiveRecord;
  private readonly waiting = new Map<number, (entry: RawEntry) => void>();
  private state: Omit<PickedEntry, 'point'> | undefined;
  private serving: Serving = new Map();
  private asking: Promise<void> = Promise.resolve();
  private isOver = false;
  /** Number of the question for calls that are no requests. */
  private calls: number | undefined;

  constructor(
    private readonly parts: PickedParts,
    private readonly key: string,
    private otherwise: AskedOtherwise,
  ) {
    this.records = new LiveRecord((of) => parts.running.observed.placeFor(of));
  }

  private get point(): EntryPoint | undefined {
    return this.parts.book.get(this.key);
  }

  /** As it is known now. */
  get current(): PickedEntry | undefined {
    const { point } = this;
    return point && { ...(this.state ?? this.known(point)), point };
  }

  /** It can be asked without changing anything, and was. */
  get isAskedAgain(): boolean {
    return this.state?.answer !== undefined && isSafe(this.state.question?.method);
  }

  /** @param asks whatever it changes */
  async begin(asks: boolean): Promise<void> {
    const { point } = this;
    if (!point) return;
    await this.serve(point.last ? this.functionsOf(point.last) : new Map<string, Set<string>>());
    if (point.kind === 'request' && (asks || isSafe(point.method))) {
      await this.ask();
      return;
    }
    this.state = { ...this.known(point), ...(point.kind === 'request' ? { why: NOT_YET } : {}) };
    this.parts.tell();
    await this.wantNext(point);
  }

  end(): void {
    this.isOver = true;
    for (const ask of this.waiting.keys())
      for (const state of this.parts.running.targets) void askTarget(state, { do: 'forget', ask });
  }

  /** What others print, and where they fail, is none of this request's. */
  take({ moment, time, samples, counts }: Batch): void {
    this.records.add({
      moment,
      ...(time === undefined ? {} : { time }),
      ...(samples ? { samples } : {}),
      ...(counts ? { counts } : {}),
    });
  }

  /** A request that answers a question has ended. */
  answered({ asked, ...entry }: RawEntry): void {
    if (asked !== undefined) this.waiting.get(asked)?.({ ...entry, asked });
  }

  /** Makes the request once more, or otherwise. Those that are asked for at once are made in turn. */
  ask(otherwise?: AskedOtherwise): Promise<void> {
    if (otherwise) this.otherwise = { ...this.otherwise, ...otherwise };
    this.asking = this.asking.then(async () => {
      if (!this.isOver) await this.askNow();
    });
    return this.asking;
  }

  private async askNow(): Promise<void> {
    const { point } = this;
    if (!point) return;
    const { running, maker, tell } = this.parts;
    const place = await placeOf(running, point);
    const question = questionFor(point, this.otherwise, place?.place);
    if (typeof question === 'string' || !place || !maker) {
      const why = typeof question === 'string' ? question : 'no request can be made from here';
      this.state = { ...this.known(point), why };
      tell();
      return;
    }
    if (this.state) this.state = { ...this.state, isAsking: true };
    tell();
    // What changes something is asked once: all that may take part tells its values then.
    if (!isSafe(question.method) && this.serving.size === 0)
      await this.serve(this.parts.texts.allFunctions(MOST_SERVED));
    for (let round = 1; !this.isOver; round++) {
      const { answer, entry } = await this.askOnce(maker, place.state, question);
      const known = entry ? this.functionsOf(entry) : this.serving;
      if (isWithin(known, this.serving) || round === MOST_ROUNDS || !isSafe(question.method)) {
        this.settle(point, question, answer, entry);
        if (!isSafe(question.method)) await this.serve(entry ? this.functionsOf(entry, new Map()) : new Map());
        return;
      }
      await this.serve(known);
    }
  }

  private async askOnce(
    { ask: askHttp, after }: RequestMaker,
    state: TargetState,
    question: HttpQuestion,
  ): Promise<{ answer: Answer; entry: RawEntry | undefined }> {
    const ask = ++numbers.last;
    const told = new Promise<RawEntry>((resolve) => this.waiting.set(ask, resolve));
    const answer = await askHttp(question, async (port) => {
      await askTarget(state, { do: 'expect', port, ask });
      // Behind the counts of now, which came with that answer.
      this.records.restart();
    });
    // Its end comes with a report of its own, about when its answer does.
    const late = new Promise<undefined>((resolve) => after(TOLD_MS, () => resolve(undefined)));
    const entry = answer.failed === undefined ? await Promise.race([told, late]) : undefined;
    this.waiting.delete(ask);
    if (!entry) await askTarget(state, { do: 'forget', ask });
    return { answer, entry };
  }

  private settle(point: EntryPoint, question: HttpQuestion, answer: Answer, entry: RawEntry | undefined): void {
    const before = this.state;
    const pieces = entry ? piecesOf(entry, this.parts.texts) : [];
    const change = before?.answer ? answerChange(before.answer, answer) : undefined;
    const names = new Set(before?.pieces.map(nameOfPiece));
    const own = new Set(pieces.map(nameOfPiece));
    const record = this.recordNow();
    const request = entry && this.parts.requests.add({ point, question, answer, pieces, record });
    this.state = {
      question,
      answer,
      ...(change ? { change } : {}),
      pieces,
      joined: before?.answer ? [...own].filter((name) => !names.has(name)) : [],
      faded: before?.answer ? before.pieces.filter((piece) => !own.has(nameOfPiece(piece))) : [],
      record,
      isAsking: false,
      ...(request === undefined ? {} : { request }),
      ...(answer.failed === undefined ? {} : { why: answer.failed }),
    };
    this.parts.tell();
  }

  private known({ last }: EntryPoint): Omit<PickedEntry, 'point'> {
    return {
      pieces: last ? piecesOf(last, this.parts.texts) : [],
      joined: [],
      faded: [],
      record: this.recordNow(),
      ...this.state,
      isAsking: false,
    };
  }

  /** The next request of a shape that somebody makes is the one whose values are told. */
  private async wantNext(point: EntryPoint): Promise<void> {
    const { method, shape, kind } = point;
    if (kind !== 'request') return this.wantCalls(point);
    if (method === undefined || shape === undefined || this.isOver) return;
    const { running, book } = this.parts;
    const ask = ++numbers.last;
    this.waiting.set(ask, (entry) => {
      this.waiting.delete(ask);
      if (this.isOver) return;
      const { status, url = shape, given, port = 0, secure = false, ms = 0, failed } = entry;
      const body = entry.answer?.body;
      const answer: Answer = { status, headers: entry.answer?.headers ?? [], ...(body ? { body } : {}), ms };
      // Somebody has asked it: it came in, as others do.
      const last = { ...entry };
      delete last.asked;
      const path = url.split('?')[0]!;
      const counts = { kind, method, path, count: 1, failed: failed ? 1 : 0, ms, last };
      book.add([status === undefined ? counts : { ...counts, status }], point.where, Date.now());
      this.settle(point, { port, secure, method, url, headers: given?.headers ?? [] }, answer, entry);
      this.records.restart();
      void this.serve(this.functionsOf(entry)).then(() => this.wantNext(point));
    });
    const request: EntriesRequest = { do: 'want', method, segments: segmentsToMatch(shape), ask };
    for (const state of running.targets) await askTarget(state, request);
  }

  /** Each call that comes is shown with its values; nobody can make one from here. */
  private async wantCalls({ kind, where }: EntryPoint): Promise<void> {
    if (this.isOver) return;
    const { texts, book } = this.parts;
    const ask = (this.calls = ++numbers.last);
    this.waiting.set(ask, ({ asked, ...entry }) => {
      if (this.isOver) return;
      const { ms = 0, failed } = entry;
      const called = { ...(entry.name === undefined ? {} : { name: entry.name }), of: entry.of };
      if (asked === ask && called.of !== undefined)
        book.add(
          [{ kind, ...called, of: called.of, count: 1, failed: failed ? 1 : 0, ms, last: entry }],
          where,
          Date.now(),
        );
      this.state = {
        ...{ pieces: piecesOf(entry, texts), joined: [], faded: [], isAsking: false },
        record: this.recordNow(),
      };
      this.parts.tell();
      this.records.restart();
      const known = this.functionsOf(entry);
      if (!isWithin(known, this.serving)) void this.serve(known);
    });
    await this.wantAgain();
  }

  /** Functions have other versions than before, which have other numbers. */
  async wantAgain(): Promise<void> {
    const { calls: ask, point } = this;
    if (ask === undefined || !point || this.isOver) return;
    const { running } = this.parts;
    const { kind, key, last } = point;
    const { functions } = running.observed;
    const handler = last?.of === undefined ? undefined : functions.find(last.of);
    // One that nothing has called yet is known by its name alone.
    const name = last ? last.name : key.slice(kind.length + 1);
    const wanted = name === undefined ? { of: handler ? functions.numbersOf(handler) : [] } : { name };
    for (const state of running.targets) await askTarget(state, { do: 'want-calls', kind, ...wanted, ask });
  }

  /** @param before those that are served already, and stay */
  private functionsOf({ parts }: RawEntry, before: Serving = this.serving): Map<string, Set<string>> {
    const found = new Map<string, Set<string>>();
    for (const [file, paths] of before) found.set(file, new Set(paths));
    for (const { of } of parts) {
      const one = this.parts.running.observed.functions.find(of);
      if (one) found.set(one.file, (found.get(one.file) ?? new Set()).add(one.path));
    }
    return found;
  }

  private async serve(serving: Serving): Promise<void> {
    this.serving = serving;
    await this.parts.serve(serving);
    await this.wantAgain();
  }

  private recordNow(): PadRecord {
    return this.parts.running.observed.recordOf(this.records, [...this.serving.keys()]);
  }
}

function isWithin(some: Serving, all: Serving): boolean {
  for (const [file, paths] of some) for (const path of paths) if (!all.get(file)?.has(path)) return false;
  return true;
}
