/**
 * The places in which modules of a live program run: the program itself,
 * threads and processes that it starts, pages. Each counts its own moments and
 * numbers its own objects; here they get numbers of all.
 */
import type { Waiting } from '../patch/emit.js';
import type { LiveModule } from '../patch/live-module.js';
import type { Step } from '../patch/steps.js';
import type { LookAnswer, LookRequest, Member, NamesRequest } from '../runtime/look.js';
import type { LiveAnswer, LiveChange } from '../runtime/target.js';
import type { Batch, ModuleCode, ModuleLink, RawError } from '../runtime/wire.js';
import type { Watching } from './watching.js';

/** What is asked of a target that runs on. */
export interface LiveTarget {
  change(change: LiveChange): Promise<LiveAnswer>;
  look(request: LookRequest | NamesRequest): Promise<LookAnswer>;
}

/** A target whose modules the engine loads by itself, and that comes to a session. */
export interface Guest extends LiveTarget {
  id: string;
  /** `thread 3`, `process 4711`, `page 2`. */
  label: string;
  /** It writes nowhere but to its console. */
  console?: true;
  /** How it reaches a module that is imported only now; by default as Node does. */
  resolve?(specifier: string, from: string): Promise<ModuleLink> | ModuleLink;
  /** The text behind a module that it has executed. */
  know?(code: ModuleCode): void;
  /** It can be begun anew where a change cannot be made in place; it leaves then, and another comes. */
  reload?(reason: string): void;
}

export class Place {
  modules = new Map<string, LiveModule>();
  watching!: Watching;
  /** Statements that saves brought and that were not run, by file. */
  readonly waiting = new Map<string, Waiting[]>();
  /** What sets names anew whose live value was kept, by file and name. */
  readonly resets = new Map<string, Map<string, Step>>();
  /** The way to it; undefined for a program that has not started. */
  target: LiveTarget | undefined;

  constructor(
    readonly index: number,
    /** Empty for the program itself. */
    readonly label: string,
    readonly guest?: Guest,
  ) {
    this.target = guest;
  }
}

/** Places are told apart by the lowest digits of a number. */
const PLACES = 1_024;
/** Interleavings that are remembered; what was reported before them cannot be opened any more. */
const MOST_SPANS = 4_000;

/** Gives moments and objects of several targets numbers of their own. */
export class Numbering {
  private top = 0;
  /** By place: from which of its moments on they are counted so much later. */
  private readonly spans: { starts: number[]; offset: number[]; newest: number }[] = [];

  /** What a place reported up to a moment comes after all that was reported before. */
  private advance(place: number, newest: number): void {
    const spans = (this.spans[place] ??= { starts: [0], offset: [0], newest: 0 });
    const last = spans.offset[spans.offset.length - 1]!;
    const offset = Math.max(last, this.top - spans.newest);
    if (offset > last && newest > spans.newest) {
      spans.starts.push(spans.newest + 1);
      spans.offset.push(offset);
      if (spans.starts.length > MOST_SPANS) {
        spans.starts.splice(0, MOST_SPANS / 2);
        spans.offset.splice(0, MOST_SPANS / 2);
      }
    }
    spans.newest = Math.max(spans.newest, newest);
    this.top = Math.max(this.top, newest + spans.offset[spans.offset.length - 1]!);
  }

  /** The number of a moment of a place. */
  moment(place: number, moment: number): number {
    const spans = this.spans[place];
    const at = spans ? lastNotAbove(spans.starts.length, (i) => spans.starts[i]!, moment) : 0;
    return (moment + (spans?.offset[at] ?? 0)) * PLACES + place;
  }

  /** The place of a number, and its own moment there; undefined for one that is forgotten. */
  momentOf(number: number): { place: number; moment: number } | undefined {
    const place = number % PLACES;
    const moment = (number - place) / PLACES;
    const spans = this.spans[place];
    if (!spans) return { place, moment };
    const at = lastNotAbove(spans.starts.length, (i) => spans.starts[i]! + spans.offset[i]!, moment);
    const own = moment - spans.offset[at]!;
    return own < spans.starts[at]! ? undefined : { place, moment: own };
  }

  node(place: number, node: number): number {
    return node === 0 ? 0 : node * PLACES + place;
  }

  nodeOf(number: number): { place: number; node: number } {
    const place = number % PLACES;
    return { place, node: (number - place) / PLACES };
  }

  /** A report with the numbers of all. */
  batch(place: number, batch: Batch): Batch {
    this.advance(place, batch.moment);
    const moment = (own: number): number => this.moment(place, own);
    const error = (one: RawError): RawError => ({
      ...one,
      moment: moment(one.moment),
      ...(one.cause ? { cause: error(one.cause) } : {}),
      ...(one.errors ? { errors: one.errors.map(error) } : {}),
    });
    return {
      ...batch,
      moment: moment(batch.moment),
      ...(batch.samples ? { samples: { ...batch.samples, moment: batch.samples.moment.map(moment) } } : {}),
      ...(batch.console ? { console: batch.console.map((entry) => ({ ...entry, moment: moment(entry.moment) })) } : {}),
      ...(batch.errors ? { errors: batch.errors.map(error) } : {}),
    };
  }

  /** What an evaluation gave, under a number of all. */
  result(place: number, moment: number): number {
    this.advance(place, moment);
    return this.moment(place, moment);
  }

  /** An answer with the numbers of all. */
  answer(place: number, answer: LookAnswer): LookAnswer {
    const node = (own: number): number => this.node(place, own);
    const member = (one: Member): Member => ({
      ...one,
      node: node(one.node),
      ...(one.keyNode === undefined ? {} : { keyNode: node(one.keyNode) }),
    });
    switch (answer.is) {
      case 'opened':
        return {
          ...answer,
          opened: { ...answer.opened, node: node(answer.opened.node), first: answer.opened.first.map(member) },
        };
      case 'members':
        return { ...answer, members: answer.members.map(member) };
      case 'got':
        return { ...answer, node: node(answer.node) };
      default:
        return answer;
    }
  }

  /** Whom a question is for, in its own numbers; undefined for a moment that is forgotten. */
  request(request: LookRequest): { place: number; request: LookRequest } | undefined {
    if (request.do === 'open') {
      const found = this.momentOf(request.moment);
      return found && { place: found.place, request: { ...request, moment: found.moment } };
    }
    const { place, node } = this.nodeOf(request.node);
    return { place, request: { ...request, node } };
  }
}

/** Index of the last of a sorted list that is not above a value; 0 where all are. */
function lastNotAbove(length: number, at: (index: number) => number, value: number): number {
  let low = 0;
  let high = length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (at(middle) <= value) low = middle;
    else high = middle - 1;
  }
  return low;
}
