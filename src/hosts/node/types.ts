/** Type checking beside execution: in a thread of its own, so that no value waits for it. */
import { Worker } from 'node:worker_threads';
import type { Position } from '../../syntax/positions.js';
import { Replies } from '../../wire/replies.js';
import { entryUrl } from './entries.js';

/** What TypeScript has to say of a place. */
export interface TypeProblem {
  file: string;
  start: Position;
  end: Position;
  /** TypeScript's number of the message. */
  code: number;
  message: string;
}

/** What is asked of a place in a text, by its offset. */
export type AssistQuestion =
  | { what: 'names' | 'about' | 'signature'; file: string; offset: number }
  /** Of one of the names. */
  | { what: 'detail'; file: string; offset: number; name: string };

export type AssistAnswer =
  | { what: 'names'; names: { name: string; kind: string; sort: string }[]; isMember: boolean }
  /** A type, and documentation with examples. */
  | { what: 'about'; type: string; text: string }
  /** A call: its text in parts, and which of them is the parameter at the place, or -1. */
  | { what: 'signature'; parts: string[]; active: number; text: string };

export interface TypeRequest {
  ask: number;
  entry: string;
  files: { file: string; text: string }[];
  /** Instead of a check. */
  question?: AssistQuestion;
}

export interface TypeReply {
  ask: number;
  problems: TypeProblem[];
  answer?: AssistAnswer;
}

export class TypeChecker {
  private worker: Worker | undefined;
  private readonly replies = new Replies<Pick<TypeReply, 'problems' | 'answer'>>();

  /**
   * Checks the TypeScript files of a program. An answer to an older question
   * comes as well; ask again for newer texts.
   */
  async check(entry: string, files: { file: string; text: string }[]): Promise<TypeProblem[]> {
    const worker = (this.worker ??= this.start());
    const { problems } = await this.replies.ask((ask) =>
      worker.postMessage({ ask, entry, files } satisfies TypeRequest),
    );
    return problems;
  }

  /** What is known of a place; undefined where nothing is. */
  async assist(
    entry: string,
    files: { file: string; text: string }[],
    question: AssistQuestion,
  ): Promise<AssistAnswer | undefined> {
    const worker = (this.worker ??= this.start());
    const { answer } = await this.replies.ask((ask) =>
      worker.postMessage({ ask, entry, files, question } satisfies TypeRequest),
    );
    return answer;
  }

  async close(): Promise<void> {
    this.replies.end({ problems: [] });
    await this.worker?.terminate();
    this.worker = undefined;
  }

  private start(): Worker {
    const worker = new Worker(entryUrl('types-worker'), { execArgv: [] });
    worker.unref();
    worker.on('message', ({ ask, ...reply }: TypeReply) => this.replies.answer(ask, reply));
    // Types are a help: without them the pad runs all the same.
    worker.on('error', () => {
      this.worker = undefined;
      this.replies.end({ problems: [] });
    });
    return worker;
  }
}
