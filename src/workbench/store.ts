/** The page's state: what the server told, and what the person chose to see. */
import type { WrittenMessage } from '../server/protocol-held.js';
import type { AssistedMessage, SelectedMessage } from '../server/protocol-files.js';
import type { ToWindow } from '../server/protocol.js';
import type { LookedAnswer } from '../server/protocol-looking.js';
import type { LookRequest, NameFound } from '../wire/looking.js';
import { Replies } from '../wire/replies.js';
import { type Connect, Connection, type Link } from './connection.js';
import {
  changeFor,
  firstState,
  isPresent,
  type DockTab,
  type EditorPort,
  type Hovered,
  type OpenValue,
  type State,
} from './state.js';
import type { KeptDraft } from './drafts.js';
import { download, storedTheme } from './browser.js';
import { type Layout, storedLayout, storeLayout } from './layout.js';
import { alonePanel, onPanels, tellPanels } from './alone.js';
import { PadActions } from './pad-actions.js';
import { StreamData } from './stream-data.js';
import { WindowText } from './window-text.js';

type InspectedMessage = Extract<ToWindow, { type: 'inspected' }>;
type EnteredMessage = Extract<ToWindow, { type: 'entered' }>;

interface Completed {
  from: number;
  names: NameFound[];
}

export class Store extends PadActions {
  state: State = firstState({ theme: storedTheme(), layout: storedLayout(), alone: alonePanel() });
  editor: EditorPort | undefined;
  readonly streamData = new StreamData();
  /** What is known of the selected expression, and what asks again after a run. */
  readonly selecting: { shown: SelectedMessage | undefined; again(): void } = {
    shown: undefined,
    again: () => undefined,
  };
  private readonly text = new WindowText({
    editor: () => this.editor,
    send: (message) => this.connection.send(message),
    offer: (draft) => this.set({ left: [...this.state.left.filter((one) => one.key !== draft.key), draft] }),
    restored: () => this.set({ note: 'What was typed while the server was away is here again.' }),
  });
  /** The text as the server told it last, as a whole. */
  private wholeText: Extract<ToWindow, { type: 'text' }> | undefined;
  private readonly listeners = new Set<() => void>();
  private readonly connection: Link;
  private readonly replies = new Replies<
    | LookedAnswer
    | Hovered
    | Completed
    | EnteredMessage
    | InspectedMessage
    | SelectedMessage
    | AssistedMessage
    | undefined
  >();
  /** What is done once another file is shown: the cursor goes to a place, or a text is put in. */
  private next: {
    reveal?: { file: string; line: number; character: number } | undefined;
    write?: WrittenMessage | undefined;
  } = {};

  /** @param connect how the page reaches what serves it; by default a WebSocket to where it came from */
  constructor(connect: Connect = (...listeners) => new Connection(...listeners)) {
    super();
    document.documentElement.dataset.theme = this.state.theme;
    this.connection = connect(
      (message) => this.receive(message),
      (connected) => {
        if (!connected) this.text.interrupted();
        this.set({ connected });
      },
      () => this.state.file || (new URLSearchParams(location.search).get('file') ?? ''),
    );
    onPanels((message) => {
      if (this.state.alone !== 'side') return;
      if ('open' in message) this.openValue(message.open);
      else {
        if (message.inspect.file !== this.state.file) this.open(message.inspect.file, false);
        this.inspect(message.inspect.line, message.inspect.file);
      }
    });
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
    // What cannot be executed is answered at once: before the editor is there.
    const { record } = this.state;
    if (record && isPresent(this.state, record, this.text.version)) editor.setRecord(record);
  }

  /** A keystroke: it goes to the server at once. */
  edited(): void {
    if (this.state.starting) this.set({ starting: false });
    const { serves, file } = this.state;
    if (serves && !serves.edited.includes(file)) this.set({ serves: { ...serves, edited: [...serves.edited, file] } });
    if (!this.state.unsaved || this.state.restored) this.set({ unsaved: true, restored: false });
    this.text.send();
  }

  save(): void {
    if (!this.editor || this.state.file === '') return;
    this.text.send(true);
    const { serves, file } = this.state;
    for (const one of serves?.edited ?? []) if (one !== file) this.connection.send({ type: 'save', file: one });
    if (serves) this.set({ serves: { ...serves, edited: [] } });
    if (!this.connection.send({ type: 'save', file: this.state.file }))
      this.set({ problem: 'Not saved: the server cannot be reached. The text is kept in this window.' });
  }

  /** What to do with text of a window before this one. */
  settleDraft(draft: KeptDraft, take: boolean): void {
    this.set({ left: this.state.left.filter((one) => one !== draft) });
    if (take && this.wholeText) this.text.restore(draft, this.wholeText);
    else this.text.forget(draft);
  }

  settle(take: 'disk' | 'mine'): void {
    this.tell({ type: 'settle', file: this.state.file, take });
  }

  execute(): void {
    this.text.send(true);
    this.tell({ type: 'execute' });
  }

  open(file: string, run: boolean): void {
    this.text.send(true);
    this.tell({ type: 'show', file, run });
  }

  goTo(file: string, line: number, character: number): void {
    if (file === this.state.file) this.editor?.reveal(line, character);
    else {
      this.next.reveal = { file, line, character };
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

  /** Zero-based lines on the screen, the last not included. */
  sees(from: number, to: number): void {
    if (this.state.file !== '') this.connection.send({ type: 'sees', file: this.state.file, from, to });
  }

  /** Asks for the numbers of all lines of a shape, from the run's begin on. Returns a function that ends it. */
  follow(shape: string): () => void {
    this.connection.send({ type: 'follow', shape });
    return () => this.connection.send({ type: 'follow', shape: null });
  }

  /** Sends; where that cannot be, the page says so. */
  tell(message: Parameters<Link['send']>[0]): void {
    if (!this.connection.send(message)) this.set({ problem: 'The server cannot be reached.' });
  }

  /** Asks the program to evaluate. */
  enterAt(message: (ask: number) => Parameters<Link['send']>[0]): Promise<EnteredMessage> {
    return this.replies.ask<EnteredMessage>((ask) => this.tell(message(ask)));
  }

  complete(text: string): Promise<Completed> {
    const { file } = this.state;
    return this.replies.ask<Completed>((ask) => this.tell({ type: 'complete', ask, file, text }));
  }

  /** Values of functions are not taken any more. */
  shut(): void {
    this.set({ inspected: undefined });
    this.connection.send({ type: 'shut', file: this.state.file });
  }

  showTab(tab: DockTab): void {
    this.set({ tab, dock: 'open' });
  }

  showPrompt(): void {
    this.set({ tab: 'prompt', dock: 'open', promptFocus: this.state.promptFocus + 1 });
  }

  openValue(opened: OpenValue): void {
    if (!this.state.alone) tellPanels({ open: opened });
    this.set({ opened, side: 'values', aside: 'auto' });
  }

  inspect(line: number, file = this.state.file): void {
    if (!this.state.alone) tellPanels({ inspect: { file, line } });
    this.set({ side: 'values', opened: undefined, aside: 'auto' });
    this.connection.send({ type: 'inspect', file, line });
  }

  /** Opens the values of a line below it, or closes them. */
  toggleBelow(line: number): void {
    const { editor } = this;
    if (!editor) return;
    if (editor.linesBelow().includes(line)) editor.showBelow(line, null);
    else void this.fillBelow(line, true);
  }

  /** What stands below lines follows the run; what was closed meanwhile stays so. */
  private async fillBelow(line: number, isNew = false): Promise<void> {
    const { file } = this.state;
    const answer = await this.replies.ask<InspectedMessage | undefined>((ask) =>
      this.connection.send({ type: 'inspect', file, line, ask }),
    );
    const isClosed = !isNew && !this.editor?.linesBelow().includes(line);
    if (!answer || isClosed || this.state.file !== file) return;
    this.editor?.showBelow(line, { line, histories: answer.histories, chains: answer.chains });
  }

  setLayout(change: Partial<Layout>): void {
    const layout = { ...this.state.layout, ...change };
    storeLayout(layout);
    this.set({ layout });
  }

  showStart(): void {
    this.text.send(true);
    this.tell({ type: 'new' });
    this.set({ starting: true });
    this.editor?.focus();
  }

  /** The window is the code's again. */
  leaveStart(): void {
    if (this.state.starting) this.set({ starting: false });
    this.editor?.focus();
  }

  /** Help while one writes; see `assist` of the protocol. */
  assist(
    offset: number,
    what: 'names' | 'about' | 'detail' | 'signature' | 'package',
    name?: string,
  ): Promise<AssistedMessage | undefined> {
    this.text.send(true);
    const { file } = this.state;
    return this.replies.ask<AssistedMessage | undefined>((ask) =>
      this.connection.send({ type: 'assist', ask, file, offset, what, ...(name === undefined ? {} : { name }) }),
    );
  }

  /** What is known of an expression, by its offsets; it reports from now on. */
  select(start: number, end: number): Promise<SelectedMessage | undefined> {
    this.text.send(true);
    const { file } = this.state;
    return this.replies.ask<SelectedMessage | undefined>((ask) =>
      this.connection.send({ type: 'select', ask, file, start, end }),
    );
  }

  /** All that was typed goes to the server. */
  sendText(): void {
    this.text.send(true);
  }

  closeTab(file: string): void {
    const { tabs, file: shown } = this.state;
    const opened = tabs.opened.filter((one) => one !== file);
    this.set({ tabs: { opened } });
    if (file === shown && opened[0] !== undefined) this.open(opened[opened.length - 1]!, false);
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
      case 'text':
        this.wholeText = message;
        this.text.whole(message);
        this.revealIn(message.file);
        break;
      case 'record':
        // What stands open follows the run and the cursor.
        if (change && this.state.inspected && this.state.side === 'values' && !message.stale)
          this.connection.send({ type: 'inspect', file: this.state.file, line: this.state.inspected.line });
        if (change && (message.ended || message.live)) this.selecting.again();
        if (change && this.editor && !message.stale)
          for (const line of this.editor.linesBelow()) void this.fillBelow(line);
        break;
      case 'assisted':
      case 'completed':
      case 'entered':
      case 'hovered':
      case 'selected':
        this.replies.answer(message.ask, message);
        break;
      case 'inspected':
        if (message.ask !== undefined) this.replies.answer(message.ask, message);
        break;
      case 'renamed':
        this.text.renamed(message.file, message.to);
        break;
      case 'deleted':
        this.text.gone(message.file);
        this.set({ note: `${message.file} is deleted. The command “Put the file back” brings it back.` });
        if (message.file === this.state.file) this.showStart();
        break;
      case 'numbers':
        this.streamData.add(message.points, message.fresh);
        break;
      case 'looked':
        this.replies.answer(message.ask, message.answer);
        break;
      case 'written':
        this.write(message);
        break;
      case 'rewrite':
        if (message.file === this.state.file) this.editor?.rewrite(message.edits);
        break;
      case 'document':
        download(message.name, message.mime, message.base64);
        break;
    }
  }

  /** What is missing goes into its file, once that is shown. */
  private write(message: WrittenMessage): void {
    if (message.file === this.state.file) this.editor?.write(message.at, message.text, message);
    else {
      this.next.write = message;
      this.open(message.file, false);
    }
  }

  private revealIn(file: string): void {
    const { reveal, write } = this.next;
    if (write?.file === file) {
      this.next.write = undefined;
      this.editor?.write(write.at, write.text, write);
    }
    if (reveal?.file !== file) return;
    this.editor?.reveal(reveal.line, reveal.character);
    this.next.reveal = undefined;
  }
}
