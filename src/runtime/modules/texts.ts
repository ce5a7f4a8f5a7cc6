/** Where instrumented functions and classes are written, found by their own compiled text. */
import * as own from '../originals.js';
import type { PatchTable } from '../patches/table.js';
import { floorIndex } from '../../wire/sorted.js';
import type { ModuleCode } from '../../wire/modules.js';

export class SourceTexts {
  /** @param codes all modules that were executed, in the order in which they are looked through */
  constructor(
    private readonly codes: () => ModuleCode[],
    private readonly patches: PatchTable,
  ) {}

  /** The person's text of an instrumented function or class. */
  originalText(text: string): string | undefined {
    if (own.indexOf(text, '$ua') < 0) return undefined;
    const slot = slotIn(text);
    const found = this.originalPlace(text);
    if (slot === undefined) return found && own.slice(found.code.original, found.start, found.end);
    if (!found) return this.patches.lateTextOf(slot, nameIn(text));
    return this.patches.textOf(found.code.file, slot) ?? own.slice(found.code.original, found.start, found.end);
  }

  /** Where an instrumented function or class is written. */
  sourceOf(text: string): { file: string; line: number; character: number; text: string } | undefined {
    const found = this.originalPlace(text);
    if (!found) return undefined;
    const { original, file, originalStarts } = found.code;
    let line = 0;
    while (line + 1 < originalStarts.length && originalStarts[line + 1]! <= found.start) line++;
    return {
      file,
      line,
      character: found.start - originalStarts[line]!,
      text: own.slice(original, found.start, found.end),
    };
  }

  /** Found by the cells that the text counts in. */
  private originalPlace(text: string): { code: ModuleCode; start: number; end: number } | undefined {
    if (own.indexOf(text, '$ua') < 0) return undefined;
    const probed = /\$ua_*[cqtwvfn]\b/.test(text);
    for (const code of this.codes()) {
      const at = own.indexOf(code.code, text);
      if (at < 0) continue;
      const slot = code.slots && slotIn(text);
      if (!probed && slot !== undefined && 2 * slot < code.slots!.length && !/^class\b/.test(text))
        return { code, start: code.slots![2 * slot]!, end: code.slots![2 * slot + 1]! };
      if (!probed) return { code, ...originalRange(code, at, at + text.length) };
      const cells = new Set<number>();
      for (const [, id] of text.matchAll(/\$ua_*[cq]\[(\d+)\]/g)) cells.add(Number(id));
      let best: { start: number; end: number } | undefined;
      const isClass = /^class\b/.test(text);
      if (isClass) {
        // The innermost class that holds all the functions named in the text.
        let low = Infinity;
        let high = -1;
        for (const { site, start, end } of code.functions) {
          if (!cells.has(site)) continue;
          low = Math.min(low, start);
          high = Math.max(high, end);
        }
        for (const entry of code.functions)
          if (
            entry.site < 0 &&
            entry.start <= low &&
            entry.end >= high &&
            (!best || entry.end - entry.start < best.end - best.start)
          )
            best = entry;
      } else {
        for (const entry of code.functions)
          if (cells.has(entry.site) && (!best || entry.end - entry.start > best.end - best.start)) best = entry;
      }
      if (best) return { code, start: best.start, end: best.end };
    }
    return undefined;
  }
}

/** The slot at which a function's own patch point looks: the first in its text. */
function slotIn(text: string): number | undefined {
  const match = own.exec(/\$ua_*p(?:(\d+)\.f\w+|\[(\d+)\])/, text);
  return match ? own.NumberCopy(match[1] ?? match[2]) : undefined;
}

/** The name in a function's text; empty for one without. */
function nameIn(text: string): string {
  return own.exec(/^(?:async\s+)?(?:function\s*\*?\s*|(?:static|get|set|\*)\s*)*([\w$]*)/, text)?.[1] ?? '';
}

/** The range of the original text behind a range of a module's code. */
function originalRange(code: ModuleCode, start: number, end: number): { start: number; end: number } {
  const { generated, source } = code;
  const place = (offset: number, after: number): number => {
    const segment = floorIndex(generated, offset);
    const from = source[segment]!;
    // What was inserted belongs to the place it stands at.
    return from < 0 ? ~from : from + (offset - generated[segment]!) + after;
  };
  return { start: place(start, 0), end: place(end - 1, 1) };
}
