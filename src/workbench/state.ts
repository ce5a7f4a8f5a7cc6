/** The page's state: what the server told, and what the person chose to see. */
import type {
  ChangeMessage,
  HistoryMessage,
  LiveMessage,
  MarginItemMessage,
  RecordMessage,
  ShownMessage,
  StageMessage,
  ToWindow,
} from '../server/protocol.js';
import type { EditorState, Extension } from '@codemirror/state';
import type { JoinedEditor } from '../sharing/joined-text.js';
import type { KeptDraft } from './drafts.js';
import type { View } from '../views/view.js';

export type DockTab = 'console' | 'errors' | 'tests' | 'requests' | 'pending' | 'tape' | 'prompt' | 'changes';

/** Something entered, and what became of it. */
export interface Entry {
  id: number;
  text: string;
  outcome?: Extract<ToWindow, { type: 'entered' }>['entered'];
  /** The value as text. */
  shown?: string;
}

export interface Inspected {
  line: number;
  histories: HistoryMessage[];
  chains: { text: string; stages: StageMessage[] }[];
}

/** A value that stands open in the inspector. */
export interface OpenValue {
  moment: number;
  part: number;
  /** How code reaches it. */
  path: string;
  /** What it was when it was reported. */
  then: string;
}

export interface Hovered {
  path: string;
  text: string;
  detail: string;
  stages: StageMessage[];
  openable: boolean;
  moment: number;
  views: View[];
}

export interface State {
  connected: boolean;
  root: string;
  pads: string[];
  pad: string;
  file: string;
  unsaved: boolean;
  conflict: boolean;
  /** The text on disk, where there is a conflict. */
  other: string | undefined;
  /** Both texts of a conflict are shown. */
  comparing: boolean;
  restored: boolean;
  /** Text of a window before this one, which the file may lack. */
  left: KeptDraft[];
  /** When the pad executes, and whether it has. */
  runs: Extract<ToWindow, { type: 'runs' }> | undefined;
  record: RecordMessage | undefined;
  /** Console, lines and tests of the last text that ran, while the current one does not parse. */
  good: RecordMessage | undefined;
  problem: string;
  tab: DockTab;
  theme: 'light' | 'dark';
  commands: boolean;
  /** The dialog for data is open. */
  pasting: boolean;
  /** TypeScript's objections are shown. */
  types: boolean;
  /** What takes a while, and what is worth a word. */
  busy: string;
  note: string;
  inspected: Inspected | undefined;
  /** The value opened last; the inspector shows it above everything else. */
  opened: OpenValue | undefined;
  shown: ShownMessage[];
  /** What the inspector shows: what a person opened, or what the pad shows. */
  side: 'values' | 'shown';
  /** Streams of numbers that are plotted, by the shape of their lines. */
  stream: string | undefined;
  /** The program that runs and is looked at; undefined for a pad. */
  live: LiveMessage | undefined;
  changes: ChangeMessage[];
  entries: Entry[];
  /** Grows when the prompt is to have the keyboard. */
  promptFocus: number;
}

/** What the editor does for the rest of the page. */
export interface EditorPort {
  view: JoinedEditor;
  /** The state that is about to be drawn, while it is on its way to the server. */
  sending: EditorState | undefined;
  /** Shows another text; `shared` joins it to the server's. */
  begin(file: string, text: string, shared: Extension): void;
  setRecord(record: RecordMessage): void;
  /** Changes the text as if a person had typed it. */
  rewrite(edits: readonly { from: number; to: number; insert: string }[]): void;
  reveal(line: number, character: number): void;
  focus(): void;
  currentLine(): number;
  /** Zero-based place of the cursor. */
  place(): { line: number; character: number };
  /** What is selected, and the line on which it ends. */
  selected(): { text: string; line: number };
  /** Shows what was evaluated beside a line, until the line is changed. */
  setBeside(line: number, item: MarginItemMessage & { open?: () => void }): void;
}

/** The state before the server has said anything. */
export function firstState(theme: State['theme']): State {
  return {
    connected: false,
    root: '',
    pads: [],
    pad: '',
    file: '',
    unsaved: false,
    conflict: false,
    other: undefined,
    comparing: false,
    restored: false,
    left: [],
    runs: undefined,
    record: undefined,
    good: undefined,
    problem: '',
    tab: 'console',
    theme,
    commands: false,
    pasting: false,
    types: true,
    busy: '',
    note: '',
    inspected: undefined,
    opened: undefined,
    shown: [],
    side: 'shown',
    stream: undefined,
    live: undefined,
    changes: [],
    entries: [],
    promptFocus: 0,
  };
}

/**
 * What a message of the server changes in the state; undefined for one that changes nothing in it.
 *
 * @param version of the text in this window: a record of an older one would stand at wrong lines
 */
export function changeFor(state: State, message: ToWindow, version: number): Partial<State> | undefined {
  switch (message.type) {
    case 'welcome':
      return { root: message.root, pads: message.pads, pad: message.pad ?? '', problem: '', live: message.live };
    case 'changes':
      return { changes: message.changes };
    case 'text': {
      const same = state.file === message.file;
      return {
        file: message.file,
        unsaved: message.unsaved,
        conflict: message.conflict,
        other: message.other,
        restored: message.restored,
        ...(same ? {} : { left: [], comparing: false }),
        inspected: same ? state.inspected : undefined,
        opened: same ? state.opened : undefined,
        problem: '',
      };
    }
    case 'state':
      if (message.file !== state.file) return undefined;
      return {
        unsaved: message.unsaved,
        conflict: message.conflict,
        other: message.other,
        comparing: state.comparing && message.conflict,
        restored: message.restored,
      };
    case 'runs':
      return { runs: message, pad: message.pad };
    case 'record':
      return isPresent(state, message, version) ? recordChange(state, message) : undefined;
    case 'shown': {
      const turns = message.shown.length > 0 && !state.inspected && !state.opened;
      return { shown: message.shown, ...(turns ? { side: 'shown' as const } : {}) };
    }
    case 'inspected':
      return { inspected: { line: message.line, histories: message.histories, chains: message.chains } };
    case 'busy':
      return { busy: message.text };
    case 'note':
      return { note: message.text };
    case 'problem':
      // A conflict has its own notice, with what can be done.
      return message.code === 'E_CONFLICT' ? undefined : { problem: `${message.code}  ${message.message}` };
    default:
      return undefined;
  }
}

/** True for a record of the file and text that this window shows. Of a program that runs on another one comes soon. */
export function isPresent(state: State, record: RecordMessage, version: number): boolean {
  return record.file === state.file && !(record.live && record.version < version);
}

function recordChange(state: State, record: RecordMessage): Partial<State> {
  // What another pad printed says nothing of this one.
  const before = state.good?.pad === record.pad ? state.good : undefined;
  return {
    record,
    pad: record.pad,
    good: record.stale ? before : record,
    ...(record.live ? {} : { problem: '' }),
  };
}
