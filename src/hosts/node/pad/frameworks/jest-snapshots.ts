/** Snapshots of Jest: read and compared as Jest does, and never written. */
import { createRequire } from 'node:module';
import { basename, dirname, join } from 'node:path';
import { required, type FrameworkParts, type Loose } from './parts.js';

/** What expects, with what it knows of the test that runs. */
export interface Expecting {
  setState(state: Loose): void;
  getState(): Loose;
  extractExpectedAssertionsErrors(): { error: Error }[];
}

type SnapshotState = new (path: string, options: Loose) => object;

/** What is new is known for this run alone. */
export function readSnapshots(parts: FrameworkParts, expect: Expecting): void {
  const { SnapshotState } = required(parts, 'jest-snapshot') as { SnapshotState: SnapshotState };
  const path = join(dirname(parts.file), '__snapshots__', `${basename(parts.file)}.snap`);
  const state = new SnapshotState(path, {
    // New ones pass, as in Jest's own run on a person's machine; `save` is never called.
    updateSnapshot: 'new',
    expand: false,
    prettierPath: null,
    rootDir: dirname(parts.file),
    snapshotFormat: parts.settings?.config.snapshotFormat ?? { escapeString: false, printBasicPrototype: false },
  });
  const { addSerializer } = required(parts, 'jest-snapshot') as { addSerializer(serializer: unknown): void };
  for (const one of (parts.settings?.config.snapshotSerializers ?? []) as string[]) {
    const given = createRequire(parts.file)(one) as { default?: unknown };
    addSerializer(given.default ?? given);
  }
  expect.setState({ snapshotState: state, testPath: parts.file, expand: false });
}
