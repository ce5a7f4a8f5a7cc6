/** Requests that were made, kept for a while so that two of them can be laid side by side. */
import type { Answer } from '../../../record/entries/answers.js';
import type { EntryPoint } from '../../../record/entries/book.js';
import type { Piece } from '../../../record/entries/pieces.js';
import type { PadRecord } from '../../../record/record.js';
import type { HttpQuestion } from './asking.js';

export interface KeptRequest {
  point: EntryPoint;
  question: HttpQuestion;
  answer: Answer;
  pieces: Piece[];
  record: PadRecord;
}

const MOST = 20;

export class KeptRequests {
  private readonly kept = new Map<number, KeptRequest>();
  private last = 0;

  /** @returns its number */
  add(request: KeptRequest): number {
    this.kept.set(++this.last, request);
    if (this.kept.size > MOST) this.kept.delete(this.kept.keys().next().value!);
    return this.last;
  }

  get(number: number): KeptRequest | undefined {
    return this.kept.get(number);
  }

  /** Numbers and requests, the newest first. */
  get all(): { number: number; request: KeptRequest }[] {
    return [...this.kept].map(([number, request]) => ({ number, request })).reverse();
  }
}
