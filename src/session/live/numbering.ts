/**
 * Several targets each count their own moments and number their own objects;
 * here they get numbers of all.
 */
import type { LookAnswer, LookRequest, Member } from '../../wire/looking.js';
import type { Batch, RawError } from '../../wire/reports.js';

/** Targets are told apart by the lowest digits of a number. */
const TARGETS = 1_024;
/** Interleavings that are remembered; what was reported before them cannot be opened any more. */
const MOST_SPANS = 4_000;

/** Gives moments and objects of several targets numbers of their own. */
export class Numbering {
  private targets = 0;
  private top = 0;
  /** By target: from which of its moments on they are counted so much later. */
  private readonly spans: { starts: number[]; offset: number[]; newest: number }[] = [];

  /** A number that no target had before. */
  newTarget(): number {
    return this.targets++;
  }

  /** What a target reported up to a moment comes after all that was reported before. */
  private advance(target: number, newest: number): void {
    const spans = (this.spans[target] ??= { starts: [0], offset: [0], newest: 0 });
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

  /** The number of a moment of a target. */
  moment(target: number, moment: number): number {
    const spans = this.spans[target];
    const at = spans ? lastNotAbove(spans.starts.length, (i) => spans.starts[i]!, moment) : 0;
    return (moment + (spans?.offset[at] ?? 0)) * TARGETS + target;
  }

  /** The target of a number, and its own moment there; undefined for one that is forgotten. */
  momentOf(number: number): { target: number; moment: number } | undefined {
    const target = number % TARGETS;
    const moment = (number - target) / TARGETS;
    const spans = this.spans[target];
    if (!spans) return { target, moment };
    const at = lastNotAbove(spans.starts.length, (i) => spans.starts[i]! + spans.offset[i]!, moment);
    const own = moment - spans.offset[at]!;
    return own < spans.starts[at]! ? undefined : { target, moment: own };
  }

  node(target: number, node: number): number {
    return node === 0 ? 0 : node * TARGETS + target;
  }

  nodeOf(number: number): { target: number; node: number } {
    const target = number % TARGETS;
    return { target, node: (number - target) / TARGETS };
  }

  /** A report with the numbers of all. */
  batch(target: number, batch: Batch): Batch {
    this.advance(target, batch.moment);
    const moment = (own: number): number => this.moment(target, own);
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
  result(target: number, moment: number): number {
    this.advance(target, moment);
    return this.moment(target, moment);
  }

  /** An answer with the numbers of all. */
  answer(target: number, answer: LookAnswer): LookAnswer {
    const node = (own: number): number => this.node(target, own);
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
  request(request: LookRequest): { target: number; request: LookRequest } | undefined {
    if (request.do === 'open') {
      const found = this.momentOf(request.moment);
      return found && { target: found.target, request: { ...request, moment: found.moment } };
    }
    const { target, node } = this.nodeOf(request.node);
    return { target, request: { ...request, node } };
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
