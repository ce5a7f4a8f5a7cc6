/** The tests as a tree, what failed first; each can run alone. */
import { useState } from 'react';
import type { TestMessage } from '../server/protocol.js';
import { failingFirst, testTree, type TestNode } from '../views/test-tree.js';
import { Location } from './location.js';
import type { State } from './state.js';
import type { Store } from './store.js';
import { beginWalk } from './walk.js';

const MARKS: Record<TestMessage['state'], string> = { passed: '✓', failed: '✗', skipped: '-', todo: '○', running: '…' };

export function TestList({ store, state, tests }: { store: Store; state: State; tests: TestMessage[] }) {
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  if (tests.length === 0) return <p className="dim">No tests. Write one with test() of node:test.</p>;
  const alone = tests.some((test) => test.leftOut === 'one-asked');
  const reused = tests.filter((test) => test.reused && !test.suite).length;
  const rows: { branch: TestNode<TestMessage>; depth: number; key: string }[] = [];
  const add = (branches: readonly TestNode<TestMessage>[], depth: number): void => {
    branches.forEach((branch) => {
      const key = [...branch.test.path, branch.test.name, branch.test.at.line].join('\u0000');
      rows.push({ branch, depth, key });
      if (!folded.has(key)) add(branch.children, depth + 1);
    });
  };
  add(failingFirst(testTree(tests)), 0);
  return (
    <>
      {alone || reused > 0 ? (
        <p className="dim tests-note">
          {alone ? 'One test runs alone. ' : ''}
          {reused > 0
            ? `${reused.toLocaleString('en-US')} results are from an earlier run: the edit cannot have touched them. `
            : ''}
          <button className="quiet" onClick={() => store.testAlone(null)}>
            Run all
          </button>
        </p>
      ) : null}
      <div role="tree" aria-label="Tests">
        {rows.slice(0, 2_000).map(({ branch: { test, children }, depth, key }, index) => (
          <div
            key={`${key}${index}`}
            role="treeitem"
            aria-level={depth + 1}
            aria-expanded={children.length > 0 ? !folded.has(key) : undefined}
            className={`row test-${test.state}${test.suite ? ' suite' : ''}`}
            style={{ paddingLeft: 8 + depth * 16 }}
          >
            <Location store={store} state={state} at={test.at} />
            {children.length > 0 ? (
              <button
                className="fold"
                aria-label={folded.has(key) ? `Unfold ${test.name}` : `Fold ${test.name}`}
                onClick={() => {
                  const next = new Set(folded);
                  if (!next.delete(key)) next.add(key);
                  setFolded(next);
                }}
              >
                {folded.has(key) ? '▸' : '▾'}
              </button>
            ) : (
              <span className="fold" />
            )}
            <span className="mark" role="img" aria-label={test.state}>
              {MARKS[test.state]}
            </span>
            <pre>{test.name}</pre>
            <span className="dim">{wordsFor(test)}</span>
            {test.state === 'failed' && !test.suite ? (
              <button
                className="quiet walk-back"
                title="Walk through it, backwards from its failure"
                onClick={() => beginWalk(store, { test: [...test.path, test.name] })}
              >
                Walk back
              </button>
            ) : null}
            <button
              className="quiet alone"
              title={`Execute with only this ${test.suite ? 'suite' : 'test'}`}
              onClick={() => store.testAlone([...test.path, test.name])}
            >
              Run alone
            </button>
          </div>
        ))}
      </div>
      {rows.length > 2_000 ? (
        <p className="dim">{(rows.length - 2_000).toLocaleString('en-US')} more are not listed.</p>
      ) : null}
    </>
  );
}

function wordsFor(test: TestMessage): string {
  const time = `${test.durationMs.toFixed(1)} ms`;
  const reason = test.reason === undefined ? '' : `: ${test.reason}`;
  const notes = test.notes ? ` · ${test.notes.join(' · ')}` : '';
  switch (test.state) {
    case 'passed':
      return `${test.reused ? `${time}, earlier run` : time}${notes}`;
    case 'failed':
      return `${time}${reason}${notes}`;
    case 'skipped':
      return `skipped${reason}`;
    case 'todo':
      return `to do${reason}${test.passed ? '' : ', fails'}`;
    default:
      return 'not ended';
  }
}
