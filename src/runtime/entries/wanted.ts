/** Calls from outside of which the values are asked for: requests that we send, the next of a shape, listeners. */
import type { EntriesRequest, EntryKind } from '../../wire/entries.js';
import * as own from '../originals.js';
import type { Entry } from './entry.js';

type Wanting = Extract<EntriesRequest, { do: 'expect' | 'want' | 'want-calls' | 'forget' }>;

/** Milliseconds between two calls of which all values are told: those of an animation come sixty times a second. */
const CALL_MS = 50;

/** Who has called. */
export interface Origin {
  kind: EntryKind;
  name: string | undefined;
}

/** A call that is about to begin. */
interface CallAhead extends Origin {
  of: number;
  /** Number of the question that it answers. */
  asked: number | undefined;
}

export class WantedEntries {
  private list: Exclude<Wanting, { do: 'forget' }>[] = [];
  private takenAt = -Infinity;
  /** What is known of a call before it begins. */
  ahead: CallAhead | undefined;

  ask(request: Wanting): void {
    this.drop(request.ask);
    if (request.do !== 'forget') own.append(this.list, request);
  }

  /** A function is called: what was known of that before. */
  begins(of: number): CallAhead | undefined {
    const { ahead } = this;
    this.ahead = undefined;
    return ahead?.of === of ? ahead : undefined;
  }

  /** Calls that are no requests are asked for. */
  get hasCalls(): boolean {
    for (let i = 0; i < this.list.length; i++) if (this.list[i]!.do === 'want-calls') return true;
    return false;
  }

  clear(): void {
    this.list = [];
  }

  private drop(ask: number): void {
    const kept: typeof this.list = [];
    for (let i = 0; i < this.list.length; i++) if (this.list[i]!.ask !== ask) own.append(kept, this.list[i]!);
    this.list = kept;
  }

  /** The question that a request answers, which it does alone. @param from port of whoever sends it */
  take(entry: Entry, from: number | undefined): number | undefined {
    let found: number | undefined;
    for (let i = 0; i < this.list.length; i++) {
      const one = this.list[i]!;
      if (one.do === 'want-calls') continue;
      if (one.do === 'want') {
        if (one.method === entry.method && isOfShape(entry.path, one.segments)) found ??= one.ask;
      } else if (from === one.port) {
        // Our own question is no answer to what others are waited for.
        found = one.ask;
        break;
      }
    }
    if (found !== undefined) this.drop(found);
    return found;
  }

  /** The question that a call answers which is no request. @param now the engine's time, in milliseconds */
  takeCall(kind: EntryKind, name: string | undefined, of: number, now: number): number | undefined {
    for (let i = 0; i < this.list.length; i++) {
      const one = this.list[i]!;
      if (one.do !== 'want-calls' || one.kind !== kind) continue;
      if (one.name === undefined ? !isAmong(of, one.of ?? []) : one.name !== name) continue;
      if (now - this.takenAt < CALL_MS) return undefined;
      this.takenAt = now;
      return one.ask;
    }
    return undefined;
  }
}

function isOfShape(path: string, segments: readonly (string | null)[]): boolean {
  const parts = own.split(path, '/');
  if (parts.length !== segments.length) return false;
  for (let i = 0; i < segments.length; i++) if (segments[i] !== null && segments[i] !== parts[i]) return false;
  return true;
}

function isAmong(of: number, numbers: readonly number[]): boolean {
  for (let i = 0; i < numbers.length; i++) if (numbers[i] === of) return true;
  return false;
}
