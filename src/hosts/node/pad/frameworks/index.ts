/** Test frameworks that run in a pad's thread. */
import type { Framework } from '../../../../runtime/tests/framework.js';
import type { FrameworkPlace } from '../../../../wire/runs.js';
import { jasmineFramework } from './jasmine.js';
import { jestFramework } from './jest.js';
import { mochaFramework } from './mocha.js';
import type { FrameworkParts } from './parts.js';
import { vitestFramework } from './vitest.js';

const MADE: Record<FrameworkPlace['name'], (parts: FrameworkParts) => Framework | Promise<Framework>> = {
  jest: jestFramework,
  vitest: vitestFramework,
  mocha: mochaFramework,
  jasmine: jasmineFramework,
};

/**
 * Gets the framework ready that a pad's tests are written for.
 *
 * @throws whatever its packages throw while they are loaded
 */
export async function loadFramework(name: FrameworkPlace['name'], parts: FrameworkParts): Promise<Framework> {
  return MADE[name](parts);
}
