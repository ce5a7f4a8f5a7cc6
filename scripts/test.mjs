// `npm test`: sets up what is missing, checks types, style and layers, runs the tests that fit six minutes (another part at
// each commit), and ends with one line of counts. `--whole` (npm run test:whole) runs all, on all versions of Node.
import { spawn, spawnSync } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { dirname, join, relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { isEditorInstalled } from './editor.mjs';
import { noteDurations, partOf } from './test-part.mjs';

/** Seconds that all other tests may have taken. */
const TIME_FOR_EDITOR_S = 45 * 60;

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
const whole = process.argv.includes('--whole');
const only = process.argv.slice(2).filter((text) => text !== '--whole');
let checks = 0;
let failedChecks = 0;
if (only.length === 0) {
  const all = [
    ['layers', ['scripts/layers.mjs']],
    ['eslint', [script('eslint', 'bin/eslint.js'), '.', '--max-warnings=0']],
    ['prettier', [script('prettier', 'bin/prettier.cjs'), '--check', '--log-level=warn', '.']],
    ['types of tests', [script('typescript', 'bin/tsc'), '-p', 'tsconfig.test.json']],
    ['types of the extension', [script('typescript', 'bin/tsc'), '-p', 'editors/code']],
  ];
  checks = all.length;
  const done = all.map(
    ([name, args]) =>
      new Promise((resolve) => {
        spawn(process.execPath, args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'] }).once('exit', (code) => {
          if (code !== 0) {
            failedChecks++;
            console.error(`check failed: ${name}`);
          }
          resolve();
        });
      }),
  );
  await Promise.all(done);
}

/** All test files, as the framework finds them. */
function testFiles() {
  const { stdout } = spawnSync(
    process.execPath,
    [
      '--experimental-vm-modules',
      '--disable-warning=ExperimentalWarning',
      script('jest', 'bin/jest.js'),
      '--listTests',
    ],
    { cwd: root, encoding: 'utf8', env: { ...process.env, NODE_OPTIONS: '' } },
  );
  return stdout
    .split('\n')
    .filter(Boolean)
    .map((path) => relative(root, path).split(sep).join('/'));
}

const files = whole || only.length > 0 ? [] : testFiles();
const part = whole || only.length > 0 ? only : partOf(root, files);
if (files.length > 0) console.log(`${part.length} of ${files.length} test files; npm run test:whole runs all of them`);
const report = join(tmpdir(), `usher-anvil-tests-${process.pid}.json`);
const status = node(
  [
    '--experimental-vm-modules',
    '--disable-warning=ExperimentalWarning',
    script('jest', 'bin/jest.js'),
    '--json',
    `--outputFile=${report}`,
    ...(files.length > 0 ? ['--runTestsByPath'] : []),
    ...part,
  ],
  { NODE_OPTIONS: '' },
);
let passed = checks - failedChecks;
let failed = failedChecks;
try {
  const result = JSON.parse(readFileSync(report, 'utf8'));
  passed += result.numPassedTests;
  failed += result.numFailedTests + result.numRuntimeErrorTestSuites;
  if (whole && process.env.UPDATE_DURATIONS) noteDurations(root, result);
  rmSync(report);
} catch {
  failed++;
}
// A part of them on other versions of Node; all: npm run nodes
if (whole) {
  const some = ['src/instrument', 'src/runtime', 'src/syntax', 'test/modules'];
  if (node(['scripts/nodes.mjs', '22,24', ...some]) === 0) passed++;
  else failed++;
}
// The extension in a real editor, where one is installed and the rest left time for it; else: npm run test:editor
if (whole && isEditorInstalled() && process.uptime() < TIME_FOR_EDITOR_S) {
  const tried = () => node(['scripts/test-editor.mjs']) === 0;
  // A browser in a browser on a busy machine: once more counts.
  if (tried() || tried()) passed++;
  else failed++;
}
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed > 0 || status !== 0 ? 1 : 0);
