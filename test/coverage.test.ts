import { readFileSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { cli, folder, root } from './harness.js';

/** A project whose tests reach some of it. */
function project(toll = 'toll(8), 6'): string {
  const dir = folder({
    'package.json': '{ "type": "module", "scripts": { "test": "vitest" } }',
    'vitest.config.js': "export default { test: { setupFiles: ['./src/setup.js'] } }\n",
    'src/setup.js': 'globalThis.boats = 3\n',
    'src/toll.js': `export function toll (length) {
  if (length > 40) {
    throw new Error('no lock is so long')
  }
  const base = 4
  return base + length * 0.25
}

export function night (due) {
  return due * 2
}
`,
    'src/gate.ts': `export type Side = 'upper' | 'lower'
export function open(side: Side): string {
  return side === 'upper' ? 'fills' : 'empties'
}
`,
    'src/weir.js': 'export const flow = 3\nexport function close () {\n  return flow\n}\n',
    'src/toll.test.js': `import { describe, test, expect } from 'vitest'
import { toll } from './toll.js'
const equal = (a, b) => expect(a).toBe(b)
describe('toll', () => {
  test('of a boat', () => { equal(${toll}) })
  test('of a raft', () => { expect(() => toll(41)).toThrow() })
})
`,
    'test/gate.js':
      "import test from 'node:test'\nimport assert from 'node:assert'\nimport { open } from '../src/gate.ts'\ntest('the upper gate', () => { assert.equal(open('upper'), 'fills') })\n",
  });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  return dir;
}

describe('coverage of a project by its tests', () => {
  test('is told file by file, with what no test loads, and without what is there for tests', () => {
    const { stdout, code } = cli(['coverage', '.', '--lcov', 'lcov.info'], { cwd: project() });
    expect(code).toBe(0);
    expect(stdout.split('\n').map((line) => line.replace(/\s+/g, ' ').trim())).toEqual([
      '100.0 % 3 of 3 src/gate.ts',
      '70.0 % 7 of 10 src/toll.js never: 9–11',
      '0.0 % 0 of 4 src/weir.js never: 1–4',
      '58.8 % 10 of 17 lines of 3 files',
      '',
    ]);
  });

  test('as LCOV has lines, functions and branches of each file', () => {
    const dir = project();
    cli(['coverage', 'src', '--lcov', 'lcov.info'], { cwd: dir });
    const [first] = readFileSync(join(dir, 'lcov.info'), 'utf8')
      .split('end_of_record\n')
      .filter((part) => part.includes('SF:src/toll.js'));
    expect(first).toContain('FN:1,toll\nFN:9,night\nFNDA:2,toll\nFNDA:0,night\nFNF:2\nFNH:1\n');
    expect(first).toContain('BRDA:2,0,0,1\nBRF:1\nBRH:1\n');
    expect(first).toContain(
      'DA:1,2\nDA:2,2\nDA:3,1\nDA:4,1\nDA:5,1\nDA:6,1\nDA:7,2\nDA:9,0\nDA:10,0\nDA:11,0\nLF:10\nLH:7\n',
    );
  });

  test('the tests that reach a line, and only those', () => {
    const dir = project();
    const reaching = (place: string): string => cli(['coverage', '.', '--at', place], { cwd: dir }).stdout;
    expect(reaching('src/toll.js:2')).toMatch(
      /^2 tests reach src\/toll\.js:2\n✓ toll > of a boat {2}src\/toll\.test\.js:5\n✓ toll > of a raft {2}src\/toll\.test\.js:6\n$/,
    );
    expect(reaching('src/toll.js:3')).toMatch(/^1 test reaches src\/toll\.js:3\n✓ toll > of a raft /);
    expect(reaching('src/gate.ts:3')).toMatch(
      /^1 test reaches src\/gate\.ts:3\n✓ the upper gate {2}test\/gate\.js:4\n$/,
    );
    expect(reaching('src/weir.js:3')).toBe('no test reaches src/weir.js:3\n');
  });

  test('a pad that holds its tests is told itself, wherever its folder lies', () => {
    const dir = folder({
      'test/canal/package.json': '{ "type": "module" }',
      'test/canal/toll.js':
        "import test from 'node:test'\nconst toll = (length) => 4 + length\nconst none = () => {\n  return 1\n}\ntest('a', () => { toll(8) })\n",
    });
    const { stdout } = cli(['coverage', '.'], { cwd: join(dir, 'test/canal') });
    expect(stdout).toMatch(/^ 66\.6 % {6}4 of 6 {5}toll\.js {2}never: 4–5\n/);
  });

  test('tests that fail are told, and what cannot be asked says why', () => {
    const failed = cli(['coverage', '.'], { cwd: project('toll(8), 7') });
    expect([failed.code, failed.stdout]).toEqual([
      1,
      expect.stringContaining('1 file of tests failed: src/toll.test.js'),
    ]);
    const none = cli(['coverage', '.'], { cwd: folder({ 'a.js': '1' }) });
    expect([none.code, none.stderr]).toEqual([2, expect.stringContaining('E_NOT_FOUND  There are no tests below .')]);
    const wrong = cli(['coverage', '.', '--at', 'toll.js'], { cwd: folder() });
    expect([wrong.code, wrong.stderr]).toEqual([2, expect.stringContaining('E_OPTION  --at is "toll.js"')]);
    expect(cli(['coverage', 'nowhere'], { cwd: folder() }).stderr).toContain('E_NOT_FOUND');
  });
});
