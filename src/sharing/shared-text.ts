/**
 * One text that several windows type in: the side that decides the order. Each edit comes with the version it was made
 * on, and is moved over what was accepted since (operational transformation, as in `@codemirror/collab`); every window
 * is told of all that was accepted, in one order, and so they all end up equal.
 */
import { rebaseUpdates, type Update } from '@codemirror/collab';
import { ChangeSet, type Text } from '@codemirror/state';
import { changesBetween, textOf } from './changes.js';

/** Changes of a window, as they travel: counted by that window from 1, without gaps. */
export interface Edits {
  epoch: string;
  /** Of the text that the first change was made on. */
  version: number;
  client: string;
  /** Number of the first change. */
  first: number;
  /** Each as `ChangeSet` writes itself as JSON. */
  changes: unknown[];
}

/** What was accepted. */
export interface Accepted {
  client: string;
  changes: ChangeSet;
}

/** How many changes can be made up for; a window that is further behind gets the whole text. */
const MOST_BEHIND = 5_000;
/** Windows whose last change is remembered. */
const MOST_CLIENTS = 50;
/** The one who changes a text in the name of the disk. */
export const DISK = 'disk';

export class SharedText {
  private doc: Text;
  private readonly accepted: Update[] = [];
  /** Version before the first of those that are still known. */
  private since = 0;
  /** Number of the last change of each window, the window that typed last at the end. */
  private readonly counted: Map<string, number>;

  /**
   * @param epoch differs each time the text is opened anew: versions of another opening mean nothing here
   * @param clocks the numbers of the last changes of windows, which are in the text already
   */
  constructor(
    text: string,
    readonly epoch: string,
    clocks: Readonly<Record<string, number>> = {},
  ) {
    this.doc = textOf(text);
    this.counted = new Map(Object.entries(clocks));
  }

  /** With `\n` for all line ends. */
  get text(): string {
    return this.doc.toString();
  }

  get version(): number {
    return this.since + this.accepted.length;
  }

  /** The number of the last change of each window. */
  get clocks(): Record<string, number> {
    return Object.fromEntries(this.counted);
  }

  /**
   * Takes changes of a window. Those that it sends a second time are passed over.
   *
   * @returns what was accepted; undefined where the window is too far behind or somewhere else: it needs the whole text
   * @throws RangeError for changes that fit no text that it can have had
   */
  take({ epoch, version, client, first, changes }: Edits): Accepted[] | undefined {
    if (epoch !== this.epoch || version < this.since || version > this.version) return undefined;
    const known = this.counted.get(client) ?? 0;
    const over = this.accepted.slice(version - this.since);
    const own = over.filter((update) => update.clientID === client).length;
    // Between its version and its first change there is nothing else of it than what came since.
    if (known - own + 1 !== first) return undefined;
    const given = changes.map((one) => ({ changes: readChanges(one), clientID: client }));
    checkLengths(given, this.lengthAt(over));
    // One after the other, as the windows do: moved over several at once, what stands at one place may come out in
    // another order.
    let fresh: readonly Update[] = given;
    for (const one of over) fresh = rebaseUpdates(fresh, [one]);
    for (const update of fresh) this.accept(update);
    this.counted.delete(client);
    this.counted.set(client, Math.max(known, first + changes.length - 1));
    for (const name of this.counted.keys()) if (this.counted.size > MOST_CLIENTS) this.counted.delete(name);
    return fresh.map((update) => ({ client, changes: update.changes }));
  }

  /** The text becomes another one, as on disk. @returns what was accepted */
  replace(text: string): Accepted[] {
    const changes = changesBetween(this.doc, textOf(text));
    if (changes.empty) return [];
    this.accept({ changes, clientID: DISK });
    return [{ client: DISK, changes }];
  }

  private accept(update: Update): void {
    this.doc = update.changes.apply(this.doc);
    this.accepted.push(update);
    if (this.accepted.length <= MOST_BEHIND * 2) return;
    this.accepted.splice(0, MOST_BEHIND);
    this.since += MOST_BEHIND;
  }

  private lengthAt(over: readonly Update[]): number {
    return over.length > 0 ? over[0]!.changes.length : this.doc.length;
  }
}

/** @throws RangeError for what `ChangeSet` does not write */
function readChanges(json: unknown): ChangeSet {
  const isLength = (one: unknown): boolean => Number.isSafeInteger(one) && (one as number) >= 0;
  const isPart = (part: unknown): boolean =>
    Array.isArray(part)
      ? part.length > 0 && isLength(part[0]) && part.slice(1).every((line) => typeof line === 'string')
      : isLength(part);
  if (!Array.isArray(json) || !json.every(isPart)) throw new RangeError('these are no changes');
  return ChangeSet.fromJSON(json);
}

function checkLengths(updates: readonly { changes: ChangeSet }[], length: number): void {
  for (const { changes } of updates) {
    if (changes.length !== length)
      throw new RangeError(`a change of a text of ${changes.length} characters came for one of ${length}`);
    length = changes.newLength;
  }
}
