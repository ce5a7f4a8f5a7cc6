/** A class that lives and goes on in the new text. */
import type { Node } from '../../syntax/node.js';
import type { EarlierClass } from '../continuity.js';
import type { LateNames } from '../late-names.js';

export interface GoingClass {
  index: number;
  /** As notes call it. */
  name: string;
  node: Node;
  old: EarlierClass;
  /** First slot of the class. */
  owner: number;
}

/** The symbol of a private name that its live class has not. */
export function symbolOf(names: LateNames, name: string, classNode: Node): string | undefined {
  return names.members.find((late) => late.name === name && late.start === classNode.start)?.symbol;
}
