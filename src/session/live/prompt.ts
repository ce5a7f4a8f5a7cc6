/** The prompt: what a person enters for a module that runs, and the names that can be written there. */
import type { NameFound } from '../../wire/looking.js';
import type { LiveAnswer } from '../../wire/messages.js';
import { withFollowing } from './applying.js';
import type { Changes } from './changes.js';
import { completeNames, unfinishedAt } from './completing.js';
import { changesText, codesOf, planEntry, thrown } from './entering.js';
import type { Entered } from './events.js';
import type { RunningProgram } from './running.js';
import type { TargetState } from './target-state.js';
import type { Turns } from './turns.js';

export class Prompt {
  constructor(
    private readonly running: RunningProgram,
    private readonly turns: Turns,
    private readonly changes: Changes,
  ) {}

  /**
   * Evaluates what a person enters inside a module: statements run once, functions and classes that the module has
   * are patched, other declarations join the module until it is executed again.
   *
   * @param where label of the target, where the file runs in several; see {@link whereIs}
   */
  async evaluate(file: string, text: string, where?: string): Promise<Entered> {
    let entered: Entered | undefined;
    let running:
      { answer: Promise<LiveAnswer> | undefined; state: TargetState; firstLine: number; changes: string } | undefined;
    await this.turns.then(file, async () => {
      const state = this.running.targetFor(file, where);
      const module = state?.modules.get(file);
      if (!module || !state?.target) {
        const why = module ? 'the program does not run' : this.whyNot(file, where);
        entered = { is: 'failed', text: why, details: [] };
        return;
      }
      const entry = planEntry(this.running, module, text);
      if ('is' in entry) {
        entered = entry;
        return;
      }
      const { plan, statements, firstLine } = entry;
      if (plan.steps.length > 0 || plan.notes.length > 0) {
        const outcome = await this.changes.patch([{ state, plans: withFollowing(this.running, state, [plan]) }]);
        entered = this.changes.sayOutcome(outcome, 'entered');
        if (entered) return;
      }
      state.modules.set(file, plan.next);
      // It may wait for long: others are taken meanwhile.
      const answer =
        statements.length > 0 ? state.target.change({ do: 'evaluate', file, codes: codesOf(statements) }) : undefined;
      running = { answer, state, firstLine, changes: changesText(plan) };
    });
    if (entered) return entered;
    // Said already, where it could not even be planned.
    if (!running) return { is: 'failed', text: 'it could not be taken', details: [] };
    const { answer: asked, state, firstLine, changes } = running;
    const answer = await asked;
    if (answer?.failed) return thrown(answer, file, firstLine, changes);
    const { numbering, hasProgram, main } = this.running;
    const result = answer?.result && {
      ...answer.result,
      moment: numbering.result(state.index, answer.result.moment),
    };
    const told = this.running.targetsOf(file).map(({ label }) => label).length > 1 || (state !== main && hasProgram);
    return {
      is: 'done',
      changes,
      pauseMs: answer?.pauseMs ?? 0,
      ...(result ? { result } : {}),
      ...(told ? { where: state.label } : {}),
    };
  }

  private whyNot(file: string, where: string | undefined): string {
    const known = this.running.targetsOf(file).map(({ label }) => label);
    if (known.length > 0)
      return `it does not run in ${where}; it runs in ${known.map((one) => one || 'the program').join(', ')}`;
    return this.running.hasProgram || this.running.targets.length > 1
      ? `${file} is no module of this program`
      : 'no page is open: open one, and enter it again';
  }

  /** Names that can be written behind a text, from the objects that live; no getter is run. */
  async complete(file: string, text: string, where?: string): Promise<{ from: number; names: NameFound[] }> {
    const unfinished = unfinishedAt(text);
    const state = this.running.targetFor(file, where);
    const module = state?.modules.get(file);
    if (!unfinished || !module || !state?.target) return { from: text.length, names: [] };
    const names = await completeNames(this.running, module, state.target, unfinished);
    return { from: text.length - unfinished.prefix.length, names };
  }
}
