// `npm test`: sets up what is missing, checks types, style and layers, runs all tests, and ends with one line of counts.
import { spawnSync } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { isEditorInstalled } from './editor.mjs';

/** Seconds that all other tests may have taken. */
const TIME_FOR_EDITOR_S = 15 * 60;

const root = fileURLToPath(new URL('..', import.meta.url));
const node = (args, env = {}) =>
  spawnSync(process.execPath, args, {
    cwd: root,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: { ...process.env, ...env },
  }).status ?? 1;

if (node(['scripts/setup.mjs', 'test']) !== 0) process.exit(1);

const require = createRequire(import.meta.url);
const script = (name, path) => join(dirname(require.resolve(`${name}/package.json`)), path);
const only = process.argv.slice(2);
let checks = 0;
let failedChecks = 0;
if (only.length === 0) {
  for (const [name, args] of [
    ['layers', ['scripts/layers.mjs']],
    ['eslint', [script('eslint', 'bin/eslint.js'), '.', '--max-warnings=0']],
    ['prettier', [script('prettier', 'bin/prettier.cjs'), '--check', '--log-level=warn', '.']],
    ['types of tests', [script('typescript', 'bin/tsc'), '-p', 'tsconfig.test.json']],
    ['types of the extension', [script('typescript', 'bin/tsc'), '-p', 'editors/code']],
  ]) {
    checks++;
    if (node(args) !== 0) {
      failedChecks++;
      console.error(`check failed: ${name}`);
    }
  }
}

const report = join(tmpdir(), `usher-anvil-tests-${process.pid}.json`);
const status = node(
  [
    '--experimental-vm-modules',
    '--disable-warning=ExperimentalWarning',
    script('jest', 'bin/jest.js'),
    '--json',
    `--outputFile=${report}`,
    ...only,
  ],
  { NODE_OPTIONS: '' },
);
let passed = checks - failedChecks;
let failed = failedChecks;
try {
  const result = JSON.parse(readFileSync(report, 'utf8'));
  passed += result.numPassedTests;
  failed += result.numFailedTests + result.numRuntimeErrorTestSuites;
  rmSync(report);
} catch {
  failed++;
}
// A part of them on other versions of Node; all: npm run nodes
if (only.length === 0) {
  const part = ['src/instrument', 'src/runtime', 'src/syntax', 'test/modules'];
  if (node(['scripts/nodes.mjs', '22,24', ...part]) === 0) passed++;
  else failed++;
}
// The extension in a real editor, where one is installed and the rest left time for it; else: npm run test:editor
if (only.length === 0 && isEditorInstalled() && process.uptime() < TIME_FOR_EDITOR_S) {
  const tried = () => node(['scripts/test-editor.mjs']) === 0;
  // A browser in a browser on a busy machine: once more counts.
  if (tried() || tried()) passed++;
  else failed++;
}
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed > 0 || status !== 0 ? 1 : 0);
