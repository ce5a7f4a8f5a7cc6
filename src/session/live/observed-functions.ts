/** Functions of a module, as they are observed. */
import { pointsOf } from '../../instrument/points.js';
import type { LiveModule } from '../../patch/live-module.js';
import type { AskingFunctions, ModuleObservation } from '../../patch/observe.js';
import type { Outline } from '../../syntax/outline.js';
import type { LineTable } from '../../syntax/positions.js';
import { FUNCTIONS_OF_UNIT } from '../../wire/constants.js';
import { heldFunction } from './holding/held-functions.js';

/**
 * The function that begins on a line and goes on below, else the innermost around it; -1 where none can be observed by
 * itself.
 */
export function functionAround(outline: Outline, lines: LineTable, line: number): number {
  if (line >= lines.lineCount) return -1;
  const points = pointsOf(outline);
  const offset = lines.starts[line]! + Math.max(0, lines.line(line).search(/\S/));
  let around = -1;
  let begins = -1;
  outline.functions.forEach((info, index) => {
    if (points.functions[index]!.hook === undefined && info.kind !== 'constructor') return;
    if (lines.lineAt(info.start) === line && lines.lineAt(info.end) > line) begins = index;
    if (info.start > offset || info.end < offset) return;
    if (around < 0 || info.start >= outline.functions[around]!.start) around = index;
  });
  return begins >= 0 ? begins : around;
}

/**
 * Says in a plan which versions hold their calls, which are known by whom they work for, and which ask before each of their statements.
 *
 * @param how `unit` of the plan; `lines` of its text; functions that hold, that are known, and that ask, by number
 */
export function completeSteps(
  { steps, next }: ModuleObservation,
  how: {
    unit: number;
    lines: LineTable;
    holds: ReadonlySet<number>;
    joins: ReadonlySet<number>;
    asks: AskingFunctions | undefined;
  },
): void {
  const { unit, lines, holds, joins, asks } = how;
  for (const step of steps) {
    const index = step.kind === 'function' ? functionOfSlot(next, step.slot) : -1;
    if (step.kind !== 'function' || index < 0) continue;
    const info = next.outline.functions[index]!;
    if (holds.has(index)) step.holds = heldFunction(info)!;
    if (joins.has(index)) step.takesPart = { of: unit * FUNCTIONS_OF_UNIT + index };
    if (!asks?.stepping.has(index) && !asks?.entering.has(index)) continue;
    const [first, last] = [lines.lineAt(info.start), lines.lineAt(info.end)];
    step.stands = { of: unit * FUNCTIONS_OF_UNIT + index, name: info.name, first, last, isAsync: info.async };
  }
}

/** The function of a slot; -1 where it is none's. */
function functionOfSlot(module: LiveModule, slot: number): number {
  return module.functions.findIndex((generations) => generations.some((one) => one.slot === slot));
}

/** The slots of a function, with that of the constructor it is. */
export function slotsOf(module: LiveModule, index: number): number[] {
  const info = module.outline.functions[index]!;
  const slots = module.functions[index]!.map(({ slot }) => slot);
  if (info.kind === 'constructor' && info.owner >= 0) slots.push(module.classes[info.owner]!.constructorSlot);
  return slots;
}
