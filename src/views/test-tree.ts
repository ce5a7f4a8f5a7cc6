/** The tests of a record as the tree they were written as. */
import type { TestResult } from '../record/record.js';

/** What a tree needs to know of a test. */
type Tested = Pick<TestResult, 'id' | 'parent' | 'state'>;

/** @typeParam Test a record's result, or what a window is told of it */
export interface TestNode<Test extends Tested = TestResult> {
  test: Test;
  children: TestNode<Test>[];
}

/** Roots in the order in which they were declared. */
export function testTree<Test extends Tested>(tests: readonly Test[]): TestNode<Test>[] {
  const nodes = new Map<number, TestNode<Test>>();
  const ordered = [...tests].sort((a, b) => a.id - b.id);
  for (const test of ordered) nodes.set(test.id, { test, children: [] });
  const roots: TestNode<Test>[] = [];
  for (const test of ordered) (nodes.get(test.parent)?.children ?? roots).push(nodes.get(test.id)!);
  return roots;
}

/** The same order with what failed first, on every level. */
export function failingFirst<Test extends Tested>(nodes: readonly TestNode<Test>[]): TestNode<Test>[] {
  const rank = ({ test }: TestNode<Test>): number => (test.state === 'failed' ? 0 : test.state === 'running' ? 1 : 2);
  return nodes
    .map(({ test, children }) => ({ test, children: failingFirst(children) }))
    .sort((a, b) => rank(a) - rank(b));
}
