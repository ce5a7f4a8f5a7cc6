import { mkdirSync, mkdtempSync, realpathSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { commandOf } from '#dist/hosts/node/own-runs/commands.js';
import { resultsIn } from '#dist/hosts/node/own-runs/results.js';

type Name = 'jest' | 'vitest' | 'mocha' | 'jasmine';

function project(name: Name, script: string): string {
  const dir = realpathSync(mkdtempSync(join(tmpdir(), 'anvil-test-')));
  const files = {
    'package.json': JSON.stringify({ scripts: { test: script } }),
    [`node_modules/${name}/package.json`]: JSON.stringify({ name, bin: { [name]: `bin/${name}.js` } }),
    'toll.test.js': '',
  };
  for (const [file, text] of Object.entries(files)) {
    mkdirSync(dirname(join(dir, file)), { recursive: true });
    writeFileSync(join(dir, file), text);
  }
  return dir;
}

function argsOf(name: Name, script: string): { args: string; env: Record<string, string>; cwd: string; dir: string } {
  const dir = project(name, script);
  const { args, env, cwd } = commandOf({ name, packages: [] }, join(dir, 'toll.test.js'), dir);
  return { args: args.join(' ').replaceAll(dir, '.'), env, cwd, dir };
}

describe('the command of a framework', () => {
  test.each<[Name, string, RegExp]>([
    [
      'jest',
      'jest --watch --coverage --config canal.json src',
      /^\.\/node_modules\/jest\/bin\/jest\.js --config canal\.json --ci /,
    ],
    ['jest', 'jest', /--coverage=false .*--runTestsByPath \.\/toll\.test\.js$/],
    ['vitest', 'vitest --ui -c canal.ts', /^\S+ run -c canal\.ts --reporter=json .*--watch=false \.\/toll\.test\.js$/],
    ['vitest', 'vitest run --root=. --update', /^\S+ run --root=\. --reporter=json/],
    [
      'mocha',
      'mocha -w -R dot -r ./a.js -t 500 "test/**/*.js"',
      /^\S+ -r \.\/a\.js -t 500 --reporter \S+ .*--exit \.\/toll\.test\.js$/,
    ],
    ['jasmine', 'jasmine --helper=./a.js', /^\S+ --helper=\.\/a\.js --random=false --reporter=\S+ \.\/toll\.test\.js$/],
  ])('%s: of %j what says how tests run, and one file', (name, script, wanted) => {
    const { args, cwd, dir } = argsOf(name, script);
    expect(args).toMatch(wanted);
    expect(args).not.toMatch(/--(?:watch(?!=false)|ui|update|coverage(?!=false|\.enabled=false))\b/);
    expect(cwd).toBe(dir);
  });

  test('has the variables that the script sets, and is told that nobody looks', () => {
    const { env } = argsOf('jest', 'NODE_ENV=canal NODE_OPTIONS=--no-warnings jest');
    expect(env).toMatchObject({ NODE_ENV: 'canal', CI: '1', NO_COLOR: '1' });
    expect(env.NODE_OPTIONS).toContain('--no-warnings');
  });
});

describe('results of a framework', () => {
  const file = '/canal/toll.test.js';
  const reported = (assertionResults: unknown[], message = ''): string =>
    JSON.stringify({
      testResults: [
        { name: realFile(), message, assertionResults },
        { name: '/other.js', assertionResults: [] },
      ],
    });
  let dir: string;
  const realFile = (): string => join(dir, 'toll.test.js');
  beforeEach(() => {
    dir = project('jest', 'jest');
  });
  const one = (more: object): object => ({ ancestorTitles: ['toll'], title: 'a', status: 'passed', ...more });

  test('are those of the file, with messages without colours and stacks', () => {
    const failureMessages = [
      '\u001b[31mError: no water\u001b[39m\n\n  Expected: 3\n    at Object.<anonymous> (toll.test.js:3:4)',
    ];
    const found = resultsIn(
      'jest',
      reported([
        one({ duration: 3 }),
        one({ title: 'b', status: 'failed', failureMessages }),
        one({ title: 'c', status: 'pending' }),
      ]),
      realFile(),
    );
    expect(found).toEqual([
      { path: ['toll'], name: 'a', state: 'passed', durationMs: 3 },
      { path: ['toll'], name: 'b', state: 'failed', durationMs: 0, message: 'no water\n\n  Expected: 3' },
      { path: ['toll'], name: 'c', state: 'skipped', durationMs: 0 },
    ]);
  });

  test('of early versions name the file by nothing, which is left out', () => {
    const [found] = resultsIn('vitest', reported([one({ ancestorTitles: ['', 'toll'] })]), realFile());
    expect(found!.path).toEqual(['toll']);
  });

  test('a file that could not be loaded says why', () => {
    const message = '● Test suite failed to run\n\n  TypeError: gate is null\n    at x.js:1';
    expect(() => resultsIn('jest', reported([], message), realFile())).toThrow('TypeError: gate is null');
  });

  test('of our own reporters are taken as they are; others are refused', () => {
    const list = [{ path: [], name: 'a', state: 'failed', durationMs: 1, message: 'full' }];
    expect(resultsIn('mocha', JSON.stringify(list), file)).toEqual(list);
    expect(() => resultsIn('mocha', '[{ "name": 1 }]', file)).toThrow();
    expect(() => resultsIn('jasmine', 'no JSON', file)).toThrow();
  });
});
