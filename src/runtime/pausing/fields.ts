/** Fields of single objects that are looked at: an accessor takes the place of the field, and is asked at each write. */
import * as own from '../originals.js';

interface Watched {
  object: object;
  key: PropertyKey;
  accessor: PropertyDescriptor;
  current(): unknown;
}

export class WatchedFields {
  private readonly list = own.safeMap<number, Watched>();

  /** @param written called before each write that changes what the field holds */
  constructor(private readonly written: (id: number, value: unknown) => void) {}

  /**
   * A program that asks for the field's descriptor sees an accessor meanwhile.
   *
   * @returns why it cannot be
   */
  watch(id: number, object: unknown, key: string): string | undefined {
    if ((typeof object !== 'object' && typeof object !== 'function') || object === null) return 'it is no object';
    const before = own.getDescriptor(object, key);
    if (!before) return `it has no field ${key} of its own`;
    if (!('value' in before)) return `${key} is an accessor: a breakpoint in it stops at each write`;
    if (before.configurable !== true || before.writable !== true) return `${key} cannot be written`;
    let { value } = before as { value: unknown };
    const accessor: PropertyDescriptor = {
      get: () => value,
      set: (next: unknown) => {
        if (next !== value) this.written(id, next);
        value = next;
      },
      enumerable: before.enumerable === true,
      configurable: true,
    };
    own.defineProperty(object, key, accessor);
    this.list.set(id, { object, key, accessor, current: () => value });
    return undefined;
  }

  /** The field is one again, with what it holds now. */
  unwatch(id: number): void {
    const watched = this.list.get(id);
    this.list.delete(id);
    if (!watched) return;
    const { object, key, accessor, current } = watched;
    // The program may have made another of it since.
    const now = own.getDescriptor(object, key);
    if (now?.get !== accessor.get) return;
    own.defineProperty(object, key, {
      value: current(),
      writable: true,
      enumerable: accessor.enumerable === true,
      configurable: true,
    });
  }
}
