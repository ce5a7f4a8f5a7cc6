// A test that failed is run once more, and its first failure is printed: on a machine that others
// use too, a pad that gets no processor for seconds is stopped, as it should be.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { jest } from '@jest/globals';

jest.retryTimes(1, { logErrorsBeforeRetry: true, waitBeforeRetry: 500 });

// What the tools remember between sessions stays with the tests of a file.
const state = mkdtempSync(join(tmpdir(), 'anvil-state-'));
process.env.XDG_STATE_HOME = state;
process.on('exit', () => rmSync(state, { recursive: true, force: true }));
