/** A process that calls ways of a comparison, as the side that asks it sees it. */
import { fork, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { ComparedTarget } from '../../../compare/comparing.js';
import { AnvilError } from '../../../syntax/problems.js';
import { fromCompared, type ComparedAnswer } from '../../../wire/comparing.js';
import { checkWith } from '../../../wire/messages.js';
import { Replies } from '../../../wire/replies.js';
import { entryUrl } from '../entries.js';

/** Milliseconds that one question may take. */
const PATIENCE_MS = 60_000;
/** Characters of what it has written to its errors that are told when it ends early. */
const MOST_SAID = 500;

export class ComparedProcess implements ComparedTarget {
  private readonly child: ChildProcess;
  private readonly replies = new Replies<ComparedAnswer>();
  private said = '';
  /** Why it answers no more. */
  private ended: ComparedAnswer | undefined;

  constructor(cwd: string) {
    this.child = fork(fileURLToPath(entryUrl('compare-main')), [], {
      cwd,
      execArgv: [],
      stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
    });
    this.child.stderr!.setEncoding('utf8').on('data', (text: string) => {
      this.said = (this.said + text).slice(-MOST_SAID);
    });
    this.child.on('message', (given) => {
      const checked = checkWith(fromCompared, given);
      if (checked.ok) this.replies.answer(checked.message.ask, checked.message.answer);
    });
    this.child.on('error', () => undefined);
    this.child.on('exit', (code, signal) => {
      const why = `its process ended (${signal ?? code ?? 0})${this.said === '' ? '' : `: ${this.said.trim()}`}`;
      this.ended = { is: 'failed', why };
      this.replies.end(this.ended);
    });
  }

  /** @throws AnvilError `E_COMPARE` where it fails, ends, or does not answer in time */
  ask: ComparedTarget['ask'] = async (asked, given) => {
    let late: NodeJS.Timeout | undefined;
    const answer =
      this.ended ??
      (await this.replies.ask<ComparedAnswer>((ask) => {
        late = setTimeout(() => this.child.kill('SIGKILL'), PATIENCE_MS);
        // One that has just ended tells why in a moment.
        if (this.child.connected) this.child.send({ ...given, ask, do: asked });
      }));
    clearTimeout(late);
    if (answer.is === 'failed') throw new AnvilError('E_COMPARE', answer.why);
    return answer as never;
  };

  end(): void {
    this.child.kill('SIGKILL');
  }
}
