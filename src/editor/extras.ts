/**
 * Messages beside the open protocol, for a client that draws more than it has words for: values beside the lines and
 * the rail as decorations, selected values, panels of the workbench, pads from templates. Each is documented in
 * docs/editors.md; a client that knows none of them is told none.
 */
import { NotificationType, RequestType } from 'vscode-languageserver';
import { z } from 'zod';
import type { SelectedMessage } from '../server/protocol-files.js';
import type { LineMessage, ToWindow } from '../server/protocol.js';
import { toServer } from '../server/protocol.js';

const uri = z.string().min(1).max(4_096);

/** What a client says of itself when it begins, in `initializationOptions`; also by `workspace/didChangeConfiguration`. */
export const clientOptions = z.object({
  /** It draws values and the rail itself: it gets `usher-anvil/lane` and no hints, symbols or tokens. */
  lane: z.boolean().optional(),
  /** Lenses are shown. On by default. */
  lenses: z.boolean().optional(),
  /** A live program takes what is typed: at each save, or at each edit as well. */
  patch: z.enum(['save', 'edit']).optional(),
});
export type ClientOptions = z.infer<typeof clientOptions>;

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

export const lane = new NotificationType<LaneParams>('usher-anvil/lane');
export const status = new NotificationType<StatusParams>('usher-anvil/status');
export const programsChanged = new NotificationType<ProgramParams>('usher-anvil/programs');

export interface ProgramParams {
  programs: { name: string; pid: number; entry: string; since: string; files: string[] }[];
}

/** Lines that are on the screen, the last not included: they are told first. */
export const sees = z.object({ uri, from: z.int().min(0), to: z.int().min(0) });
export const seesType = new NotificationType<z.infer<typeof sees>>('usher-anvil/sees');

/** What a selected expression gave. Offsets in the text with `\n` for all line ends. */
export const select = z.object({ uri, start: z.int().min(0), end: z.int().min(0), version: z.int() });
export const selectType = new RequestType<z.infer<typeof select>, SelectedMessage | null, void>('usher-anvil/select');

export const templatesType = new RequestType<object, { name: string; sentence: string }[], void>(
  'usher-anvil/templates',
);
export const template = z.object({ name: z.string().max(200) });
export interface NewPad {
  text: string;
  languageId: string;
}
export const newPadType = new RequestType<z.infer<typeof template>, NewPad, void>('usher-anvil/newPad');

/** A panel of the workbench that looks at a file says something to its bench, or leaves it (`null`). */
export const panel = z.object({ panel: z.int().min(0), uri, message: toServer.nullable() });
export const panelType = new NotificationType<z.infer<typeof panel>>('usher-anvil/panel');
/** What its bench says to a panel. */
export const panelTold = new NotificationType<{ panel: number; message: ToWindow }>('usher-anvil/panelTold');
