/** Which tests run, where some are marked with `only` or one was asked for alone. */
import type { RawTest } from '../../wire/reports.js';
import * as own from '../originals.js';
import { hasOnly, pathOf, type TestNode } from './node.js';

/** Reasons to leave a test out, as they are told. */
export const LEFT_OUT = { 'one-asked': 'another test runs alone', only: 'another test is marked with only' } as const;

/** What is asked of the tests of a run. */
export class Choice {
  /** Some test asks to run alone. */
  anyOnly = false;
  /** The one test that a person asked for, by its names from the outermost in. */
  private alone: readonly string[] | undefined;
  /** Results that still hold, by program-wide site. */
  private readonly reuse = own.safeMap<number, readonly RawTest[]>();

  constructor(private readonly root: TestNode) {}

  order(asked: { reuse: { site: number; tests: RawTest[] }[]; alone?: string[] }): void {
    for (let i = 0; i < asked.reuse.length; i++) this.reuse.set(asked.reuse[i]!.site, asked.reuse[i]!.tests);
    this.alone = asked.alone;
  }

  /** Results of an earlier run that still hold for a test. */
  known(node: TestNode): readonly RawTest[] | undefined {
    return node.parent === this.root && !this.alone ? this.reuse.get(node.reported.site) : undefined;
  }

  /** Why a test is left out; undefined for one that runs. */
  whyNot(node: TestNode): keyof typeof LEFT_OUT | undefined {
    if (this.alone) return isAlone(node, this.root, this.alone) ? undefined : 'one-asked';
    return this.anyOnly && !isChosen(node, this.root) ? 'only' : undefined;
  }
}

/**
 * With `only` somewhere: what is marked, what holds something marked, and what is inside of either and not told apart
 * there.
 */
function isChosen(node: TestNode, root: TestNode): boolean {
  if (node.options.only === true || hasOnly(node)) return true;
  const parent = node.parent!;
  if (!parent.suite) return !parent.running.onlyChildren;
  return parent !== root && !hasOnly(parent) && isChosen(parent, root);
}

/**
 * True for what leads to the one test that a person asked for, and for what is in it.
 *
 * @param alone its names, from the outermost in
 */
function isAlone(node: TestNode, root: TestNode, alone: readonly string[]): boolean {
  const path = pathOf(node, root);
  for (let i = 0; i < path.length && i < alone.length; i++) if (path[i] !== alone[i]) return false;
  return true;
}
