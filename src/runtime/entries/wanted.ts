/** Requests of which the values are asked for: those that we send, or the next of a shape. */
import type { EntriesRequest } from '../../wire/entries.js';
import * as own from '../originals.js';
import type { Entry } from './entry.js';

type Wanting = Extract<EntriesRequest, { do: 'expect' | 'want' | 'forget' }>;

export class WantedEntries {
  private list: Exclude<Wanting, { do: 'forget' }>[] = [];

  ask(request: Wanting): void {
    this.drop(request.ask);
    if (request.do !== 'forget') own.append(this.list, request);
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
}

function isOfShape(path: string, segments: readonly (string | null)[]): boolean {
  const parts = own.split(path, '/');
  if (parts.length !== segments.length) return false;
  for (let i = 0; i < segments.length; i++) if (segments[i] !== null && segments[i] !== parts[i]) return false;
  return true;
}
