/** The page's state: what the server told, and what the person chose to see. */
import type { LookRequest, NameFound } from '../wire/looking.js';
import type {
  ChangeMessage,
  HistoryMessage,
  LiveMessage,
  LookedAnswer,
  MarginItemMessage,
  RecordMessage,
  ShownMessage,
  StageMessage,
  ToWindow,
} from '../server/protocol.js';
import type { View } from '../views/view.js';
import { StreamData } from './stream.js';
import { Connection } from './connection.js';

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
  restored: boolean;
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
  text(): string;
  setText(file: string, text: string): void;
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

export class Store {
  state: State = {
    connected: false,
    root: '',
    pads: [],
    pad: '',
    file: '',
    unsaved: false,
    conflict: false,
    restored: false,
    record: undefined,
    good: undefined,
    problem: '',
    tab: 'console',
    theme: storedTheme(),
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
  editor: EditorPort | undefined;
  readonly streamData = new StreamData();
  private readonly listeners = new Set<() => void>();
  private readonly connection: Connection;
  private version = 0;
  private asks = 0;
  private readonly looks = new Map<number, (answer: LookedAnswer) => void>();
  private readonly hovers = new Map<number, (found: Hovered | undefined) => void>();
  private readonly completions = new Map<number, (found: { from: number; names: NameFound[] }) => void>();
  private readonly enters = new Map<number, (message: Extract<ToWindow, { type: 'entered' }>) => void>();
  private reveal: { file: string; line: number; character: number } | undefined;

  constructor() {
    document.documentElement.dataset.theme = this.state.theme;
    this.connection = new Connection(
      (message) => this.receive(message),
      (connected) => this.set({ connected }),
    );
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  snapshot = (): State => this.state;

  set(change: Partial<State>): void {
    this.state = { ...this.state, ...change };
    for (const listener of this.listeners) listener();
  }

  /** A keystroke: the whole text goes to the server at once. */
  edited(text: string): void {
    this.version++;
    if (!this.state.unsaved || this.state.restored) this.set({ unsaved: true, restored: false });
    this.connection.send({ type: 'edit', file: this.state.file, text, version: this.version });
  }

  save(): void {
    if (!this.editor || this.state.file === '') return;
    if (!this.connection.send({ type: 'save', file: this.state.file, text: this.editor.text(), version: this.version }))
      this.set({ problem: 'Not saved: the server cannot be reached. The text stays in this window.' });
  }

  settle(take: 'disk' | 'mine'): void {
    this.connection.send({ type: 'settle', file: this.state.file, take });
  }

  execute(): void {
    this.connection.send({ type: 'execute' });
  }

  drop(): void {
    this.connection.send({ type: 'drop' });
  }

  turn(name: string, value: string | number | boolean): void {
    this.connection.send({ type: 'turn', name, value });
  }

  writeDials(): void {
    this.connection.send({ type: 'dials', do: 'write' });
  }

  resetDials(): void {
    this.connection.send({ type: 'dials', do: 'reset' });
  }

  openGate(id: number): void {
    this.connection.send({ type: 'act', action: { do: 'open-gate', id } });
  }

  stopTimer(id: number): void {
    this.connection.send({ type: 'act', action: { do: 'stop-timer', id } });
  }

  /** The data that `input` reads; null for what the pad names itself. */
  giveData(name: string, text: string | null): void {
    this.connection.send({ type: 'data', name, text });
  }

  addPackage(name: string): void {
    this.set({ problem: '' });
    this.connection.send({ type: 'add', package: name });
  }

  tellSizes(): void {
    this.connection.send({ type: 'sizes' });
  }

  toggleTypes(): void {
    const types = !this.state.types;
    this.set({ types });
    this.connection.send({ type: 'types', on: types });
  }

  exportAs(format: 'html' | 'md' | 'svg' | 'png' | 'json'): void {
    this.connection.send({ type: 'export', format });
  }

  /** Executes with one test or suite alone, by its names from the outermost in; null for all. */
  testAlone(path: string[] | null): void {
    this.connection.send({ type: 'alone', path });
  }

  stop(): void {
    this.connection.send({ type: 'stop' });
  }

  open(file: string, run: boolean): void {
    this.connection.send({ type: 'show', file, run });
  }

  goTo(file: string, line: number, character: number): void {
    if (file === this.state.file) this.editor?.reveal(line, character);
    else {
      this.reveal = { file, line, character };
      this.open(file, false);
    }
  }

  /** Moves the cursor of the tape; null is the end. */
  moveTo(moment: number | null): void {
    const { record } = this.state;
    const at = moment === null || !record || moment >= record.moments ? null : Math.max(1, Math.round(moment));
    this.connection.send({ type: 'cursor', moment: at });
  }

  /** To the visit before or after, of the site under the editor's cursor. */
  step(by: -1 | 1): void {
    const place = this.editor?.place();
    if (place) this.connection.send({ type: 'step', file: this.state.file, ...place, by });
  }

  look(request: LookRequest): Promise<LookedAnswer> {
    const ask = ++this.asks;
    return new Promise((resolve) => {
      this.looks.set(ask, resolve);
      if (!this.connection.send({ type: 'look', ask, request })) {
        this.looks.delete(ask);
        resolve({ is: 'gone', why: 'The server cannot be reached.' });
      }
    });
  }

  hover(line: number, character: number): Promise<Hovered | undefined> {
    const ask = ++this.asks;
    return new Promise((resolve) => {
      this.hovers.set(ask, resolve);
      if (!this.connection.send({ type: 'hover', ask, file: this.state.file, line, character })) {
        this.hovers.delete(ask);
        resolve(undefined);
      }
    });
  }

  /** Asks for the numbers of all lines of a shape, from the run's begin on. Returns a function that ends it. */
  follow(shape: string): () => void {
    this.connection.send({ type: 'follow', shape });
    return () => this.connection.send({ type: 'follow', shape: null });
  }

  private ask(send: (ask: number) => boolean, give: (ask: number) => void): void {
    const ask = ++this.asks;
    give(ask);
    if (!send(ask)) this.set({ problem: 'The server cannot be reached.' });
  }

  /** Enters code at the prompt; false when it is not whole yet. */
  async enter(text: string): Promise<boolean> {
    const id = ++this.asks;
    const { file } = this.state;
    this.set({ entries: [...this.state.entries, { id, text }] });
    const answer = await new Promise<Extract<ToWindow, { type: 'entered' }>>((resolve) =>
      this.ask(
        (ask) => this.connection.send({ type: 'enter', ask, file, text, remember: true }),
        (ask) => this.enters.set(ask, resolve),
      ),
    );
    const { live } = this.state;
    if (answer.entered.is === 'incomplete') {
      this.set({ entries: this.state.entries.filter((entry) => entry.id !== id) });
      return false;
    }
    this.set({
      entries: this.state.entries.map((entry) =>
        entry.id === id
          ? { ...entry, outcome: answer.entered, ...(answer.text === undefined ? {} : { shown: answer.text }) }
          : entry,
      ),
      ...(live ? { live: { ...live, entered: [...live.entered, text] } } : {}),
    });
    return true;
  }

  complete(text: string): Promise<{ from: number; names: NameFound[] }> {
    const { file } = this.state;
    return new Promise((resolve) =>
      this.ask(
        (ask) => this.connection.send({ type: 'complete', ask, file, text }),
        (ask) => this.completions.set(ask, resolve),
      ),
    );
  }

  /** Evaluates what is selected, or the statement at the cursor, in the program; its value stands beside it. */
  async evaluateHere(): Promise<void> {
    const { editor, state } = this;
    if (!editor || !state.live) return;
    const { text, line } = editor.selected();
    const { file } = state;
    const answer = await new Promise<Extract<ToWindow, { type: 'entered' }>>((resolve) =>
      this.ask(
        (ask) => this.connection.send({ type: 'enter', ask, file, line, ...(text === '' ? {} : { text }) }),
        (ask) => this.enters.set(ask, resolve),
      ),
    );
    const { entered } = answer;
    const at = answer.line ?? line;
    if (entered.is === 'done') {
      const { result } = entered;
      const shown = result ? `= ${answer.text ?? ''}` : entered.changes || 'done';
      editor.setBeside(at, {
        kind: 'value',
        text: shown,
        title: [entered.changes, result?.value.type === 'object' ? 'evaluated here; click to open' : 'evaluated here']
          .filter(Boolean)
          .join('\n'),
        ...(result && result.value.type === 'object'
          ? { open: () => this.openValue({ moment: result.moment, part: 0, path: 'it', then: answer.text ?? '' }) }
          : {}),
      });
    } else {
      const why =
        entered.is === 'incomplete'
          ? 'it is not whole'
          : entered.is === 'wrong'
            ? (entered.problems[0]?.message ?? '')
            : entered.text;
      editor.setBeside(at, { kind: 'error', text: why, title: why });
    }
  }

  /** Values of functions are not taken any more. */
  shut(): void {
    this.set({ inspected: undefined });
    this.connection.send({ type: 'shut', file: this.state.file });
  }

  undo(): void {
    this.connection.send({ type: 'undo' });
  }

  runWaiting(line?: number): void {
    this.connection.send({ type: 'waiting', file: this.state.file, ...(line === undefined ? {} : { line }) });
  }

  reset(file: string, name: string): void {
    this.connection.send({ type: 'reset', file, name });
  }

  showPrompt(): void {
    this.set({ tab: 'prompt', promptFocus: this.state.promptFocus + 1 });
  }

  openValue(opened: OpenValue): void {
    this.set({ opened, side: 'values' });
  }

  inspect(line: number): void {
    this.set({ side: 'values', opened: undefined });
    this.connection.send({ type: 'inspect', file: this.state.file, line });
  }

  toggleTheme(): void {
    const theme = this.state.theme === 'light' ? 'dark' : 'light';
    localStorage.setItem('theme', theme);
    document.documentElement.dataset.theme = theme;
    this.set({ theme });
  }

  private receive(message: ToWindow): void {
    switch (message.type) {
      case 'welcome':
        this.set({ root: message.root, pads: message.pads, pad: message.pad ?? '', problem: '', live: message.live });
        break;
      case 'entered':
        this.enters.get(message.ask)?.(message);
        this.enters.delete(message.ask);
        break;
      case 'completed':
        this.completions.get(message.ask)?.(message);
        this.completions.delete(message.ask);
        break;
      case 'changes':
        this.set({ changes: message.changes });
        break;
      case 'text': {
        const { editor, state } = this;
        const same = state.file === message.file;
        if (same && state.unsaved && editor && message.version < this.version && message.text !== editor.text()) {
          // The server came back without the newest keystrokes: this window has them.
          this.connection.send({ type: 'edit', file: state.file, text: editor.text(), version: ++this.version });
          break;
        }
        this.version = Math.max(this.version, message.version);
        this.set({
          file: message.file,
          unsaved: message.unsaved,
          conflict: message.conflict,
          restored: message.restored,
          inspected: same ? state.inspected : undefined,
          opened: same ? state.opened : undefined,
          problem: '',
        });
        if (!same || editor?.text() !== message.text) editor?.setText(message.file, message.text);
        if (this.reveal?.file === message.file) {
          editor?.reveal(this.reveal.line, this.reveal.character);
          this.reveal = undefined;
        }
        break;
      }
      case 'state':
        if (message.file === this.state.file)
          this.set({ unsaved: message.unsaved, conflict: message.conflict, restored: false });
        break;
      case 'record':
        if (message.file !== this.state.file) break;
        // Of a program that runs on another record comes soon: one of an older text would stand at wrong lines.
        if (message.live && message.version < this.version) break;
        this.editor?.setRecord(message);
        // What another pad printed says nothing of this one.
        this.set({
          record: message,
          pad: message.pad,
          good: message.stale ? (this.state.good?.pad === message.pad ? this.state.good : undefined) : message,
          ...(message.live ? {} : { problem: '' }),
        });
        // What stands open follows the run and the cursor.
        if (this.state.inspected && this.state.side === 'values' && !message.stale)
          this.connection.send({ type: 'inspect', file: this.state.file, line: this.state.inspected.line });
        break;
      case 'shown':
        this.set({
          shown: message.shown,
          ...(message.shown.length > 0 && !this.state.inspected && !this.state.opened
            ? { side: 'shown' as const }
            : {}),
        });
        break;
      case 'numbers':
        this.streamData.add(message.points, message.fresh);
        break;
      case 'looked':
        this.looks.get(message.ask)?.(message.answer);
        this.looks.delete(message.ask);
        break;
      case 'hovered':
        this.hovers.get(message.ask)?.(message);
        this.hovers.delete(message.ask);
        break;
      case 'inspected':
        this.set({ inspected: { line: message.line, histories: message.histories, chains: message.chains } });
        break;
      case 'rewrite':
        if (message.file === this.state.file) this.editor?.rewrite(message.edits);
        break;
      case 'busy':
        this.set({ busy: message.text });
        break;
      case 'note':
        this.set({ note: message.text });
        break;
      case 'document':
        download(message.name, message.mime, message.base64);
        break;
      case 'problem':
        this.set({ problem: `${message.code}  ${message.message}` });
        break;
    }
  }
}

/** Hands a document to the browser as a file. */
function download(name: string, mime: string, base64: string): void {
  const bytes = Uint8Array.from(atob(base64), (character) => character.charCodeAt(0));
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([bytes], { type: mime }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

function storedTheme(): 'light' | 'dark' {
  const stored = localStorage.getItem('theme');
  if (stored === 'light' || stored === 'dark') return stored;
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}
