/** The store of a panel beside an editor: places are gone to there, and the cursor is the editor's. */
import type { ToServer, ToWindow } from '../server/protocol.js';
import type { Connect } from './connection.js';
import { Store } from './store.js';

export interface Place {
  file: string;
  line: number;
  character: number;
}

/** What the editor tells its panel. `file`: the one whose values are shown; empty for none. */
export type BesideMessage =
  | { told: ToWindow }
  | { theme: 'light' | 'dark' }
  | { place: { line: number; character: number } }
  | { inspect: { file: string; line: number } }
  | { file: string };

/** What a panel tells its editor. */
export type FromBeside = { say: ToServer } | { goTo: Place } | { ready: true };

export class BesideStore extends Store {
  /** Of the editor's cursor. */
  place: { line: number; character: number } | undefined;

  constructor(
    connect: Connect,
    private readonly go: (place: Place) => void,
  ) {
    super(connect);
  }

  override goTo(file: string, line: number, character: number): void {
    this.go({ file, line, character });
  }

  override open(file: string): void {
    this.go({ file, line: 0, character: 0 });
  }

  override step(by: -1 | 1): void {
    if (this.place) this.tell({ type: 'step', file: this.state.file, ...this.place, by });
  }
}
