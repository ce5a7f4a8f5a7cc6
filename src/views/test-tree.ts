/** The tests of a record as the tree they were written as. */
import type { PadRecord, TestResult } from '../record/record.js';

export interface TestNode {
  test: TestResult;
  children: TestNode[];
}

/** Roots in the order in which they were declared. */
export function testTree(record: PadRecord): TestNode[] {
  const nodes = new Map<number, TestNode>();
  const ordered = [...record.tests].sort((a, b) => a.id - b.id);
  for (const test of ordered) nodes.set(test.id, { test, children: [] });
  const roots: TestNode[] = [];
  for (const test of ordered) (nodes.get(test.parent)?.children ?? roots).push(nodes.get(test.id)!);
  return roots;
}

/** The same order with what failed first, on every level. */
export function failingFirst(nodes: readonly TestNode[]): TestNode[] {
  const rank = ({ test }: TestNode): number => (test.state === 'failed' ? 0 : test.state === 'running' ? 1 : 2);
  return nodes
    .map(({ test, children }) => ({ test, children: failingFirst(children) }))
    .sort((a, b) => rank(a) - rank(b));
}
