/** Numbers of objects: the same one is recognised wherever it is reported, and kept by nobody for it. */
import * as own from './originals.js';

export class Identities {
  private readonly known = own.safeWeakMap<object, number>();
  private last = 0;

  /** @returns a number from 1, the same for an object each time */
  of(object: object): number {
    let number = this.known.get(object);
    if (number === undefined) this.known.set(object, (number = ++this.last));
    return number;
  }
}
