// Which test files `npm test` runs: as many as fit its time, another part at each commit; all of them: npm run test:whole.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Seconds of all test files together, on two workers of a quiet machine half of it passes. */
const BUDGET_S = 300;
/** What takes longer than this is for the whole run; what takes less than that is always there. */
const LONGEST_S = 100;
const SHORT_S = 3;

/**
 * Files that were changed last come first, then short ones, then all others in an order of the commit's own.
 *
 * @param files all test files, relative to the root
 */
export function partOf(root, files) {
  const known = durations(root);
  const git = (...args) => spawnSync('git', args, { cwd: root, encoding: 'utf8' }).stdout ?? '';
  const commit = git('rev-parse', 'HEAD').trim();
  const changed = new Set(git('log', '-6', '--name-only', '--format=').split('\n'));
  const rank = (file) => {
    const first = changed.has(file) ? 0 : (known[file] ?? LONGEST_S) <= SHORT_S ? 1 : 2;
    return `${first} ${createHash('sha256').update(`${commit} ${file}`).digest('hex')}`;
  };
  const order = [...files].sort((a, b) => (rank(a) < rank(b) ? -1 : 1));
  const chosen = [];
  let left = BUDGET_S;
  for (const file of order) {
    const seconds = known[file] ?? 15;
    if (seconds > LONGEST_S || seconds > left) continue;
    left -= seconds;
    chosen.push(file);
  }
  return chosen;
}

function durations(root) {
  const path = join(root, 'test/durations.json');
  return existsSync(path) ? JSON.parse(readFileSync(path, 'utf8')) : {};
}

/** Writes how long each file took, of a whole run's report. */
export function noteDurations(root, { testResults }) {
  const found = testResults.map(({ name, startTime, endTime }) => [
    name
      .slice(root.length)
      .replace(/^[\\/]/, '')
      .replaceAll('\\', '/'),
    Math.max(1, Math.round((endTime - startTime) / 1_000)),
  ]);
  const text = JSON.stringify(Object.fromEntries(found.sort(([a], [b]) => (a < b ? -1 : 1))), null, 2);
  writeFileSync(join(root, 'test/durations.json'), `${text}\n`);
}
