/**
 * Steps of targets that stand still only where versions of functions ask: which functions ask, besides those with
 * breakpoints.
 */
import type { Outline } from '../../../syntax/outline.js';
import { LineTable } from '../../../syntax/positions.js';
import type { Going } from '../../../wire/pausing.js';
import type { Observing } from '../observing.js';
import type { RunningProgram } from '../running.js';
import type { TargetState } from '../target-state.js';
import type { Turns } from '../turns.js';
import { pointAround } from './breakpoints.js';
import type { StandingFrame } from './told.js';

export class PointSteps {
  /** Targets of which every function asks. */
  private readonly whole = new Set<TargetState>();

  constructor(
    private readonly running: RunningProgram,
    private readonly observing: Observing,
    private readonly turns: Turns,
  ) {}

  /**
   * A target stands still: functions that stand around ask as well from now on, so that their variables are there when
   * it stops under them again.
   */
  stands(state: TargetState, frames: readonly StandingFrame[]): void {
    if (!state.guest?.atPoints) return;
    for (const { file, line, local, version } of frames) {
      const outline = local && !version ? state.modules.get(file)?.outline : undefined;
      const paths = outline ? pathsAt(outline, line) : [];
      if (paths.length > 0) void this.turns.then(file, () => this.observing.step(state, file, paths));
    }
  }

  /** It is about to go on: to step into whatever is called, all functions have to ask. */
  async goes(state: TargetState, going: Going): Promise<void> {
    if (state.guest?.atPoints && going.how === 'into') await this.all(state);
  }

  /** All functions of a target ask: it stops in the next that is called. */
  async all(state: TargetState): Promise<void> {
    if (!state.guest?.atPoints || this.whole.has(state)) return;
    this.whole.add(state);
    for (const file of [...state.modules.keys()])
      await this.turns.then(file, () => this.observing.step(state, file, 'all'));
  }

  /** It has gone on, and is not to stop at a next statement. */
  async wentOn(state: TargetState): Promise<void> {
    if (this.whole.delete(state)) await this.none(state);
  }

  /** There are no breakpoints any more. */
  async cleared(): Promise<void> {
    for (const state of this.running.targets)
      if (state.guest?.atPoints && !this.whole.has(state)) await this.none(state);
  }

  left(state: TargetState): void {
    this.whole.delete(state);
  }

  private async none(state: TargetState): Promise<void> {
    for (const file of state.observation.touched)
      if (state.observation.steps(file)) await this.turns.then(file, () => this.observing.step(state, file, 'none'));
  }
}

/** The function around a line, and those that begin on it. */
function pathsAt(outline: Outline, line: number): string[] {
  const lines = new LineTable(outline.parsed.text);
  if (line >= lines.lineCount) return [];
  const around = pointAround(outline, lines.starts[line]! + Math.max(0, lines.line(line).search(/\S/)));
  const begin = outline.functions.filter(({ start }) => lines.lineAt(start) === line);
  return [...(around ? [around] : []), ...begin].map(({ path }) => path);
}
