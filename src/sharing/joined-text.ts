/**
 * One text that several windows type in: the side of a window. Edits stand in the editor at once, and travel; what
 * others typed comes in between. What the server does not have yet is pending, and survives a server that starts
 * again, and, as a draft, the window itself.
 */
import { collab, getSyncedVersion, receiveUpdates, sendableUpdates, type Update } from '@codemirror/collab';
import { ChangeSet, type EditorState, type Extension, type Text, type Transaction } from '@codemirror/state';
import { changesBetween, textOf } from './changes.js';
import type { Edits } from './shared-text.js';

/** What the server tells of a text as a whole. */
export interface WholeText {
  text: string;
  epoch: string;
  version: number;
  /** The number of the last change that it has, by window. */
  clocks: Readonly<Record<string, number>>;
}

/** What a window keeps of a text until the server has it. */
export interface Draft {
  client: string;
  /** The text that the changes begin on. */
  base: string;
  /** Number of the first change. */
  first: number;
  changes: unknown[];
  /** What a server of this epoch lacks: it has in its memory what is in `changes` beside that. */
  alive?: { epoch: string; base: string; first: number; changes: unknown[] };
}

/** Changes that travel at a time; the next leave when these have arrived. */
const MOST_ON_THE_WAY = 40;

/** The editor of a window, as this needs it. */
export interface JoinedEditor {
  state: EditorState;
  dispatch(transaction: Transaction): void;
}

export class JoinedText {
  /** The text as the server has it. */
  private base: Text;
  private epoch: string;
  /** The editor counts versions from its own begin: what is to be added for the server's. */
  private offset: number;
  /** Own changes that the server has. */
  private confirmed = 0;
  /** The last one that is on its way. */
  private sent = 0;
  /** The text since which what was typed stands nowhere but here and in the server's memory; undefined when kept. */
  private unkept: Text | undefined;

  constructor(
    whole: WholeText,
    readonly client: string,
  ) {
    this.base = textOf(whole.text);
    this.epoch = whole.epoch;
    this.offset = whole.version;
    this.confirmed = whole.clocks[client] ?? 0;
    this.sent = this.confirmed;
  }

  /** For the editor that shows the text. */
  get extension(): Extension {
    return collab({ startVersion: 0, clientID: this.client });
  }

  /** The version that the text will have at the server when all of it is there. */
  version(state: EditorState): number {
    return this.offset + getSyncedVersion(state) + sendableUpdates(state).length;
  }

  /** True while the server lacks something, or could not keep it. */
  isPending(state: EditorState): boolean {
    return this.unkept !== undefined || sendableUpdates(state).length > 0;
  }

  /** What is to be sent now; undefined where nothing is, or enough is on the way. */
  edits(state: EditorState, all = false): Edits | undefined {
    const pending = sendableUpdates(state);
    const onTheWay = this.sent - this.confirmed;
    if (pending.length <= onTheWay || (!all && onTheWay >= MOST_ON_THE_WAY)) return undefined;
    this.sent = this.confirmed + pending.length;
    return {
      epoch: this.epoch,
      version: this.offset + getSyncedVersion(state),
      client: this.client,
      first: this.confirmed + 1,
      changes: pending.map(({ changes }) => changes.toJSON() as unknown),
    };
  }

  /** The connection is gone: what was on its way may not have arrived. */
  interrupted(): void {
    this.sent = this.confirmed;
  }

  /** What is to be kept of it in the window; undefined for nothing. */
  draft(state: EditorState): Draft | undefined {
    if (!this.isPending(state)) return undefined;
    const { client, unkept, epoch } = this;
    const pending = sendableUpdates(state).map((one) => one.changes.toJSON() as unknown);
    const lacks = { base: this.base.toString(), first: this.confirmed + 1, changes: pending };
    if (!unkept) return { client, ...lacks };
    const changes = [changesBetween(unkept, state.doc).toJSON() as unknown];
    const first = this.confirmed + pending.length;
    return { client, base: unkept.toString(), first, changes, alive: { epoch, ...lacks } };
  }

  /**
   * Takes what the server accepted.
   *
   * `kept` is false where the server could not keep it outside of its memory.
   *
   * @returns false where it does not follow on what is known: the whole text is needed
   */
  accepted(
    editor: JoinedEditor,
    {
      epoch,
      version,
      updates,
      kept,
    }: { epoch: string; version: number; kept: boolean } & Pick<AcceptedMessage, 'updates'>,
  ): boolean {
    const synced = this.offset + getSyncedVersion(editor.state);
    if (epoch !== this.epoch || version > synced) return false;
    const fresh = updates.slice(synced - version);
    if (kept) this.unkept = undefined;
    else if (fresh.length > 0) this.unkept ??= this.base;
    this.receive(
      editor,
      fresh.map(({ client, changes }) => ({ clientID: client, changes: ChangeSet.fromJSON(changes) })),
    );
    return true;
  }

  /** What was typed is on disk, or kept again. */
  isKept(): void {
    this.unkept = undefined;
  }

  /**
   * The server says how the text is as a whole, perhaps after it began anew: what it lacks of this window's changes
   * stays, moved over what it has beside them.
   */
  meet(editor: JoinedEditor, whole: WholeText): void {
    const there = whole.clocks[this.client] ?? 0;
    const pending = sendableUpdates(editor.state);
    const { unkept } = this;
    if (unkept && there < this.confirmed) {
      // A server that had it in its memory alone is gone, and so are its numbers.
      const mine = changesBetween(unkept, editor.state.doc);
      this.become(editor, pending, whole);
      editor.dispatch(editor.state.update({ changes: mine.map(changesBetween(unkept, textOf(whole.text))) }));
    } else this.become(editor, pending.slice(0, Math.max(0, there - this.confirmed)), whole);
    this.unkept = undefined;
    this.epoch = whole.epoch;
    this.offset = whole.version - getSyncedVersion(editor.state);
    this.confirmed = there;
    this.sent = there;
  }

  /** The text becomes what the server has; these own changes are in it, the others that are pending move over it. */
  private become(editor: JoinedEditor, had: readonly Update[], whole: WholeText): void {
    const updates: Update[] = had.map(({ changes, clientID }) => ({ changes, clientID }));
    let text = this.base;
    for (const { changes } of updates) text = changes.apply(text);
    const theirs = changesBetween(text, textOf(whole.text));
    if (!theirs.empty) updates.push({ changes: theirs, clientID: 'server' });
    this.receive(editor, updates);
  }

  /**
   * What a draft has and the text lacks.
   *
   * @returns changes to be made in the editor, undefined where it lacks nothing; `sure` where it is known what the
   * server had of it: otherwise a person decides
   */
  restored(state: EditorState, kept: Draft, whole: WholeText): { changes: ChangeSet; sure: boolean } | undefined {
    const draft = kept.alive?.epoch === whole.epoch ? { ...kept, ...kept.alive } : kept;
    const clock = whole.clocks[draft.client];
    const has = Math.max(0, Math.min(draft.changes.length, (clock ?? 0) - draft.first + 1));
    let text = textOf(draft.base);
    let lacks: ChangeSet | undefined;
    try {
      draft.changes.forEach((json, i) => {
        const changes = ChangeSet.fromJSON(json);
        if (i < has) text = changes.apply(text);
        else lacks = lacks ? lacks.compose(changes) : changes;
      });
      if (!lacks || lacks.empty || lacks.apply(text).eq(state.doc)) return undefined;
      const changes = lacks.map(changesBetween(text, state.doc));
      return { changes, sure: clock !== undefined || text.eq(state.doc) };
    } catch {
      // A draft that does not fit itself was not written by this page.
      return undefined;
    }
  }

  private receive(editor: JoinedEditor, updates: readonly Update[]): void {
    if (updates.length === 0) return;
    for (const { changes, clientID } of updates) {
      this.base = changes.apply(this.base);
      if (clientID === this.client) this.confirmed++;
    }
    this.sent = Math.max(this.sent, this.confirmed);
    // See `SharedText.take`. Where nothing is pending nothing is moved.
    if (sendableUpdates(editor.state).length === 0) editor.dispatch(receiveUpdates(editor.state, updates));
    else for (const one of updates) editor.dispatch(receiveUpdates(editor.state, [one]));
  }
}

/** What was accepted, as it travels. */
export interface AcceptedMessage {
  epoch: string;
  /** Before the first of them. */
  version: number;
  updates: { client: string; changes: unknown }[];
  kept: boolean;
}
