/** A plan in words. */
import type { Decision, PlanNoteKind } from './decisions.js';

/** What a plan does to one thing of the program, and why. */
export type PlanNote = Decision;

/** Names in one sentence of {@link planText}. */
const MOST_NAMES = 6;

/** A plan in one line: `fill, drain patched · ramp added · 1 statement waits`. */
export function planText(plan: { notes: readonly PlanNote[] }): string {
  const names = (kind: PlanNoteKind): string[] => [
    ...new Set(plan.notes.filter((note) => note.kind === kind).map((note) => note.name)),
  ];
  const parts: string[] = [];
  for (const kind of ['patched', 'added', 'assigned', 'renamed', 'kept', 'removed'] as const) {
    const found = names(kind);
    const more = found.length > MOST_NAMES ? ` and ${found.length - MOST_NAMES} more` : '';
    if (found.length > 0) parts.push(`${found.slice(0, MOST_NAMES).join(', ')}${more} ${kind}`);
  }
  const waits = names('waits').length;
  if (waits > 0) parts.push(waits === 1 ? '1 statement waits' : `${waits} statements wait`);
  const cannot = names('cannot').length;
  if (cannot > 0) parts.push(`${cannot} could not be done`);
  return parts.length > 0 ? parts.join(' · ') : 'nothing to do';
}
