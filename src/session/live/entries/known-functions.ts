/** Functions by the numbers under which targets tell of them, also of versions that are there no more. */
import type { Outline } from '../../../syntax/outline.js';
import { FUNCTIONS_OF_UNIT } from '../../../wire/constants.js';

/** Units of counts whose functions are remembered. */
const MOST_UNITS = 5_000;
/** Versions of one function that may still be called. */
const MOST_VERSIONS = 20;

export class KnownFunctions {
  private readonly units = new Map<number, { file: string; paths: string[] }>();

  /** Functions of a file are told of under the numbers of a unit. */
  add(unit: number, file: string, outline: Outline): void {
    this.units.set(unit, { file, paths: outline.functions.map(({ path }) => path) });
    if (this.units.size > MOST_UNITS) this.units.delete(this.units.keys().next().value!);
  }

  /** The numbers of the last versions of a function, the newest first. */
  numbersOf({ file, path }: { file: string; path: string }): number[] {
    const found: number[] = [];
    for (const [unit, one] of [...this.units].reverse()) {
      const index = one.file === file ? one.paths.indexOf(path) : -1;
      if (index >= 0) found.push(unit * FUNCTIONS_OF_UNIT + index);
      if (found.length === MOST_VERSIONS) break;
    }
    return found;
  }

  /** The function of a number: its file, and its path there. Undefined for one that is forgotten. */
  find(of: number): { file: string; path: string } | undefined {
    const unit = this.units.get(Math.floor(of / FUNCTIONS_OF_UNIT));
    const path = unit?.paths[of % FUNCTIONS_OF_UNIT];
    return unit && path !== undefined ? { file: unit.file, path } : undefined;
  }
}
