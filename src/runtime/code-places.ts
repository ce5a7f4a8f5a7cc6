/** Places in instrumented code: what was put in there, and where in the person's text the rest is. */
import { NAME, PATCH_CALL } from '../wire/compiled-text.js';
import type { ModuleCode } from '../wire/modules.js';
import { floorIndex } from '../wire/sorted.js';
import * as own from './originals.js';

/** A module with where its lines begin. */
export interface Mapped {
  module: ModuleCode;
  starts: Int32Array;
}

/** True in a statement that was put into the text: a patch point, or a hook. */
export function isInserted({ module, starts }: Mapped, line: number, character: number, isReturn: boolean): boolean {
  const { code, generated, source } = module;
  if (line < 0 || line >= starts.length || generated.length === 0) return false;
  const at = floorIndex(generated, starts[line]! + character - Number(isReturn));
  // What the registry puts before the text.
  if (generated[at] === 0 && source[at] === ~0) return true;
  return (
    source[at]! < 0 &&
    own.test(/^;?(?:if\(|const |\{|\+\+\$ua|let \$ua)/, own.slice(code, generated[at]!, generated[at]! + 8))
  );
}

/** True where a call of a patch point stands. */
export function atPatchPoint({ module, starts }: Mapped, line: number, character: number): boolean {
  if (line < 0 || line >= starts.length) return false;
  const at = starts[line]! + character;
  const end = own.indexOf(module.code, '\n', at);
  const from = Math.max(starts[line]!, at - 60);
  const text = own.slice(module.code, from, end < 0 ? module.code.length : end);
  PATCH_CALL.lastIndex = 0;
  for (let match = own.exec(PATCH_CALL, text); match; match = own.exec(PATCH_CALL, text))
    if (from + match.index <= at && at < from + match.index + match[0].length) return true;
  return false;
}

/** Code that a change brought, or that reports: the name of its file, and the lines of the text behind its own. */
export function patchName(name: string):
  | {
      file: string;
      name: string;
      /** Of code that reports: its unit of counts. */
      observed: number | undefined;
      lineOf(line: number): number;
      isPoint(line: number, character: number): boolean;
    }
  | undefined {
  const at = own.indexOf(name, '#');
  const begins = (word: string): boolean => own.slice(name, at, at + word.length) === word;
  const kind = at < 0 ? undefined : begins(NAME.patch) ? NAME.patch : begins(NAME.observe) ? NAME.observe : undefined;
  if (kind === undefined) return undefined;
  const named = at + kind.length;
  const unit = kind === NAME.observe ? own.exec(/^\w*/, own.slice(name, named, name.length))![0] : '';
  const end = named + unit.length;
  const printed = own.indexOf(name, NAME.lines, at);
  const lines = printed < 0 ? '' : own.slice(name, printed + 1, name.length);
  const points = name[end] === NAME.points ? own.slice(name, end + 1, printed < 0 ? name.length : printed) : '';
  return {
    file: own.slice(name, 0, at),
    name: own.slice(name, 0, named),
    observed: kind === NAME.observe ? (unit === '' ? -1 : parseInt(unit, NAME.base)) : undefined,
    lineOf: (line) => {
      if (lines === '') return line;
      let found = 0;
      const steps = lines.split(NAME.next);
      for (let i = 0; i <= line && i < steps.length; i++) found += parseInt(steps[i]!, NAME.base);
      return found;
    },
    isPoint(line, character) {
      for (const point of points === '' ? [] : points.split(NAME.next)) {
        const [row, from, length] = point.split(NAME.within).map((text) => parseInt(text, NAME.base));
        if (row === line && character >= from! && character < from! + length!) return true;
      }
      return false;
    },
  };
}

export function lineStarts(text: string): Int32Array {
  const starts: number[] = [0];
  for (let at = own.indexOf(text, '\n'); at >= 0; at = own.indexOf(text, '\n', at + 1)) own.append(starts, at + 1);
  return Int32Array.from(starts);
}

export function originalOf(module: ModuleCode, offset: number): number {
  const { generated, source } = module;
  if (generated.length === 0) return offset;
  const at = floorIndex(generated, offset);
  const from = source[at]!;
  return from < 0 ? ~from : from + (offset - generated[at]!);
}
