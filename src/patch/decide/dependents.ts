/** Constants that were computed from what changed follow it. */
import { bare, isFunction, type Node } from '../../syntax/node.js';
import { declarationIn, directUses } from '../change.js';
import { isPure } from '../state.js';
import { REASONS } from '../wording.js';
import type { Deciding } from './deciding.js';
import { decideAssignment } from './names.js';

export function decideDependents(deciding: Deciding): void {
  for (let grown = true; grown;) {
    grown = false;
    for (const statement of deciding.change.after.statements) {
      if (statement.kind !== 'const' && statement.kind !== 'let' && statement.kind !== 'var') continue;
      for (const declarator of declarationIn(statement.node).declarations as Node[])
        if (decideDependent(deciding, declarator)) grown = true;
    }
  }
}

/** Returns true when the name gets its value anew: others may depend on it. */
function decideDependent(deciding: Deciding, declarator: Node): boolean {
  const { change, names, decisions } = deciding;
  const init = declarator.init as Node | null;
  if (declarator.id.type !== 'Identifier' || !init || isFunction(bare(init))) return false;
  const name = declarator.id.name as string;
  if (decisions.changed.has(name) || names.fresh.has(name) || !names.declared(name)) return false;
  const cause = directUses(change, init).find((one) => decisions.changed.has(one));
  if (cause === undefined) return false;
  const state = change.states.get(name);
  if (isPure(init) && !(state && (state.assigned || state.members.size > 0))) {
    decideAssignment(deciding, name, init, undefined);
    return true;
  }
  if (!decisions.mentions(name)) {
    const at = declarator.start as number;
    decisions.say('kept', name, at, REASONS.computedFrom(cause));
    decisions.do({ kind: 'reset', at, name, node: init, giveSlots: true });
  }
  return false;
}
