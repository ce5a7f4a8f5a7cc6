/** Which functions get a later version. */
import { bindingScope, usesWithin } from '../../syntax/scopes.js';
import type { Change } from '../change.js';
import type { Bodies } from '../decisions.js';
import type { LateNames } from '../late-names.js';
import { obstacle } from '../obstacles.js';
import { nameOf, REASONS } from '../wording.js';
import type { Deciding } from './deciding.js';

/** Decides from the innermost function outwards: what cannot be given to an inner one takes the one around it. */
export function decideFunctions(deciding: Deciding): void {
  for (let index = deciding.change.after.functions.length - 1; index >= 0; index--) decideFunction(deciding, index);
  sayPatched(deciding);
}

function decideFunction({ change, names, decisions }: Deciding, index: number): void {
  const { after, points, continuity, shapes } = change;
  const { bodies } = decisions;
  const info = after.functions[index]!;
  const point = points.functions[index]!;
  const old = continuity.functions[index];
  if (point.hook === undefined || info.kind === 'constructor' || !old) return;
  if (!bodies.forced.has(index) && !usesFreshNames(change, names, index) && !shapes.differs(after, index, old)) return;
  const reasons = old.generations.flatMap((generation) => obstacle(change, index, generation) ?? []);
  const done = old.generations.length - reasons.length;
  if (done > 0) bodies.patched.add(index);
  if (done > 0 && reasons.length === 0) return;
  if (point.unit >= 0) {
    bodies.forced.add(point.unit);
    const around = nameOf(after, after.functions[point.unit]!);
    decisions.say('kept', nameOf(after, info), info.start, REASONS.finish(done > 0, reasons[0], around));
  } else if (
    info.owner >= 0 &&
    points.classes[info.owner]!.hook !== undefined &&
    old.generations.length > 0 &&
    !info.name.startsWith('#')
  ) {
    // A method of another kind takes the place of the old one on its class.
    bodies.patched.delete(index);
    bodies.replaced.add(index);
  } else if (!decisions.mentions(info.name, 'assigned')) {
    // A top-level function of another kind is bound anew, which was said.
    decisions.say('cannot', nameOf(after, info), info.start, REASONS.outOfReach(reasons[0]));
  }
}

/** Says which functions were patched: those whose own text differs. */
function sayPatched({ change, names, decisions }: Deciding): void {
  const { after, continuity, shapes } = change;
  const { patched, forced } = decisions.bodies;
  for (const index of [...patched].sort((a, b) => a - b)) {
    if (decisions.made.has(index)) continue;
    const carried = forced.has(index) || usesFreshNames(change, names, index);
    if (carried && !shapes.differs(after, index, continuity.functions[index]!)) continue;
    const info = after.functions[index]!;
    decisions.say('patched', nameOf(after, info), info.start);
  }
}

/**
 * True for a function that uses, outside of functions with a patch point of their own, a name that means something else
 * now.
 */
export function usesFreshNames(change: Change, names: LateNames, index: number): boolean {
  if (names.fresh.size === 0) return false;
  const { after, points } = change;
  const info = after.functions[index]!;
  return usesWithin(points.scopes, info.start, info.end).some((use) => {
    if (!names.fresh.has(use.name)) return false;
    const scope = bindingScope(use.scope, use.name);
    if (scope !== undefined && scope.kind !== 'module') return false;
    return !after.functions.some(
      (other, k) =>
        other.start > info.start &&
        other.end <= info.end &&
        use.start >= other.start &&
        use.end <= other.end &&
        points.functions[k]!.hook !== undefined,
    );
  });
}

/** True for a function inside one that gets a later version: it is made by that, with the scope that version has. */
export function isInsidePatched(change: Change, bodies: Bodies, index: number): boolean {
  const { functions } = change.after;
  for (let at = functions[index]!.parent; at >= 0; at = functions[at]!.parent)
    if (bodies.patched.has(at) || bodies.replaced.has(at)) return true;
  return false;
}
