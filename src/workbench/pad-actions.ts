/** What a person does to what runs: each is one message to the server. */
import type { ToServer } from '../server/protocol.js';
import type { State } from './state.js';

export abstract class PadActions {
  abstract state: State;
  abstract set(change: Partial<State>): void;
  /** Sends; where that cannot be, the page says so. */
  abstract tell(message: ToServer): void;

  drop(): void {
    this.tell({ type: 'drop' });
  }

  turn(name: string, value: string | number | boolean): void {
    this.tell({ type: 'turn', name, value });
  }

  writeDials(): void {
    this.tell({ type: 'dials', do: 'write' });
  }

  resetDials(): void {
    this.tell({ type: 'dials', do: 'reset' });
  }

  /** What a careful run holds under a name is let through in this session. */
  letThrough(name: string): void {
    this.tell({ type: 'act', action: { do: 'let-through', name } });
  }

  /** What changes something outside of the pad is held, or never. */
  setCareful(on: boolean): void {
    this.tell({ type: 'careful', on });
  }

  /** What the project adds may execute. */
  letAdditions(): void {
    this.tell({ type: 'additions' });
  }

  openGate(id: number): void {
    this.tell({ type: 'act', action: { do: 'open-gate', id } });
  }

  stopTimer(id: number): void {
    this.tell({ type: 'act', action: { do: 'stop-timer', id } });
  }

  /** The data that `input` reads; null for what the pad names itself. */
  giveData(name: string, text: string | null): void {
    this.tell({ type: 'data', name, text });
  }

  addPackage(name: string): void {
    this.set({ problem: '' });
    this.tell({ type: 'add', package: name });
  }

  tellSizes(): void {
    this.tell({ type: 'sizes' });
  }

  toggleTypes(): void {
    const types = !this.state.types;
    this.set({ types });
    this.tell({ type: 'types', on: types });
  }

  /** @param lines zero-based, the last included; all of them by default */
  exportAs(format: 'html' | 'md' | 'svg' | 'png' | 'json', lines?: { from: number; to: number }): void {
    this.tell({ type: 'export', format, ...(lines ? { lines } : {}) });
  }

  /** When the pad executes from now on. */
  setWhen(when: NonNullable<State['runs']>['when']): void {
    this.tell({ type: 'when', when });
  }

  /** Executes with one test or suite alone, by its names from the outermost in; null for all. */
  testAlone(path: string[] | null): void {
    this.tell({ type: 'alone', path });
  }

  stop(): void {
    this.tell({ type: 'stop' });
  }

  undo(): void {
    this.tell({ type: 'undo' });
  }

  runWaiting(line?: number): void {
    this.tell({ type: 'waiting', file: this.state.file, ...(line === undefined ? {} : { line }) });
  }

  reset(file: string, name: string): void {
    this.tell({ type: 'reset', file, name });
  }
}
