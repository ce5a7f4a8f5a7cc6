/** The page's state: what the server told, and what the person chose to see. */
import type { LookedAnswer, ToWindow } from '../server/protocol.js';
import type { LookRequest, NameFound } from '../wire/looking.js';
import { Replies } from '../wire/replies.js';
import { Connection } from './connection.js';
import {
  changeFor,
  firstState,
  isPresent,
  type EditorPort,
  type Hovered,
  type OpenValue,
  type State,
} from './state.js';
import type { KeptDraft } from './drafts.js';
import { StreamData } from './stream-data.js';
import { WindowText } from './window-text.js';

type EnteredMessage = Extract<ToWindow, { type: 'entered' }>;

interface Completed {
  from: number;
  names: NameFound[];
}

export class Store {
  state: State = firstState(storedTheme());
  editor: EditorPort | undefined;
  readonly streamData = new StreamData();
  private readonly text = new WindowText({
    editor: () => this.editor,
    send: (message) => this.connection.send(message),
    offer: (draft) => this.set({ left: [...this.state.left.filter((one) => one.key !== draft.key), draft] }),
    restored: () => this.set({ note: 'What was typed while the server was away is here again.' }),
  });
  /** The text as the server told it last, as a whole. */
  private wholeText: Extract<ToWindow, { type: 'text' }> | undefined;
  private readonly listeners = new Set<() => void>();
  private readonly connection: Connection;
  private readonly replies = new Replies<LookedAnswer | Hovered | Completed | EnteredMessage | undefined>();
  private entries = 0;
  private reveal: { file: string; line: number; character: number } | undefined;

  constructor() {
    document.documentElement.dataset.theme = this.state.theme;
    this.connection = new Connection(
      (message) => this.receive(message),
      (connected) => {
        if (!connected) this.text.interrupted();
        this.set({ connected });
      },
      () => this.state.file,
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

  joinEditor(editor: EditorPort): void {
    this.editor = editor;
    this.text.ready();
  }

  /** A keystroke: it goes to the server at once. */
  edited(): void {
    if (!this.state.unsaved || this.state.restored) this.set({ unsaved: true, restored: false });
    this.text.send();
  }

  save(): void {
    if (!this.editor || this.state.file === '') return;
    this.text.send(true);
    if (!this.connection.send({ type: 'save', file: this.state.file }))
      this.set({ problem: 'Not saved: the server cannot be reached. The text is kept in this window.' });
  }

  /** When the pad executes from now on. */
  setWhen(when: NonNullable<State['runs']>['when']): void {
    this.sendOrSay({ type: 'when', when });
  }

  /** What to do with text of a window before this one. */
  settleDraft(draft: KeptDraft, take: boolean): void {
    this.set({ left: this.state.left.filter((one) => one !== draft) });
    if (take && this.wholeText) this.text.restore(draft, this.wholeText);
    else this.text.forget(draft);
  }

  settle(take: 'disk' | 'mine'): void {
    this.sendOrSay({ type: 'settle', file: this.state.file, take });
  }

  execute(): void {
    this.text.send(true);
    this.sendOrSay({ type: 'execute' });
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

  /** What a careful run holds under a name is let through in this session. */
  letThrough(name: string): void {
    this.connection.send({ type: 'act', action: { do: 'let-through', name } });
  }

  /** What changes something outside of the pad is held, or never. */
  setCareful(on: boolean): void {
    this.sendOrSay({ type: 'careful', on });
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
    this.text.send(true);
    this.sendOrSay({ type: 'show', file, run });
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
    return this.replies.ask<LookedAnswer>((ask) => this.connection.send({ type: 'look', ask, request }), {
      is: 'gone',
      why: 'The server cannot be reached.',
    });
  }

  hover(line: number, character: number): Promise<Hovered | undefined> {
    const { file } = this.state;
    return this.replies.ask<Hovered | undefined>((ask) =>
      this.connection.send({ type: 'hover', ask, file, line, character }),
    );
  }

  /** Asks for the numbers of all lines of a shape, from the run's begin on. Returns a function that ends it. */
  follow(shape: string): () => void {
    this.connection.send({ type: 'follow', shape });
    return () => this.connection.send({ type: 'follow', shape: null });
  }

  /** Sends; where that cannot be, the page says so. */
  private sendOrSay(message: Parameters<Connection['send']>[0]): void {
    if (!this.connection.send(message)) this.set({ problem: 'The server cannot be reached.' });
  }

  /** Enters code at the prompt; false when it is not whole yet. */
  async enter(text: string): Promise<boolean> {
    const id = ++this.entries;
    const { file } = this.state;
    this.set({ entries: [...this.state.entries, { id, text }] });
    const answer = await this.replies.ask<EnteredMessage>((ask) =>
      this.sendOrSay({ type: 'enter', ask, file, text, remember: true }),
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

  complete(text: string): Promise<Completed> {
    const { file } = this.state;
    return this.replies.ask<Completed>((ask) => this.sendOrSay({ type: 'complete', ask, file, text }));
  }

  /** Evaluates what is selected, or the statement at the cursor, in the program; its value stands beside it. */
  async evaluateHere(): Promise<void> {
    const { editor, state } = this;
    if (!editor || !state.live) return;
    const { text, line } = editor.selected();
    const { file } = state;
    const answer = await this.replies.ask<EnteredMessage>((ask) =>
      this.sendOrSay({ type: 'enter', ask, file, line, ...(text === '' ? {} : { text }) }),
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
    const { version } = this.text;
    if (message.type === 'record' && isPresent(this.state, message, version)) this.editor?.setRecord(message);
    const change = changeFor(this.state, message, version);
    if (change) this.set(change);
    switch (message.type) {
      case 'welcome':
        this.text.folder = message.folder;
        break;
      case 'accepted':
        this.text.accepted(message);
        break;
      case 'state':
        if (message.file === this.state.file && !message.unsaved) this.text.saved();
        break;
      case 'entered':
        this.replies.answer(message.ask, message);
        break;
      case 'completed':
        this.replies.answer(message.ask, message);
        break;
      case 'text':
        this.wholeText = message;
        this.text.whole(message);
        this.revealIn(message.file);
        break;
      case 'record':
        // What stands open follows the run and the cursor.
        if (change && this.state.inspected && this.state.side === 'values' && !message.stale)
          this.connection.send({ type: 'inspect', file: this.state.file, line: this.state.inspected.line });
        break;
      case 'numbers':
        this.streamData.add(message.points, message.fresh);
        break;
      case 'looked':
        this.replies.answer(message.ask, message.answer);
        break;
      case 'hovered':
        this.replies.answer(message.ask, message);
        break;
      case 'rewrite':
        if (message.file === this.state.file) this.editor?.rewrite(message.edits);
        break;
      case 'document':
        download(message.name, message.mime, message.base64);
        break;
    }
  }

  private revealIn(file: string): void {
    if (this.reveal?.file !== file) return;
    this.editor?.reveal(this.reveal.line, this.reveal.character);
    this.reveal = undefined;
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
