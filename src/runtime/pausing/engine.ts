/** What pausing needs of the engine around a target. */
import type { RawFrame } from '../../wire/reports.js';
import type { Callable } from '../patches/modules.js';

/** A place in code as the engine knows it; line and character from 0. */
export interface EnginePlace {
  /** Name of the function, empty where it has none. */
  name: string;
  /** Under which name the code was compiled. */
  file: string;
  line: number;
  character: number;
  /** It is about to return: the place is behind its last statement. */
  isReturn: boolean;
}

/** Variables that belong together. */
export interface EngineScope {
  kind: 'local' | 'block' | 'catch' | 'closure' | 'module' | 'with';
  /** An object with the variables as its own properties. */
  object: object;
}

/** What the engine gives of a thread that stands still. Frames are counted from the innermost out, from 0. */
export interface StoppedThread {
  places: EnginePlace[];
  /** The error that is being thrown. */
  thrown?: { error: unknown };
  scopes(frame: number): { scopes: EngineScope[]; self: unknown } | { why: string };
  /** Code that is evaluated where a frame stands. */
  evaluate(frame: number, code: string): { value: unknown } | { thrown: unknown } | { why: string };
}

/** `again`: the frame that is so many from the outermost begins anew. */
export type EngineGoing = { how: 'on' | 'over' | 'into' | 'out' } | { how: 'again'; depth: number };

/** What a version hands over where it asks. */
export interface There {
  /** Evaluates code as if it stood there. */
  evaluate(code: string): unknown;
  /** Names that it sees, with commas between. */
  names: string;
}

/** A function whose versions ask before each of their statements. */
export interface SteppingFunction {
  /** No other has this number. */
  of: number;
  /** Empty where it has none. */
  name: string;
  file: string;
  /** Its first line and its last, from 0. */
  first: number;
  last: number;
  isAsync: boolean;
}

/** Takes what a call has thrown, with its variables as they are then. */
export type Threw = (error: unknown, fn: SteppingFunction, there: There) => void;

export interface PauseEngine {
  /** @param stopped called each time that this thread stands still; gives how it goes on */
  attach(stopped: (thread: StoppedThread) => EngineGoing): void;
  /**
   * Stops this thread where it is called.
   *
   * @param there evaluates code where the person's code stands, for an engine without a debugger
   * @returns false where the engine has no debugger
   */
  stopHere(there?: There): boolean;
  /** Stops it in the code that runs next. @returns false where the engine has no debugger */
  stopSoon(): boolean;
  /** Stops it at each error that is thrown, while it is on. @returns false where the engine has no debugger */
  stopAtErrors(on: boolean): boolean;
  /** Why it never stops at errors. */
  readonly whyNoErrors?: string;
  /** It can stand still, and be asked meanwhile; without that, it only tells of errors as they are thrown. */
  readonly canStand: boolean;
  /** It can leave frames, and begin their calls anew. */
  readonly canBeginAnew: boolean;
  /** A statement begins, in a version of such a function: a step may end there. */
  point?(of: number, evaluate: There['evaluate'], names: string, isInner: boolean): void;
  /** Flags by function of a new unit of counts: 0 while its statements need not ask. */
  asking?(unit: number, functions: number): Uint8Array;
  /** Calls of a version of such a function are known while they run. */
  known?(made: Callable, fn: SteppingFunction, threw?: Threw): Callable;
  /** Versions of a unit of counts are there no more. */
  forget?(unit: number): void;
  /** Waits for what the session says, and takes it. Called while the thread stands still. */
  wait(): void;
}

/** A frame of the person, by its number in {@link StoppedThread.places}. */
export interface OwnFrame {
  at: number;
  /** The same, or the frame whose patch point has called it. */
  entry: number;
  frame: RawFrame;
  version: boolean;
  /** It stands in code that was put into the text. */
  isOurs: boolean;
}
