/** What came in since the last report: counts of each, and the last of each whole. */
import type { EntryCounts } from '../../wire/entries.js';
import * as own from '../originals.js';
import type { Reporter } from '../reports/reporter.js';
import type { Entry } from './entry.js';

/** Entries of one report that are told apart, and those that are told whole. */
const MOST_COUNTED = 500;
const MOST_WHOLE = 40;

export class ToldEntries {
  private readonly counts = own.safeMap<string, { counts: EntryCounts; last: Entry }>();
  private all: { counts: EntryCounts; last: Entry }[] = [];
  /** Those that answer a question of ours: each is told. */
  private asked: Entry[] = [];

  constructor(private readonly reporter: Reporter) {}

  clear(): void {
    this.counts.clear();
    this.all = [];
    this.asked = [];
  }

  add(entry: Entry): void {
    const { kind, method, path, called, status } = entry;
    const { of, name } = called ?? {};
    if (entry.asked !== undefined) {
      own.append(this.asked, entry);
      return;
    }
    const key = kind === 'request' ? `${method ?? ''} ${path}` : `${kind} ${of ?? ''} ${name ?? ''}`;
    const known = this.counts.get(key);
    if (!known && this.all.length >= MOST_COUNTED) {
      this.told();
      this.reporter.flush();
    }
    const one = this.counts.get(key);
    if (one) {
      one.counts.count++;
      one.counts.ms += entry.ms ?? 0;
      if (entry.failed) one.counts.failed++;
      if (status !== undefined) one.counts.status = status;
      one.last = entry;
      return;
    }
    const made = {
      counts: {
        kind,
        ...(method === undefined ? {} : { method: own.slice(method, 0, 100), path: own.slice(path, 0, 16_384) }),
        ...(name === undefined ? {} : { name: own.slice(name, 0, 1_000) }),
        ...(of === undefined ? {} : { of }),
        count: 1,
        failed: entry.failed ? 1 : 0,
        ms: entry.ms ?? 0,
        ...(status === undefined ? {} : { status }),
      },
      last: entry,
    };
    this.counts.set(key, made);
    own.append(this.all, made);
  }

  /** Puts it into the batch that is about to leave. */
  tell(): void {
    if (this.all.length > 0 || this.asked.length > 0) this.told();
  }

  private told(): void {
    const list: EntryCounts[] = [];
    for (let i = 0; i < this.all.length; i++) {
      const { counts, last } = this.all[i]!;
      own.append(list, i < MOST_WHOLE ? { ...counts, last: last.told() } : counts);
    }
    for (let i = 0; i < this.asked.length; i++) {
      const one = this.asked[i]!;
      const { status } = one;
      own.append(list, {
        ...{ kind: one.kind, count: 1, failed: one.failed ? 1 : 0, ms: one.ms ?? 0, last: one.told() },
        ...(one.method === undefined ? {} : { method: one.method, path: one.path }),
        ...(status === undefined ? {} : { status }),
      });
    }
    this.clear();
    this.reporter.addEntries(list);
  }
}
