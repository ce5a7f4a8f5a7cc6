import { symlinkSync, unlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder, root, start } from './harness.js';

const project = (): string => {
  const dir = folder({
    'package.json': '{ "type": "module", "scripts": { "test": "vitest" } }',
    'src/toll.js': 'export const toll = length => 4 + length / 4\n',
    'src/gate.js': 'export const open = () => true\n',
    'src/toll.test.js':
      "import { test, expect } from 'vitest'\nimport { toll } from './toll.js'\ntest('of a boat', () => { expect(toll(8)).toBe(6) })\n",
    'test/gate.js':
      "import test from 'node:test'\nimport assert from 'node:assert'\nimport { open } from '../src/gate.js'\ntest('opens', () => { assert.equal(open(), true) })\n",
    'test/helper.js': 'export const none = 1\n',
    // It speaks of tests, and has none.
    'src/settings.config.js': "import { defineConfig } from 'vitest/config'\nexport default defineConfig({})\n",
  });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  return dir;
};

test('watch of a folder: runs what a save can have touched, tells what fails, follows files that come and go', async () => {
  const dir = project();
  const watched = start(['watch', '.'], { cwd: dir });
  try {
    await watched.until(/^all: 2 of 2 files\n✓ src\/toll\.test\.js {2}1 test · .*\n✓ test\/gate\.js {2}1 test/m);
    await watched.until(/2 files · 2 tests {2}all passed/);

    writeFileSync(join(dir, 'src/toll.js'), 'export const toll = length => 5 + length / 4\n');
    await watched.until(
      /saved src\/toll\.js: 1 of 2 files\n✗ src\/toll\.test\.js .*1 failed.*\n {2}✗ src\/toll\.test\.js:3 {2}of a boat: .*expected 7 to be 6/,
    );
    await watched.until(/2 tests {2}1 failed\n/);

    writeFileSync(join(dir, 'src/gate.js'), 'export const open = () => !0\n');
    await watched.until(
      /saved src\/gate\.js: 1 of 2 files\n✓ test\/gate\.js.*\nnot touched, and failing: src\/toll\.test\.js/,
    );

    writeFileSync(
      join(dir, 'src/new.spec.js'),
      "import { test, expect } from 'vitest'\ntest('new', () => { expect(1).toBe(1) })\n",
    );
    await watched.until(/saved src\/new\.spec\.js: 1 of 3 files\n✓ src\/new\.spec\.js/);
    unlinkSync(join(dir, 'src/new.spec.js'));
    writeFileSync(join(dir, 'src/toll.js'), 'export const toll = length => 4 + length / 4\n');
    await watched.until(/saved [^\n]*: 1 of \d files\n✓ src\/toll\.test\.js/);
    await watched.until(/2 files · 2 tests {2}all passed\n[^]*2 files · 2 tests {2}all passed/);
  } finally {
    await watched.end();
  }
});
