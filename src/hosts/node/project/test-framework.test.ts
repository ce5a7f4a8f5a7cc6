import { mkdirSync, mkdtempSync, realpathSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { settingsOf } from '#dist/hosts/node/project/framework-settings.js';
import type { FrameworkSettings } from '#dist/wire/runs.js';
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
  const modules = (dir: string): string => {
    symlinkSync(join(process.cwd(), 'node_modules'), join(dir, 'node_modules'));
    return dir;
  };
  const read = (name: 'jest' | 'vitest' | 'mocha', files: Record<string, string>): FrameworkSettings | undefined =>
    settingsOf(name, join(modules(project({ ...files, 'src/toll.test.ts': '' })), 'src/toll.test.ts'));

  test('are none where a project says nothing', () => {
    expect(read('jest', { 'package.json': '{}' })).toBeUndefined();
    expect(read('mocha', { 'jest.config.js': 'module.exports = {}' })).toBeUndefined();
  });

  test.each<[string, 'jest' | 'vitest', Record<string, string>, string | undefined]>([
    ['a document', 'jest', { 'jest.config.json': '{ "testEnvironment": "jsdom" }' }, undefined],
    [
      'an environment of their own',
      'vitest',
      { 'vitest.config.mjs': "export default { test: { environment: './canal.js' } }" },
      'its environment is ./canal.js',
    ],
    [
      'what runs once before all',
      'jest',
      { 'package.json': '{ "jest": { "globalSetup": "<rootDir>/a.js" } }', 'a.js': '' },
      'its settings have globalSetup',
    ],
    [
      'all modules replaced',
      'jest',
      { 'jest.config.js': 'module.exports = { automock: true }' },
      'its settings have automock',
    ],
    ['an option of the script', 'jest', { 'package.json': scripts({ test: 'jest --env jsdom' }) }, undefined],
  ])('%s', (_what, name, files, gap) => {
    expect(read(name, { 'package.json': '{}', ...files })?.gap).toBe(gap);
  });

  test('that throw say why', () => {
    const settings = read('jest', { 'package.json': '{}', 'jest.config.js': "throw new Error('no water')" });
    expect(settings!.gap).toMatch(/^its settings cannot be read: .*no water/);
  });

  test('are computed as the framework computes them, and read anew when they change', () => {
    const dir = modules(
      project({
        'package.json': '{ "type": "commonjs" }',
        'base.js':
          "module.exports = { setupFiles: ['<rootDir>/a.js'], moduleNameMapper: { '^~/(.*)$': '<rootDir>/src/$1' } }",
        'jest.config.js': "module.exports = { ...require('./base.js'), testTimeout: 40 * 50 }",
        'a.js': '',
        'src/toll.test.ts': '',
      }),
    );
    const file = join(dir, 'src/toll.test.ts');
    const first = settingsOf('jest', file)!;
    expect(first.setup).toEqual([join(realpathSync(dir), 'a.js')]);
    expect(first.mapped).toEqual([{ pattern: '^~/(.*)$', flags: '', to: [`${realpathSync(dir)}/src/$1`] }]);
    expect(first.config.testTimeout).toBe(2_000);
    expect(settingsOf('jest', file)).toBe(first);
    writeFileSync(join(dir, 'jest.config.js'), 'module.exports = { testTimeout: 30_000 }');
    expect(settingsOf('jest', file)).toMatchObject({ setup: [], mapped: [], config: { testTimeout: 30_000 } });
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
