/** What a client is shown at a step: frames, scopes, variables. */
import type { DebugProtocol } from '@vscode/debugprotocol';
import type { PadRecord } from '../record/record.js';
import type { Walk } from '../record/walk/walk.js';
import { valueText } from '../runtime/text.js';
import { type Named, type Present, ShownValues } from './shown-values.js';

/** A frame, with zero-based lines and columns. */
export interface FrameAt {
  id: number;
  name: string;
  file: string;
  line: number;
  column: number;
  canRestart: boolean;
}

export class Answers {
  readonly shown: ShownValues;
  /** What references of scopes lead to, so that a name in one has its path. */
  private readonly paths = new Map<number, ReadonlyMap<string, string>>();

  constructor(
    readonly record: PadRecord,
    private readonly run: Walk,
    present: Present,
  ) {
    this.shown = new ShownValues(present);
  }

  moved(): void {
    this.shown.forget();
    this.paths.clear();
  }

  /** The innermost frame stands at the step, the others where they called. */
  stack(at: number): FrameAt[] {
    const { run } = this;
    const frames = run.stack(at);
    return frames.map((frame, index) => {
      const step = index === 0 ? at : run.standing(frame.number, at);
      const { range, file } = step === undefined ? frame : run.step(step);
      return {
        id: frame.number,
        name: frame.name || 'a function without a name',
        file,
        line: range.start.line,
        column: range.start.character,
        canRestart: true,
      };
    });
  }

  /** Own variables, those of the functions around, those of the module. */
  scopes(at: number, frame: number): DebugProtocol.Scope[] {
    const { run } = this;
    const groups = new Map<number, Named[]>();
    for (const { name, value, frame: owner } of run.variables(at, frame)) {
      const list = groups.get(owner) ?? [];
      list.push({ name, value, path: name });
      groups.set(owner, list);
    }
    if (!groups.has(frame)) groups.set(frame, []);
    return [...groups]
      .sort(([a], [b]) => Number(b === frame) - Number(a === frame))
      .map(([owner, list]) => {
        const { name } = run.frame(owner);
        const variablesReference = this.shown.reference({ is: 'variables', list });
        this.paths.set(variablesReference, new Map(list.map((one) => [one.name, one.name])));
        const title = owner === frame ? 'Local' : name === 'module' ? 'Module' : `Around: ${name || 'a function'}`;
        return {
          name: title,
          variablesReference,
          namedVariables: list.length,
          expensive: false,
          ...(owner === frame ? { presentationHint: 'locals' } : {}),
        };
      });
  }

  /** Variables of a frame beside the lines on which they got what they hold: zero-based, of the frame's file. */
  beside(at: number, frame: number): { line: number; name: string; text: string }[] {
    const { run } = this;
    const { file } = run.frame(frame);
    return run
      .variables(at, frame)
      .filter((one) => one.frame === frame && one.file === file && one.value.type !== 'function')
      .map(({ name, value, range }) => ({ line: range.start.line, name, text: valueText(value, 80) }));
  }

  /** The path of what a client names: an expression, or a variable of a scope. */
  pathOf({ name, variablesReference }: DebugProtocol.DataBreakpointInfoArguments): string | undefined {
    if (variablesReference === undefined) return name;
    return this.paths.get(variablesReference)?.get(name) ?? this.shown.pathIn(variablesReference, name);
  }

  /** Frames that were called from a step. */
  called(at: number, frame: number): DebugProtocol.StepInTarget[] {
    const { run } = this;
    const step = run.standing(frame, at);
    if (step === undefined) return [];
    return run.calledAt(step).map(({ number, name, range }) => ({
      id: number,
      label: name || 'a function without a name',
      line: range.start.line + 1,
    }));
  }
}
