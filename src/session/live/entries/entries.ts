/** Entry points of a live program: what comes in, which functions work for it, and its answer, asked again after edits. */
import { answerChange, type Answer, type AnswerChange } from '../../../record/entries/answers.js';
import { EntryBook, type EntryPoint } from '../../../record/entries/book.js';
import { piecesOf, type Piece, type PieceTexts } from '../../../record/entries/pieces.js';
import { segmentsToMatch } from '../../../record/entries/shapes.js';
import { LiveRecord } from '../../../record/live.js';
import type { PadRecord } from '../../../record/record.js';
import type { EntriesRequest, RawEntry } from '../../../wire/entries.js';
import type { Batch } from '../../../wire/reports.js';
import type { LiveEvent } from '../events.js';
import type { Observing } from '../observing.js';
import type { RunningProgram } from '../running.js';
import type { TargetState } from '../target-state.js';
import type { Turns } from '../turns.js';
import { isSafe, questionFor, type AskedOtherwise, type HttpQuestion, type RequestMaker } from './asking.js';
import { ProgramTexts } from './program-texts.js';
import { KeptRequests, type KeptRequest } from './kept-requests.js';

/** The entry point that a person has picked, with what its last request needed and gave. */
export interface PickedEntry {
  point: EntryPoint;
  /** What was asked; absent where nobody asked, or it cannot be. */
  question?: HttpQuestion;
  answer?: Answer;
  /** What has changed since the answer before. */
  change?: AnswerChange;
  pieces: Piece[];
  /** Pieces that the request before did not need, and those that it needed and this one does not. */
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

/** Milliseconds for the end of a request to be told, once its answer is there. */
const TOLD_MS = 2_000;
/** Milliseconds without an edit before it is asked again. */
const QUIET_MS = 30;
/** A request is made so often again until all of its functions are known. */
const MOST_ROUNDS = 4;

interface Picked {
  key: string;
  records: LiveRecord;
  otherwise: AskedOtherwise;
  state?: Omit<PickedEntry, 'point' | 'record'> & { record: PadRecord };
  entry?: RawEntry;
}

export class Entries {
  private readonly book: EntryBook;
  private readonly texts: ProgramTexts;
  readonly requests = new KeptRequests();
  private readonly listeners = new Set<() => void>();
  private readonly waiting = new Map<number, (entry: RawEntry) => void>();
  private picked: Picked | undefined;
  private serving: ReadonlyMap<string, ReadonlySet<string>> = new Map();
  private asks = 0;
  private isOn = false;
  private edited: (() => void) | undefined;
  private asking: Promise<void> = Promise.resolve();

  constructor(
    private readonly running: RunningProgram,
    private readonly observing: Observing,
    private readonly turns: Turns,
    private readonly maker: RequestMaker | undefined,
  ) {
    const { functions } = running.observed;
    this.book = new EntryBook((of) => functions.find(of));
    this.texts = new ProgramTexts(running);
  }

  onChange(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  private tell(): void {
    for (const listener of this.listeners) listener();
  }

  get isWatched(): boolean {
    return this.isOn;
  }

  /** What came in since it was first asked, and handlers that wait for their first call. */
  get all(): EntryPoint[] {
    return this.book.all(Date.now());
  }

  /** Layers of the program's files, in the order in which pieces are met. */
  get layers(): string[] {
    return this.texts.allLayers;
  }

  /** Watches what comes in from now on, or no longer. */
  async watch(on: boolean): Promise<void> {
    if (on === this.isOn) return;
    this.isOn = on;
    if (!on) this.drop();
    await this.turns.then(this.running.file, async () => {
      for (const state of this.running.targets) await this.tellTarget(state, { do: 'watch', on });
      await this.observing.join(on ? this.serving : undefined);
    });
    if (on) this.register();
    else this.book.clear();
    this.tell();
  }

  /** A target takes part from now on. */
  async joins(state: TargetState): Promise<void> {
    if (this.isOn) await this.tellTarget(state, { do: 'watch', on: true });
  }

  /** A target executes a file. */
  async begins(state: TargetState, file: string): Promise<void> {
    if (!this.isOn) return;
    await this.joins(state);
    await this.observing.joinIn(state, file);
    this.register();
  }

  private async tellTarget(
    { target }: TargetState,
    request: EntriesRequest,
  ): Promise<{ ports?: { port: number; secure: boolean }[] | undefined }> {
    const answer = await target?.change({ do: 'entries', request });
    return answer?.entries ?? {};
  }

  private register(): void {
    this.book.register(this.texts.handlers());
  }

  /** What a target reports, in numbers of all. */
  take(state: TargetState, batch: Batch): void {
    if (!this.isOn) return;
    this.picked?.records.add(batch);
    const { entries } = batch;
    if (!entries) return;
    const own = entries.filter(({ last }) => last?.asked === undefined);
    this.book.add(own, state.label, Date.now());
    for (const { last } of entries) if (last?.asked !== undefined) this.waiting.get(last.asked)?.(last);
    this.tell();
  }

  /** Something has become of an edit. */
  changed({ kind }: Pick<LiveEvent, 'kind'>): void {
    if (!this.isOn || (kind !== 'patched' && kind !== 'reloaded' && kind !== 'undone')) return;
    this.register();
    this.asksAgain();
  }

  /** Asks again what asking changes nothing of, once nothing is typed for a moment. */
  asksAgain(): void {
    const { picked } = this;
    if (!this.maker || !picked?.state?.answer || !isSafe(picked.state.question?.method)) return;
    this.edited?.();
    this.edited = this.maker.after(QUIET_MS, () => void this.ask());
  }

  /** The entry that is picked, as it is known now. */
  get current(): PickedEntry | undefined {
    const { picked } = this;
    const point = picked && this.book.get(picked.key);
    if (!picked || !point) return undefined;
    const { state } = picked;
    if (state) return { ...state, point };
    const { last } = point;
    return {
      point,
      pieces: last ? this.piecesOf(last) : [],
      joined: [],
      faded: [],
      record: this.recordOf(picked),
      isAsking: false,
    };
  }

  /**
   * Picks an entry point: its functions tell their values, of the requests that are asked for. What changes nothing is
   * asked by itself.
   *
   * @param otherwise what is to be other than in the last request
   * @param asks it is asked, whatever it changes
   * @returns false where there is no such entry
   */
  async pick(key: string, otherwise: AskedOtherwise = {}, asks = false): Promise<boolean> {
    if (!this.isOn) await this.watch(true);
    const point = this.book.get(key);
    if (!point) return false;
    this.drop();
    this.picked = {
      key,
      otherwise,
      records: new LiveRecord((of) => this.running.observed.placeFor(of)),
    };
    await this.serve(point.last ? this.functionsOf(point.last) : new Map());
    this.tell();
    if (asks || isSafe(point.method)) await this.ask();
    else await this.wantNext(point);
    return true;
  }

  /** Nobody looks at an entry point any more. */
  drop(): void {
    this.edited?.();
    this.picked = undefined;
    this.serving = new Map();
  }

  /** The same, and its functions tell no values any more. */
  async leave(): Promise<void> {
    this.drop();
    await this.serve(new Map());
    this.tell();
  }

  /** Makes the request that is picked, once more or otherwise. Those that are asked for at once are made in turn. */
  ask(otherwise?: AskedOtherwise): Promise<void> {
    const { picked } = this;
    if (!picked) return Promise.resolve();
    if (otherwise) picked.otherwise = { ...picked.otherwise, ...otherwise };
    this.asking = this.asking.then(async () => {
      if (this.picked === picked) await this.askNow(picked);
    });
    return this.asking;
  }

  private async askNow(picked: Picked): Promise<void> {
    const point = this.book.get(picked.key);
    if (!point) return;
    const place = await this.placeOf(point);
    const question = questionFor(point, picked.otherwise, place?.place);
    if (typeof question === 'string' || !place || !this.maker) {
      const why = typeof question === 'string' ? question : 'no request can be made from here';
      picked.state = { ...this.known(picked, point), why };
      this.tell();
      return;
    }
    if (picked.state) picked.state = { ...picked.state, isAsking: true };
    this.tell();
    for (let round = 1; this.picked === picked; round++) {
      const { answer, entry } = await this.askOnce(this.maker, picked, place.state, question);
      const known = entry ? this.functionsOf(entry) : this.serving;
      const isWhole = isWithin(known, this.serving) || round === MOST_ROUNDS || !isSafe(question.method);
      if (!isWhole) await this.serve(known);
      else {
        this.settle(picked, point, question, answer, entry);
        return;
      }
    }
  }

  private async askOnce(
    { ask: askHttp, after }: RequestMaker,
    picked: Picked,
    state: TargetState,
    question: HttpQuestion,
  ): Promise<{ answer: Answer; entry: RawEntry | undefined }> {
    const ask = ++this.asks;
    const told = new Promise<RawEntry>((resolve) => this.waiting.set(ask, resolve));
    picked.records.restart();
    const answer = await askHttp(question, async (port) => {
      await this.tellTarget(state, { do: 'expect', port, ask });
    });
    // Its end comes with a report of its own, about when its answer does.
    const late = new Promise<undefined>((resolve) => after(TOLD_MS, () => resolve(undefined)));
    const entry = answer.failed === undefined ? await Promise.race([told, late]) : undefined;
    this.waiting.delete(ask);
    if (!entry) await this.tellTarget(state, { do: 'forget', ask });
    return { answer, entry };
  }

  private settle(
    picked: Picked,
    point: EntryPoint,
    question: HttpQuestion,
    answer: Answer,
    entry: RawEntry | undefined,
  ): void {
    if (entry) picked.entry = entry;
    const before = picked.state;
    const pieces = entry ? this.piecesOf(entry) : [];
    const change = before?.answer ? answerChange(before.answer, answer) : undefined;
    const names = new Set(before?.pieces.map(nameOf));
    const own = new Set(pieces.map(nameOf));
    const record = this.recordOf(picked);
    const request = entry ? this.requests.add({ point, question, answer, pieces, record }) : undefined;
    picked.state = {
      question,
      answer,
      ...(change ? { change } : {}),
      pieces,
      joined: before?.answer ? [...own].filter((name) => !names.has(name)) : [],
      faded: before?.answer ? before.pieces.filter((piece) => !own.has(nameOf(piece))) : [],
      record,
      isAsking: false,
      ...(request === undefined ? {} : { request }),
      ...(answer.failed === undefined ? {} : { why: answer.failed }),
    };
    this.tell();
  }

  private known(picked: Picked, { last }: EntryPoint): NonNullable<Picked['state']> {
    return {
      pieces: last ? this.piecesOf(last) : [],
      joined: [],
      faded: [],
      record: this.recordOf(picked),
      ...picked.state,
      isAsking: false,
    };
  }

  /** The next request of a shape that somebody makes is the one whose values are told. */
  private async wantNext(point: EntryPoint): Promise<void> {
    const { method, shape, kind } = point;
    if (kind !== 'request' || method === undefined || shape === undefined) return;
    const { picked } = this;
    const ask = ++this.asks;
    this.waiting.set(ask, (entry) => {
      this.waiting.delete(ask);
      if (this.picked !== picked || !picked) return;
      const answer: Answer = {
        status: entry.status,
        headers: entry.answer?.headers ?? [],
        ...(entry.answer?.body ? { body: entry.answer.body } : {}),
        ms: entry.ms ?? 0,
      };
      const { url = shape, given, port = 0 } = entry;
      const question: HttpQuestion = { port, secure: entry.secure === true, method, url, headers: given?.headers ?? [] };
      this.book.add([{ kind, method, path: url.split('?')[0]!, count: 1, failed: entry.failed ? 1 : 0, ms: answer.ms, last: { ...entry } }], '', Date.now());
      this.settle(picked, point, question, answer, entry);
      picked.records.restart();
      void this.serve(this.functionsOf(entry)).then(() => this.wantNext(point));
    });
    const request: EntriesRequest = { do: 'want', method, segments: segmentsToMatch(shape), ask };
    for (const state of this.running.targets) await this.tellTarget(state, request);
  }

  /** Where a request of an entry goes. */
  private async placeOf(
    point: EntryPoint,
  ): Promise<{ state: TargetState; place: { port: number; secure: boolean } } | undefined> {
    const { targets } = this.running;
    const first = targets.filter(({ label }) => label === point.where);
    for (const state of [...first, ...targets.filter(({ label }) => label !== point.where)]) {
      const { ports = [] } = await this.tellTarget(state, { do: 'ports' });
      const place = ports.find(({ port }) => port === point.last?.port) ?? ports[0];
      if (place) return { state, place };
    }
    return undefined;
  }

  private functionsOf({ parts }: RawEntry): Map<string, Set<string>> {
    const found = new Map<string, Set<string>>();
    for (const [file, paths] of this.serving) found.set(file, new Set(paths));
    for (const { of } of parts) {
      const one = this.running.observed.functions.find(of);
      if (one) found.set(one.file, (found.get(one.file) ?? new Set()).add(one.path));
    }
    return found;
  }

  private async serve(serving: ReadonlyMap<string, ReadonlySet<string>>): Promise<void> {
    this.serving = serving;
    if (this.isOn) await this.turns.then(this.running.file, () => this.observing.join(serving));
  }

  private recordOf({ records }: Picked): PadRecord {
    return this.running.observed.recordOf(records, [...this.serving.keys()]);
  }

  private piecesOf(entry: RawEntry): Piece[] {
    return piecesOf(entry, this.texts satisfies PieceTexts);
  }

  /** A request that was made, by its number. */
  request(number: number): KeptRequest | undefined {
    return this.requests.get(number);
  }
}

/** Of a piece, the same for one that another request needs too. */
export function nameOf(piece: Piece): string {
  return piece.is === 'code' ? `${piece.file} ${piece.name}` : `${piece.is} ${piece.text}`;
}

function isWithin(some: ReadonlyMap<string, ReadonlySet<string>>, all: ReadonlyMap<string, ReadonlySet<string>>): boolean {
  for (const [file, paths] of some) for (const path of paths) if (!all.get(file)?.has(path)) return false;
  return true;
}
