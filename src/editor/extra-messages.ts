/** Messages beside the open protocol by their names, and their shapes: for the server and for a client that draws. */
import type { LineMessage } from '../server/protocol.js';
import type { HeldCallMessage } from '../server/protocol-held.js';

/** From the server. */
export const LANE = 'usher-anvil/lane';
export const STATUS = 'usher-anvil/status';
export const PROGRAMS = 'usher-anvil/programs';
export const PANEL_TOLD = 'usher-anvil/panelTold';
export const HELD = 'usher-anvil/held';
/** To the server. */
export const SEES = 'usher-anvil/sees';
export const SELECT = 'usher-anvil/select';
export const NAME_OF = 'usher-anvil/nameOf';
export const TEMPLATES = 'usher-anvil/templates';
export const NEW_PAD = 'usher-anvil/newPad';
export const PANEL = 'usher-anvil/panel';
export const LISTS_HELD = 'usher-anvil/listsHeld';
export const DO_HELD = 'usher-anvil/doHeld';

/** What stands beside the lines of a text. */
export interface LaneParams {
  uri: string;
  /** Of the text that lines are in. */
  version: number;
  lines: LineMessage[];
  /** Only these lines are told, the last not included; all come when the person pauses. */
  part?: { from: number; to: number };
  /** They are of a run before. */
  earlier: boolean;
}

/** How a file stands: for a line of state, and for what a person is asked. */
export interface StatusParams {
  uri: string;
  /** `off`: nothing runs it; `pad`: it runs here; `module`: of a pad; `live`: of a program that runs on. */
  is: 'off' | 'pad' | 'module' | 'live';
  /** Name of the pad or program. */
  of: string;
  when: 'edit' | 'save' | 'command';
  /** The text has not run since its last change. */
  behind: boolean;
  careful: boolean | 'asks';
  running: boolean;
  /** `ran in 4 ms`, what is wrong, how many tests passed; empty where nothing is known. */
  text: { run: string; trouble: string; tests: string };
}

/** The live programs of the person. */
export interface ProgramParams {
  programs: { name: string; pid: number; entry: string; since: string; files: string[] }[];
}

/** A text that is no file yet, to be opened. */
export interface NewPad {
  text: string;
  languageId: string;
}

/** What became of code that was evaluated. */
export interface Evaluated {
  /** Line that it stands behind. */
  line: number;
  /** The value, or what is wrong. */
  text: string;
  failed: boolean;
}

/** Calls that wait in live programs. */
export interface HeldParams {
  programs: HeldProgram[];
}

export interface HeldProgram {
  /** Of its door. */
  address: string;
  name: string;
  mode: 'off' | 'on' | 'auto';
  calls: HeldCallParams[];
  /** What stands still; `where` is a thread, process or page, empty for the program itself. */
  standing: { where: string; frames: HeldFrame[] }[];
}

/** As windows of the workbench are told of it. */
export interface HeldCallParams extends Omit<HeldCallMessage, 'at' | 'done' | 'frames'> {
  /** What it may have done already: that stays done when it is called again. */
  done: string[];
  /** The innermost first. */
  frames: HeldFrame[];
}

export interface HeldFrame {
  name: string;
  /** The line from 0, in the text that runs. */
  at?: { uri: string; line: number };
  variables: { name: string; text: string }[];
}

/** What became of something that was done with a held call. */
export interface HeldDone {
  /** A text to be put in, in the text that runs, and where the cursor goes then. */
  write?: {
    uri: string;
    line: number;
    character: number;
    text: string;
    cursor: { line: number; character: number };
  };
}
