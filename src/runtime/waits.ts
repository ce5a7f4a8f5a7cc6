/**
 * What an `await` still waits for. Each place keeps the last few promises it
 * got; their states are asked for when somebody wants to know, never when they
 * are awaited. A place whose promises always settle is soon only noted in
 * passing, so that a hot loop of awaits pays next to nothing.
 */
import * as own from './originals.js';
import type { Introspection } from './preview.js';
import type { ModuleCode } from '../wire/modules.js';
import type { RawWait } from '../wire/reports.js';

const SLOTS = 8;

interface Place {
  code: ModuleCode;
  /** Offset of the `await` in the original text. */
  at: number;
  promises: (object | undefined)[];
  since: number[];
  used: number;
}

export class Waits {
  private readonly places = own.safeMap<ModuleCode, Map<number, Place>>();

  constructor(
    private readonly introspection: Introspection,
    private readonly now: () => number,
  ) {}

  note(code: ModuleCode, at: number, value: unknown): void {
    if (typeof value !== 'object' || value === null) return;
    let places = this.places.get(code);
    if (!places) this.places.set(code, (places = own.safeMap<number, Place>()));
    let place = places.get(at);
    if (!place) places.set(at, (place = { code, at, promises: [], since: [], used: 0 }));
    // A slot whose promise may still be pending is taken last: the oldest are worth most.
    const slot = place.used < SLOTS ? place.used : SLOTS - 1;
    place.used++;
    place.promises[slot] = value;
    place.since[slot] = this.now();
    if (place.used === SLOTS * 4) this.tidy(place);
  }

  /** Forgets what has settled. */
  private tidy(place: Place): void {
    let kept = 0;
    for (let i = 0; i < place.promises.length; i++) {
      const promise = place.promises[i];
      if (!promise || !this.isPending(promise)) continue;
      place.promises[kept] = promise;
      place.since[kept++] = place.since[i]!;
    }
    place.promises.length = kept;
    place.since.length = kept;
    place.used = kept;
  }

  private isPending(value: object): boolean {
    return (
      !this.introspection.isProxy(value) &&
      this.introspection.brand(value) === 'Promise' &&
      this.introspection.promise?.(value)?.state === 'pending'
    );
  }

  /**
   * Every place at which something waits now, the oldest first.
   *
   * @param begin time at which the run began
   */
  pending(begin: number): RawWait[] {
    const found: RawWait[] = [];
    this.places.forEach((places) =>
      places.forEach((place) => {
        this.tidy(place);
        if (place.promises.length === 0) return;
        const { code, at } = place;
        let line = 0;
        while (line + 1 < code.originalStarts.length && code.originalStarts[line + 1]! <= at) line++;
        own.append(found, {
          file: code.file,
          line,
          character: at - code.originalStarts[line]!,
          since: place.since[0]! - begin,
          count: place.promises.length,
        });
      }),
    );
    return found.sort((a, b) => a.since - b.since);
  }
}
