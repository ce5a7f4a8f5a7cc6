/** The page's state: what the server told, and what the person chose to see. */
import { added, welcomed } from './welcome.js';
import type {
  ChangeMessage,
  ComparisonsMessage,
  HistoryMessage,
  LiveMessage,
  MarginItemMessage,
  RecordMessage,
  ShownMessage,
  StageMessage,
  ToWindow,
  WalkCalls,
  WalkPieces,
  PageMessage,
  PointedMessage,
  WalkStop,
} from '../server/protocol.js';
import type { EditorState, Extension } from '@codemirror/state';
import type { BreakpointMessage, HeldMessage } from '../server/protocol-held.js';
import type { StartMessage } from '../server/protocol-files.js';
import { heldChange, type ShownFrame } from './held-state.js';
import { servesChange, type Serves } from './serves-state.js';
import type { AlonePanel } from './alone.js';
import type { Layout } from './layout.js';
import type { OpenValue } from './opened.js';

export type { OpenValue } from './opened.js';
export type { Serves } from './serves-state.js';

import type { JoinedEditor } from '../sharing/joined-text.js';
import type { KeptDraft } from './drafts.js';
import type { View } from '../views/view.js';
import type { WalkInFile } from './walk-extension.js';

export type DockTab = 'held' | 'console' | 'errors' | 'tests' | 'requests' | 'pending' | 'tape' | 'prompt' | 'changes';

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
  /** Files of the project that the live program has not loaded. */
  idle: string[];
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
  /** A run is walked through: where one stands, and what is to be said of it. */
  walk: { stop?: WalkStop; note: string } | undefined;
  /** What called what there, as far as it was asked for. */
  walkCalls: readonly WalkCalls[];
  /** Where the page pad is to be seen; undefined for what runs in Node. */
  page?: PageMessage['shown'];
  /** The page of the live program's development server is shown beside the code. */
  livePage: boolean;
  /** The pixel of a canvas of the page that is under a pointer. */
  pointed?: PointedMessage['pixel'];
  /** The code that took part, once that is shown. */
  walkPieces?: WalkPieces | undefined;
  /** What takes a while, and what is worth a word. */
  busy: string;
  note: string;
  /** What the project would add, and does not until a person says so. */
  additionsHeld: string[];
  inspected: Inspected | undefined;
  /** The value opened last; the inspector shows it above everything else. */
  opened: OpenValue | undefined;
  shown: ShownMessage[];
  /** Ways that the pad compares. */
  comparisons: ComparisonsMessage['list'];
  /** What the inspector shows: what a person opened, or what the pad shows. */
  side: 'values' | 'shown';
  /** Streams of numbers that are plotted, by the shape of their lines. */
  stream: string | undefined;
  /** The program that runs and is looked at; undefined for a pad. */
  live: LiveMessage | undefined;
  /** Held calls, breakpoints, and what stands still. */
  held: HeldMessage | undefined;
  /** The frame whose values stand at the lines: of a held call, or of what stands still. */
  frame: ShownFrame | undefined;
  /** Entry points, while the window shows them. */
  serves: Serves | undefined;
  changes: ChangeMessage[];
  entries: Entry[];
  /** Grows when the prompt is to have the keyboard. */
  promptFocus: number;
  /** The start page stands below the first line; what it lists. */
  starting: boolean;
  start: StartMessage | undefined;
  /** The file has no name of a person's yet. */
  untitled: boolean;
  /** A name is asked for. */
  naming: Naming | undefined;
  /** Files that this window has shown, in that order. */
  tabs: { opened: string[] };
  /** A second file beside the first; empty for none. */
  beside: string;
  layout: Layout;
  /** The panel that has the whole window. */
  grown: 'dock' | 'side' | '';
  /** Panels open by themselves when they have something, unless a person has closed them. */
  dock: 'auto' | 'open' | 'closed';
  aside: 'auto' | 'closed';
  /** Something for the dock was there since the file is shown. */
  dockSeen: boolean;
  /** The panel that this window shows alone. */
  alone: AlonePanel | undefined;
}

/** A name that a person is asked for. */
export interface Naming {
  title: string;
  hint: string;
  /** What is done with it, as a button says it. */
  verb: string;
  suggestion: string;
  take(name: string): void;
}

/** What the editor does for the rest of the page. */
export interface EditorPort {
  view: JoinedEditor;
  /** The state that is about to be drawn, while it is on its way to the server. */
  sending: EditorState | undefined;
  /** Shows another text; `shared` joins it to the server's. */
  begin(file: string, text: string, shared: Extension): void;
  /** Opens values below a line; null closes them. */
  showBelow(line: number, values: Inspected | null): void;
  /** Zero-based lines below which values are open. */
  linesBelow(): number[];
  /** Shows a text as it was left. */
  resume(state: EditorState): void;
  setRecord(record: RecordMessage): void;
  /** Changes the text as if a person had typed it. */
  rewrite(edits: readonly { from: number; to: number; insert: string }[]): void;
  reveal(line: number, character: number): void;
  focus(): void;
  /** Zero-based, the last included. */
  selectedLines(): { from: number; to: number };
  /** Zero-based; undefined where nothing is selected. */
  selectedRange(): { line: number; character: number; until: { line: number; character: number } } | undefined;
  currentLine(): number;
  /** Zero-based place of the cursor. */
  place(): { line: number; character: number };
  /** What is selected, and the line on which it ends. */
  selected(): { text: string; line: number };
  /** Shows where a walk stands, in the file that is shown; null for none. @param follows the code is moved there */
  setWalk(walk: WalkInFile | null, follows?: boolean): void;
  /** Puts the editor into another place of the page; null puts it back. */
  host(element: HTMLElement | null): void;
  /** Shows these lines of the file alone (zero-based, the last included); null for all of it. */
  setPiece(lines: { from: number; to: number } | null): void;
  /** Marks the breakpoints of the file that is shown. */
  setBreakpoints(list: readonly BreakpointMessage[]): void;
  /** Puts a text in, as if it were typed; the cursor goes to a place behind it. */
  write(at: number, text: string, cursor: { line: number; character: number }): void;
  /** Shows what was evaluated beside a line, until the line is changed. */
  setBeside(line: number, item: MarginItemMessage & { open?: () => void }): void;
}

/** The state before the server has said anything. */
export function firstState({ theme, layout, alone }: Pick<State, 'theme' | 'layout' | 'alone'>): State {
  return {
    connected: false,
    root: '',
    pads: [],
    idle: [],
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
    walk: undefined,
    walkCalls: [],
    busy: '',
    note: '',
    additionsHeld: [],
    inspected: undefined,
    opened: undefined,
    shown: [],
    comparisons: [],
    side: 'shown',
    stream: undefined,
    live: undefined,
    livePage: false,
    held: undefined,
    frame: undefined,
    serves: undefined,
    changes: [],
    entries: [],
    promptFocus: 0,
    starting: false,
    start: undefined,
    untitled: false,
    naming: undefined,
    tabs: { opened: [] },
    beside: '',
    layout,
    grown: '',
    dock: 'auto',
    aside: 'auto',
    dockSeen: false,
    alone,
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
      return welcomed(state.alone !== undefined, message);
    case 'start':
      return { start: message };
    case 'files':
      return { pads: message.pads, idle: message.idle ?? [] };
    case 'renamed': {
      const opened = state.tabs.opened.map((file) => (file === message.file ? message.to : file));
      return { tabs: { opened }, ...(state.file === message.file ? { file: message.to } : {}) };
    }
    case 'deleted':
      return { tabs: { opened: state.tabs.opened.filter((file) => file !== message.file) } };
    case 'held':
      return heldChange(state, message);
    case 'entries':
    case 'entry':
    case 'compared':
    case 'sides':
      return state.serves && { serves: servesChange(state.serves, message) };
    case 'changes':
      return { changes: message.changes };
    case 'text': {
      const same = state.file === message.file;
      return {
        file: message.file,
        untitled: message.untitled === true,
        tabs: tabsWith(state, message.file),
        ...(same ? {} : { dockSeen: false }),
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
        untitled: message.untitled === true,
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
    case 'comparisons': {
      const isFirst = state.comparisons.length === 0 && message.list.length > 0;
      const turns = isFirst && !state.inspected && !state.opened;
      return { comparisons: message.list, ...(turns ? { side: 'shown' as const } : {}) };
    }
    case 'shown': {
      const turns = message.shown.length > 0 && !state.inspected && !state.opened;
      return { shown: message.shown, ...(turns ? { side: 'shown' as const } : {}) };
    }
    case 'inspected':
      return message.ask !== undefined
        ? undefined
        : { inspected: { line: message.line, histories: message.histories, chains: message.chains } };
    case 'walk': {
      const stop = message.stop ?? state.walk?.stop;
      if (!message.stop && !message.note) return { walk: undefined, walkPieces: undefined };
      return { walk: { ...(stop ? { stop } : {}), note: message.note ?? '' } };
    }
    case 'page':
      // Entry points are those of a page that goes on.
      return { page: message.shown, pointed: undefined, ...(message.shown?.keeps ? {} : { serves: undefined }) };
    case 'pointed':
      return { pointed: message.pixel };
    case 'walk-pieces':
      return { walkPieces: message };
    case 'walk-calls':
      return { walkCalls: withCalls(state.walkCalls, message) };
    case 'busy':
      return { busy: message.text };
    case 'additions':
      return added(message);
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
  // Errors stand at their lines, and come and go while one types.
  const has = record.console.length > 0 || record.tests.some((test) => test.state === 'failed');
  const turns = has && !state.dockSeen && state.tab === 'console' && record.console.length === 0;
  return {
    dockSeen: state.dockSeen || has || (record.live !== undefined && !state.page),
    ...(turns ? { tab: 'tests' as const } : {}),
    record,
    pad: record.pad,
    good: record.stale ? before : record,
    ...(record.live ? {} : { problem: '' }),
  };
}

/** An untitled pad in which nothing stands leaves nothing behind. */
function tabsWith({ tabs, file, untitled, record }: State, shown: string): State['tabs'] {
  const isLeft = untitled && file !== shown && (record?.file !== file || record.lines.length === 0);
  const opened = isLeft ? tabs.opened.filter((one) => one !== file) : tabs.opened;
  return { opened: opened.includes(shown) ? opened : [...opened, shown] };
}

/** The pages that came, by the frame that called; those of another run or filter are let go of. */
function withCalls(known: readonly WalkCalls[], page: WalkCalls): readonly WalkCalls[] {
  const same = known.filter(({ run, filter }) => run === page.run && filter === page.filter);
  return [...same.filter(({ under, from }) => under !== page.under || from !== page.from), page];
}
