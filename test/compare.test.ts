/** `usher-anvil compare` as a process: on the demo, on files that cannot be compared, and against a revision. */
import { execFileSync } from 'node:child_process';
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { comparisonSchema, type Comparison } from '#dist/compare/comparison.js';
import { cli, folder, root } from './harness.js';

function compared(args: string[], cwd: string): { comparison: Comparison; code: number | null } {
  const { stdout, stderr, code } = cli(['compare', ...args, '--format', 'json'], { cwd });
  try {
    return { comparison: comparisonSchema.parse(JSON.parse(stdout)), code };
  } catch (error) {
    throw new Error(`${stderr}${stdout}`, { cause: error });
  }
}

test('the demo: a bug that few inputs show is found, before any time is told', () => {
  const dir = folder();
  cpSync(join(root, 'examples/planner'), dir, { recursive: true });
  const { comparison, code } = compared(['planner.ts', '--export', 'byList,byHeap', '--time', '0'], dir);
  const { tried, differing, smallest } = comparison.equality;
  expect(code).toBe(1);
  expect(tried).toBeGreaterThan(3_000);
  expect(differing).toBeGreaterThan(0);
  expect(differing / tried).toBeLessThan(0.005);
  expect(smallest!.part).toBe('result');
  const text = cli(['compare', 'planner.ts', '--export', 'byList,byHeap', '--time', '0'], { cwd: dir });
  expect(text.stdout).toMatch(/^they give different results for \d+ of [\d,]+ inputs; the smallest that was found:/);
  expect(text.stdout).not.toMatch(/one call/);
  // Mended, they are the same.
  const file = join(dir, 'planner.ts');
  writeFileSync(file, readFileSync(file, 'utf8').replace(' && !isLate', ''));
  expect(compared(['planner.ts', '--export', 'byList,byHeap', '--time', '0'], dir)).toMatchObject({
    code: 0,
    comparison: { equality: { differing: 0 } },
  });
});

test('two files, of which one takes three times as long, with imports, types and a package', () => {
  const own = "import { median } from 'simple-statistics'\nimport { turns } from './turns.ts'\n";
  const dir = folder({
    'turns.ts':
      'export const turns = (by: number): number => { let n = 0; for (let i = 0; i < 3_000 * by; i++) n += i % 7; return n }',
    'first.ts': `${own}export const data = [3, 1, 2]\nexport default (list: number[]): number => median(list) + turns(1) * 0\n`,
    'second.ts': `${own}export default (list: number[]): number => median(list) + turns(3) * 0\n`,
  });
  execFileSync('ln', ['-s', join(root, 'node_modules'), join(dir, 'node_modules')]);
  const { comparison, code } = compared(['first.ts', 'second.ts', '--time', '12s'], dir);
  expect(code).toBe(0);
  expect(comparison.equality).toEqual({ tried: 1, differing: 0 });
  const { verdict, ratio, pairs, baseline } = comparison.timing!;
  expect(pairs).toBeGreaterThan(0);
  expect(baseline.points).toHaveLength(pairs);
  expect(ratio.value).toBeGreaterThan(1);
  expect([pairs < 10 ? 'cannot be told' : 'slower']).toEqual([verdict]);
});

test('a file against itself as of a revision, with a module that has changed as well', () => {
  const dir = folder({
    'toll.ts':
      "import { rate } from './rates.ts'\nexport const data = [4, 5]\nexport default (tonnes: number[]) => tonnes.map((one) => one * rate)\n",
    'rates.ts': 'export const rate = 2\n',
  });
  const git = (...args: string[]): string =>
    execFileSync('git', ['-c', 'user.name=J.', '-c', 'user.email=j@wenlow.example', ...args], {
      cwd: dir,
      encoding: 'utf8',
    });
  git('init', '-q');
  git('add', '.');
  git('commit', '-qm', 'tolls');
  const before = git('status', '--porcelain', '--ignored');
  const same = compared(['toll.ts', '--against', 'HEAD', '--time', '0'], dir);
  expect([same.code, same.comparison.baseline.revision]).toEqual([0, 'HEAD']);
  writeFileSync(join(dir, 'rates.ts'), 'export const rate = 3\n');
  const text = cli(['compare', 'toll.ts', '--against', 'HEAD', '--time', '0'], { cwd: dir });
  expect(text.code).toBe(1);
  expect(text.stdout).toContain('toll.ts of HEAD');
  expect(text.stdout).toMatch(/it\[0\]\s+toll\.ts of HEAD {2}2\s+toll\.ts now {6}3/);
  expect(git('status', '--porcelain', '--ignored')).toBe(`${before} M rates.ts\n`);
  expect(cli(['compare', 'toll.ts', '--against', 'v9'], { cwd: dir })).toMatchObject({
    code: 2,
    stderr: expect.stringMatching(/E_COMPARE.*v9/s),
  });
});

test.each([
  ['one way alone', ['a.mjs'], /Two ways are needed/],
  ['an export that is none', ['a.mjs', '--export', 'fill,drain'], /exports no function named drain/],
  ['a module that throws', ['a.mjs', 'throws.mjs', '--time', '0'], /Error: dry/],
  ['a syntax error', ['a.mjs', 'wrong.mjs'], /wrong\.mjs:2\)/],
  ['one that ends its process', ['a.mjs', 'ends.mjs'], /its process ended \(3\)/],
  ['a way that fails whenever it is timed', ['a.mjs', 'fails.mjs', '--export', 'fails'], /RangeError: dry/],
  ['a time that is none', ['a.mjs', 'b.mjs', '--time', 'soon'], /--time/],
  ['a format that is none', ['a.mjs', 'b.mjs', '--format', 'xml'], /--format is "xml"/],
])('%s is said, with a code and no trace', (_, args, said) => {
  const dir = folder({
    'a.mjs':
      "export const fill = () => 1\nexport const fails = () => { throw new RangeError('dry') }\nexport default () => 1\n",
    'b.mjs': 'export default () => 1\n',
    'fails.mjs': "export const fails = () => { throw new RangeError('dry') }\n",
    'throws.mjs': "throw new Error('dry')\n",
    'wrong.mjs': 'export default () => {\n',
    'ends.mjs': 'export default () => process.exit(3)\n',
  });
  const { code, stderr } = cli(['compare', ...args], { cwd: dir });
  expect(code).toBe(2);
  expect(stderr).toMatch(said);
  expect(stderr).toMatch(/E_[A-Z]+/);
  expect(stderr).not.toMatch(/\n\s+at /);
});

test('what a way changes it is given fresh, also what cannot be copied, where that is made', () => {
  const dir = folder({
    'sorts.cjs':
      'exports.data = [3, 1, 2];\nexports.first = (list) => list.sort()[0];\nexports.second = (list) => Math.min(...list);\n',
    'made.mjs':
      'class Lock { #level = 0; fill() { return ++this.#level } }\nexport const data = () => new Lock()\n' +
      'export const first = (lock) => lock.fill()\nexport const second = (lock) => lock.fill()\n',
  });
  expect(compared(['sorts.cjs', '--export', 'first,second', '--time', '0'], dir).comparison.equality).toMatchObject({
    differing: 1,
    smallest: { part: 'input' },
  });
  const { equality, timing } = compared(['made.mjs', '--export', 'first,second', '--time', '1s'], dir).comparison;
  expect(equality).toEqual({ tried: 1, differing: 0 });
  expect(timing!.baseline.ns.value).toBeGreaterThan(0);
});
