/** Changes of a live program, for a window. */
import type { LiveEvent } from '../../../session/live/events.js';
import type { ChangeMessage } from '../../protocol.js';

/** Changes that are listed. */
const MOST_CHANGES = 200;

export class ChangeList {
  readonly changes: ChangeMessage[] = [];
  private lastTyped = false;

  /** @param at time of day */
  add(event: LiveEvent, nameOf: (path: string) => string, at: Date): void {
    const change: ChangeMessage = {
      kind: event.kind,
      file: nameOf(event.file),
      text: event.text,
      details: event.details,
      at: at.toTimeString().slice(0, 8),
      kept: (event.plan?.notes ?? []).filter((note) => note.kind === 'kept').map((note) => note.name),
    };
    const last = this.changes[this.changes.length - 1];
    const same = last?.kind === change.kind && last.file === change.file && last.text === change.text;
    // Who types a word makes a change with each letter.
    if (event.typed && this.lastTyped && same) {
      this.changes.pop();
      change.times = (last.times ?? 1) + 1;
    }
    this.lastTyped = event.typed === true;
    this.changes.push(change);
    if (this.changes.length > MOST_CHANGES) this.changes.shift();
  }
}
