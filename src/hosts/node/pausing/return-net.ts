/**
 * Catches a step that the engine loses: behind a `return` that leaves a `for … of` or a `finally` it stops nowhere.
 * Where that may be, places of the callers behind their calls are breakpoints for that step.
 */
import * as own from '../../../runtime/originals.js';
import type { CallFrame } from './thread-frames.js';

/** Calls back with what the engine's debugger answers, undefined where it cannot; at once where it is of this thread. */
export type AskDebugger = (method: string, params: object, done: (result: unknown) => void) => void;

/** Places of a caller that are caught at most: the first one that is reached ends the step. */
const MOST_PLACES = 40;
/** Callers in which a step is caught: each of them may stand at such a `return` itself. */
const CALLERS = 4;

/** Code that is stepped in, by line. */
interface Script {
  lines: string[];
  hasFinally: boolean;
}

export class ReturnNet {
  private readonly scripts = own.safeMap<string, Script>();
  private readonly set: string[] = [];

  /** @param isPassedBy tells of the engine's number of a code that no step ends in it */
  constructor(
    private readonly ask: AskDebugger,
    private readonly isPassedBy: (scriptId: string) => boolean,
  ) {}

  /** The thread stands again, or goes on without a step. */
  takeAway(): void {
    for (let i = 0; i < this.set.length; i++)
      this.ask('Debugger.removeBreakpoint', { breakpointId: this.set[i] }, () => undefined);
    this.set.length = 0;
  }

  /** Nothing of the engine's is valid any more. */
  clear(): void {
    this.scripts.clear();
    this.set.length = 0;
  }

  /** @param done called when the step may begin */
  layOut(callFrames: readonly CallFrame[], done: () => void): void {
    const top = callFrames[0];
    if (!top || this.isPassedBy(top.location.scriptId)) {
      done();
      return;
    }
    const { scriptId, lineNumber, columnNumber = 0 } = top.location;
    this.script(scriptId, ({ lines, hasFinally }) => {
      const line = lines[lineNumber] ?? '';
      const mayBeLost = hasFinally || own.test(/^return\b/, own.slice(line, columnNumber, line.length));
      if (mayBeLost) this.catchFrom(callFrames, 1, done);
      else done();
    });
  }

  private script(scriptId: string, found: (script: Script) => void): void {
    const known = this.scripts.get(scriptId);
    if (known) {
      found(known);
      return;
    }
    this.ask('Debugger.getScriptSource', { scriptId }, (result) => {
      const text = (result as { scriptSource?: string } | undefined)?.scriptSource ?? '';
      const script = { lines: own.split(text, '\n'), hasFinally: own.test(/\bfinally\b/, text) };
      this.scripts.set(scriptId, script);
      found(script);
    });
  }

  private catchFrom(callFrames: readonly CallFrame[], at: number, done: () => void): void {
    const frame = callFrames[at];
    if (!frame || at > CALLERS || this.isPassedBy(frame.location.scriptId)) done();
    else this.catchIn(frame, () => this.catchFrom(callFrames, at + 1, done));
  }

  private catchIn({ location }: CallFrame, done: () => void): void {
    const { scriptId } = location;
    const range = { start: location, end: { scriptId, lineNumber: location.lineNumber + MOST_PLACES } };
    this.ask('Debugger.getPossibleBreakpoints', { ...range, restrictToFunction: true }, (result) => {
      const { locations = [] } = (result ?? {}) as { locations?: CallFrame['location'][] };
      let open = 1;
      const answered = (): void => {
        if (--open === 0) done();
      };
      for (let i = 0; i < locations.length && i < MOST_PLACES; i++) {
        open++;
        const { lineNumber, columnNumber } = locations[i]!;
        this.ask('Debugger.setBreakpoint', { location: { scriptId, lineNumber, columnNumber } }, (made) => {
          const id = (made as { breakpointId?: string } | undefined)?.breakpointId;
          if (id !== undefined) own.append(this.set, id);
          answered();
        });
      }
      answered();
    });
  }
}
