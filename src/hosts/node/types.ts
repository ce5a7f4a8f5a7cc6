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

export interface TypeRequest {
  ask: number;
  entry: string;
  files: { file: string; text: string }[];
}

export class TypeChecker {
  private worker: Worker | undefined;
  private readonly replies = new Replies<TypeProblem[]>();

  /**
   * Checks the TypeScript files of a program. An answer to an older question
   * comes as well; ask again for newer texts.
   */
  check(entry: string, files: { file: string; text: string }[]): Promise<TypeProblem[]> {
    const worker = (this.worker ??= this.start());
    return this.replies.ask((ask) => worker.postMessage({ ask, entry, files } satisfies TypeRequest));
  }

  async close(): Promise<void> {
    this.replies.end([]);
    await this.worker?.terminate();
    this.worker = undefined;
  }

  private start(): Worker {
    const worker = new Worker(entryUrl('types-worker'), { execArgv: [] });
    worker.unref();
    worker.on('message', ({ ask, problems }: { ask: number; problems: TypeProblem[] }) =>
      this.replies.answer(ask, problems),
    );
    // Types are a help: without them the pad runs all the same.
    worker.on('error', () => {
      this.worker = undefined;
      this.replies.end([]);
    });
    return worker;
  }
}
