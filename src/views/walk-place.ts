/** The same step in a run of a text that was edited since. */
import type { Walk } from '../record/walk/walk.js';

/**
 * The step of another run that is the same visit of the same code: the statement with the same text in the function of
 * the same name that is nearest, and as many visits of it.
 *
 * @returns undefined where that statement is not there any more
 */
export function samePlace(before: Walk, at: number, now: Walk): number | undefined {
  const step = before.step(at);
  const code = before.textAt(at);
  const name = step.frame > 0 ? before.frame(step.frame).name : 'module';
  let visit = 0;
  for (const one of before.where((file, range) => file === step.file && same(range.start, step.range.start))) {
    visit++;
    if (one >= at) break;
  }
  const lines = new Map<number, number[]>();
  for (const one of now.where((file, _range, inside) => file === step.file && inside === name)) {
    if (now.textAt(one) !== code) continue;
    const { line } = now.step(one).range.start;
    lines.set(line, [...(lines.get(line) ?? []), one]);
  }
  const nearest = [...lines].sort(
    ([a], [b]) => Math.abs(a - step.range.start.line) - Math.abs(b - step.range.start.line),
  )[0];
  if (!nearest) return undefined;
  const [, visits] = nearest;
  return visits[Math.min(visit, visits.length) - 1];
}

function same(a: { line: number; character: number }, b: { line: number; character: number }): boolean {
  return a.line === b.line && a.character === b.character;
}
