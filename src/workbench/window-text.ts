/**
 * The text of this window: joined to the server's, and kept as a draft in the browser while the server does not have
 * it, so that no keystroke is lost with a server, a connection or a window.
 */
import type { EditorState } from '@codemirror/state';
import { type Draft, JoinedText } from '../sharing/joined-text.js';
import type { Edits } from '../sharing/shared-text.js';
import type { ToWindow } from '../server/protocol.js';
import { Drafts, type KeptDraft } from './drafts.js';
import type { EditorPort } from './state.js';

type Whole = Extract<ToWindow, { type: 'text' }>;
type AcceptedUpdates = Extract<ToWindow, { type: 'accepted' }>;

/** Milliseconds for which the server may lack what was typed before it is kept here. */
const DRAFT_MS = 30;

export interface TextSurroundings {
  editor(): EditorPort | undefined;
  send(message: ({ type: 'edit'; file: string } & Edits) | { type: 'whole'; file: string }): boolean;
  /** A draft of an earlier window may have what the text lacks: a person decides. */
  offer(draft: KeptDraft): void;
  /** Text of an earlier window that the server did not have is in the editor again. */
  restored(): void;
}

export class WindowText {
  private joined: JoinedText | undefined;
  private file = '';
  /** The server has said how the text is since the connection was made. */
  private met = false;
  private waiting: ReturnType<typeof setTimeout> | undefined;
  private readonly drafts = new Drafts();
  private begun: Whole | undefined;
  /** Files that were shown before, as they were left. */
  private readonly left = new Map<string, { joined: JoinedText; state: EditorState }>();

  constructor(private readonly around: TextSurroundings) {
    addEventListener('pagehide', () => void this.keep());
  }

  /** Folder that names of files are relative to. */
  set folder(folder: string) {
    this.drafts.folder = folder;
  }

  /** Of the server's text, once all that stands here is there. */
  get version(): number {
    const editor = this.around.editor();
    return this.joined && editor ? this.joined.version(editor.view.state) : 0;
  }

  /** The server says how a text is as a whole. */
  whole(message: Whole): void {
    const editor = this.around.editor();
    if (!editor) {
      // The editor is not there yet.
      this.begun = message;
      return;
    }
    if (this.joined && message.file === this.file) this.joined.meet(editor.view, message);
    else {
      if (this.joined?.isPending(editor.view.state)) void this.keep();
      if (this.joined) this.left.set(this.file, { joined: this.joined, state: editor.view.state });
      this.file = message.file;
      const before = this.left.get(message.file);
      if (before) {
        // Cursor and what can be undone are as they were.
        this.joined = before.joined;
        this.joined.interrupted();
        editor.resume(before.state);
        this.joined.meet(editor.view, message);
      } else {
        this.joined = new JoinedText(message, this.drafts.client);
        editor.begin(message.file, message.text, this.joined.extension);
      }
    }
    this.met = true;
    this.send();
    void this.recall(message);
  }

  /** A file has another name. */
  renamed(from: string, to: string): void {
    const before = this.left.get(from);
    this.left.delete(from);
    if (before) this.left.set(to, before);
    if (this.file !== from) return;
    void this.drafts.drop(from);
    this.file = to;
    void this.keep();
  }

  /** A file is gone. */
  gone(file: string): void {
    this.left.delete(file);
    if (this.file !== file) return;
    void this.drafts.drop(file);
    this.file = '';
    this.joined = undefined;
  }

  /** The editor is there. */
  ready(): void {
    const { begun } = this;
    this.begun = undefined;
    if (begun) this.whole(begun);
  }

  accepted(message: AcceptedUpdates): void {
    const editor = this.around.editor();
    if (!this.joined || !editor || !this.met || message.file !== this.file) return;
    if (!this.joined.accepted(editor.view, message)) this.around.send({ type: 'whole', file: this.file });
    this.send();
    if (!this.joined.isPending(editor.view.state)) void this.drafts.drop(this.file);
  }

  /** The text is that of the file on disk. */
  saved(): void {
    this.joined?.isKept();
    const state = this.around.editor()?.view.state;
    if (state && this.joined && !this.joined.isPending(state)) void this.drafts.drop(this.file);
  }

  /** Sends what was typed; all of it where something is to follow that needs it. */
  send(all = false): void {
    const editor = this.around.editor();
    if (!this.joined || !editor) return;
    const edits = this.met ? this.joined.edits(editor.sending ?? editor.view.state, all) : undefined;
    if (edits) this.around.send({ type: 'edit', file: this.file, ...edits });
    if (this.joined.isPending(editor.sending ?? editor.view.state)) this.keepSoon();
  }

  /** The connection is gone. */
  interrupted(): void {
    this.met = false;
    this.joined?.interrupted();
    void this.keep();
  }

  /** Puts what a draft has and the text lacks into the editor. */
  restore({ key, ...draft }: KeptDraft, whole: Pick<Whole, 'text' | 'epoch' | 'version' | 'clocks'>): void {
    const editor = this.around.editor();
    const found = editor && this.joined?.restored(editor.view.state, draft, whole);
    if (!editor || !found) {
      void this.drafts.remove(key);
      return;
    }
    editor.view.dispatch(editor.view.state.update({ changes: found.changes, userEvent: 'input.restore' }));
    // The old draft goes when the new one is there.
    void this.keep().then(() => this.drafts.remove(key));
  }

  forget({ key }: KeptDraft): void {
    void this.drafts.remove(key);
  }

  /** Drafts that windows before this one have left. */
  private async recall(message: Whole): Promise<void> {
    for (const draft of await this.drafts.left(message.file)) {
      const editor = this.around.editor();
      if (!editor || message.file !== this.file) return;
      const found = this.joined?.restored(editor.view.state, draft, message);
      if (!found) void this.drafts.remove(draft.key);
      else if (found.sure) {
        this.restore(draft, message);
        this.around.restored();
      } else this.around.offer(draft);
    }
  }

  private keepSoon(): void {
    this.waiting ??= setTimeout(() => void this.keep(), DRAFT_MS);
  }

  private async keep(): Promise<void> {
    clearTimeout(this.waiting);
    this.waiting = undefined;
    const state = this.around.editor()?.view.state;
    const draft: Draft | undefined = state && this.joined?.draft(state);
    if (draft) await this.drafts.put(this.file, draft);
  }
}
