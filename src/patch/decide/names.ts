/** Names that are bound anew, or go on under another. */
import type { Node } from '../../syntax/node.js';
import { kindOf } from '../live-module.js';
import { kindFits } from '../obstacles.js';
import type { Deciding } from './deciding.js';

/** A function whose kind forbids that what lives takes its body. */
export function isOtherKind({ change }: Deciding, index: number): boolean {
  const old = change.continuity.functions[index]!;
  return old.generations.every((generation) => !kindFits(generation.kind, kindOf(change.after.functions[index]!)));
}

/** A binding goes on under another name. */
export function decideRename({ names, decisions }: Deciding, name: string, from: string, at: number): void {
  const alias = names.rename(name, from);
  if (alias) decisions.do({ kind: 'alias', ...alias });
  decisions.say('renamed', `${from} to ${name}`, at);
}

/** A name gets its first value anew. */
export function decideAssignment(
  { decisions }: Deciding,
  name: string,
  init: Node | undefined,
  reason: string | undefined,
): void {
  if (init) decisions.makeAnew(init);
  decisions.changed.add(name);
  const at = init?.start ?? 0;
  decisions.say('assigned', name, at, reason);
  decisions.do({
    kind: 'assign',
    at,
    name,
    how: 'assign',
    source: init ? { of: 'value', node: init, name } : { of: 'nothing' },
  });
}
