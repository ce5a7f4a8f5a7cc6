/** Ways of a pad, called in workers of a page as plain code. */
import type { ComparedTarget } from '../../compare/comparing.js';
import { Linker } from '../../session/linker.js';
import type { Language } from '../../session/host.js';
import { exportingText, type WrittenComparison } from '../../syntax/comparisons.js';
import { AnvilError } from '../../syntax/problems.js';
import { fromCompared, type ComparedAnswer } from '../../wire/comparing.js';
import { checkWith } from '../../wire/messages.js';
import type { ModuleCode } from '../../wire/modules.js';
import { Replies } from '../../wire/replies.js';
import type { AloneFiles } from './files.js';
import type { PadWorker } from './host.js';

/** Milliseconds that one question may take. */
const PATIENCE_MS = 60_000;

/** The module by which such a worker knows ways, and what they are called with. */
export const WAYS_MODULE = 'ways';

/**
 * The pad as plain code that exports its ways.
 *
 * @throws AnvilError `E_COMPARE` where it cannot be linked
 */
export function plainModules(
  file: string,
  text: string,
  written: WrittenComparison,
  textOf: (file: string) => string | undefined,
  { files, language }: { files: AloneFiles; language: Language },
): ModuleCode[] {
  const linker = new Linker(files, language, { depth: 'off', patchable: false, pad: file });
  for (const other of files.names) {
    const held = textOf(other);
    if (held !== undefined) linker.overlay.set(other, held);
  }
  linker.overlay.set(file, exportingText(text, written));
  const { modules, problems } = linker.link(file);
  if (problems.length > 0) throw new AnvilError('E_COMPARE', problems[0]!.problem.message);
  return modules;
}

/** A worker that calls them. */
export class ComparedWorker implements ComparedTarget {
  private readonly replies = new Replies<ComparedAnswer>();
  /** Why it answers no more. */
  private ended: ComparedAnswer | undefined;

  /** @param packages as of a run */
  constructor(
    private readonly worker: PadWorker,
    modules: ModuleCode[],
    names: string[],
    packages: string,
  ) {
    worker.onsaid = (said) => {
      const checked = checkWith(fromCompared, said);
      if (checked.ok) this.replies.answer(checked.message.ask, checked.message.answer);
    };
    worker.onfail = (why) => this.over(why);
    worker.say({ type: 'compare', modules, names, packages });
  }

  private over(why: string): void {
    this.ended ??= { is: 'failed', why };
    this.replies.end(this.ended);
  }

  ask: ComparedTarget['ask'] = async (asked, given) => {
    let late: ReturnType<typeof setTimeout> | undefined;
    const answer =
      this.ended ??
      (await this.replies.ask<ComparedAnswer>((ask) => {
        late = setTimeout(() => {
          this.over('it did not answer for a minute');
          this.end();
        }, PATIENCE_MS);
        this.worker.say({ type: 'asked', asked: { ...given, ask, do: asked } as never });
      }));
    clearTimeout(late);
    if (answer.is === 'failed') throw new AnvilError('E_COMPARE', answer.why);
    return answer as never;
  };

  end(): void {
    this.worker.end();
    this.over('it was ended');
  }
}
