import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { settingsGap } from '#dist/hosts/node/project/framework-settings.js';
import { TestFrameworks } from '#dist/hosts/node/project/test-framework.js';
import { testScript } from '#dist/hosts/node/project/test-script.js';

function project(files: Record<string, string>): string {
  const dir = mkdtempSync(join(tmpdir(), 'anvil-test-'));
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(dir, name)), { recursive: true });
    writeFileSync(join(dir, name), text);
  }
  return dir;
}

const scripts = (all: Record<string, string>): string => JSON.stringify({ scripts: all });

describe('the script by which a project runs its framework', () => {
  test.each<[string, string, { words: string[]; env?: Record<string, string> }]>([
    ['mocha', 'mocha -u tdd -r ./test/helper.js test', { words: ['-u', 'tdd', '-r', './test/helper.js', 'test'] }],
    [
      'jest',
      'NODE_ENV=test jest --config "my jest.js"',
      { words: ['--config', 'my jest.js'], env: { NODE_ENV: 'test' } },
    ],
    ['jest', 'cross-env TZ=UTC node_modules/.bin/jest', { words: [], env: { TZ: 'UTC' } }],
    ['mocha', 'npm run lint && ./node_modules/.bin/_mocha --exit && echo done', { words: ['--exit'] }],
    ['vitest', 'vitest run --mode=canal | tee log', { words: ['run', '--mode=canal'] }],
    ['jest', 'react-jester --all', { words: [] }],
  ])('%s in %j', (framework, script, { words, env = {} }) => {
    const dir = project({ 'package.json': scripts({ test: script }), 'test/toll.test.js': '' });
    expect(testScript(join(dir, 'test/toll.test.js'), framework)).toEqual({ folder: dir, words, env });
  });

  test('is the nearest that names it, and another than "test" where that does not', () => {
    const dir = project({
      'package.json': scripts({ test: 'npm run unit', unit: 'jest --env node' }),
      'packages/toll/package.json': scripts({ build: 'tsc' }),
      'packages/toll/a.test.js': '',
    });
    expect(testScript(join(dir, 'packages/toll/a.test.js'), 'jest')).toEqual({
      folder: dir,
      words: ['--env', 'node'],
      env: {},
    });
    expect(testScript(join(dir, 'packages/toll/a.test.js'), 'mocha').folder).toBe(join(dir, 'packages/toll'));
  });
});

describe('settings of a framework', () => {
  test.each<[string, 'jest' | 'vitest' | 'mocha', Record<string, string>, string | undefined]>([
    ['none', 'jest', {}, undefined],
    ['a plain environment', 'jest', { 'jest.config.js': "module.exports = { testEnvironment: 'node' }" }, undefined],
    ['a DOM', 'jest', { 'jest.config.json': '{ "testEnvironment": "jsdom" }' }, 'its environment is jsdom'],
    ['a comment', 'jest', { 'jest.config.js': "module.exports = {\n  // setupFiles: ['./a.js'],\n}" }, undefined],
    ['a comment of many lines', 'jest', { 'jest.config.js': '/* setupFiles: [] */\nmodule.exports = {}' }, undefined],
    [
      'files first',
      'vitest',
      { 'vitest.config.ts': 'export default { test: { setupFiles: [] } }' },
      'its settings have setupFiles',
    ],
    ['a translator', 'jest', { 'jest.config.js': "module.exports = { preset: 'ts-jest' }" }, undefined],
    [
      'another preset',
      'jest',
      { 'jest.config.js': "module.exports = { preset: 'canal' }" },
      'its settings have preset',
    ],
    [
      'in the manifest',
      'jest',
      { 'package.json': '{ "jest": { "moduleNameMapper": {} } }' },
      'its settings have moduleNameMapper',
    ],
    [
      'tests before the bundler',
      'vitest',
      { 'vite.config.ts': "export default { environment: 'jsdom' }", 'vitest.config.ts': 'export default {}' },
      undefined,
    ],
    ['those of another framework', 'mocha', { 'jest.config.js': "module.exports = { setupFiles: ['a'] }" }, undefined],
  ])('%s', (_what, name, files, gap) => {
    const dir = project({ ...files, 'src/toll.test.ts': '' });
    expect(settingsGap(name, join(dir, 'src/toll.test.ts'))).toBe(gap);
  });
});

describe('the framework of a project', () => {
  const stub = (name: string): Record<string, string> => ({
    [`node_modules/${name}/package.json`]: JSON.stringify({ name, main: 'index.js' }),
    [`node_modules/${name}/index.js`]: '',
  });

  test('is what its test script names, else what is installed', () => {
    const both = { ...stub('mocha'), ...stub('vitest'), 'a.test.js': '' };
    const named = project({ ...both, 'package.json': scripts({ test: 'mocha' }) });
    expect(new TestFrameworks().of(join(named, 'a.test.js'), undefined)?.name).toBe('mocha');
    const installed = project({ ...both, 'package.json': '{ "devDependencies": { "vitest": "*" } }' });
    expect(new TestFrameworks().of(join(installed, 'a.test.js'), undefined)?.name).toBe('vitest');
  });

  test('is none where it is not installed, or nobody names one', () => {
    const dir = project({ 'package.json': scripts({ test: 'jest' }), 'a.test.js': '' });
    expect(new TestFrameworks().of(join(dir, 'a.test.js'), undefined)).toBeUndefined();
    const bare = project({ 'package.json': '{}', 'a.test.js': '' });
    expect(new TestFrameworks().of(join(bare, 'a.test.js'), undefined)).toBeUndefined();
  });

  test('is looked for anew when a manifest has changed', () => {
    const dir = project({ ...stub('mocha'), 'package.json': '{}', 'a.test.js': '' });
    const frameworks = new TestFrameworks();
    expect(frameworks.of(join(dir, 'a.test.js'), undefined)).toBeUndefined();
    writeFileSync(join(dir, 'package.json'), scripts({ test: 'mocha' }));
    expect(frameworks.of(join(dir, 'a.test.js'), undefined)?.packages).toEqual([
      { specifier: 'mocha', from: join(dir, 'a.test.js') },
    ]);
  });
});
