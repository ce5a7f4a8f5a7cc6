/** Test files as people write them for the common frameworks, and what the frameworks themselves make of them. */
import { spawnSync } from 'node:child_process';
import { readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { folder, root } from './harness.js';

export type FrameworkName = 'jest' | 'vitest' | 'mocha' | 'jasmine';

/** `[full name, outcome, first line of what it says]` */
export type Row = [string, string, string];

const TOLL = `
  if (length > 40) throw new Error('no lock is so long')
  const base = 4
  return base + length * 0.25
}
`;
const MODULE = `export function toll (length) {${TOLL}`;
const SCRIPT = `function toll (length) {${TOLL}module.exports = { toll }\n`;

/** The body for frameworks with `expect` and what stands for functions and timers. */
const body = (tools: string, callbacks: boolean): string => `
const seen = []
beforeAll(() => { seen.push('all') })
beforeEach(() => { seen.push('each') })
afterEach(() => { seen.pop() })

describe('toll', () => {
  let due
  beforeEach(() => { due = toll(8) })
  test('of a boat', () => { expect(due).toBe(6) })
  test('hooks', () => { expect(seen).toEqual(['all', 'each']) })
  it('that is wrong', () => {
    expect({ due, of: { length: 8 } }).toEqual({ due: 7, of: { length: 8 } })
  })
  it.each([[4, 5], [8, 6], [12, 8]])('of %i is %i', (length, wanted) => {
    expect(toll(length)).toBe(wanted)
  })
  test.each\`
    length | wanted
    \${4}   | \${5}
    \${8}   | \${6}
  \`('of $length is $wanted', ({ length, wanted }) => { expect(toll(length)).toBe(wanted) })
  describe.each(['barge', 'punt'])('of a %s', (kind) => {
    it('is kept', () => { expect(kind).toMatch(/^[bp]/) })
  })
  test.skip('left', () => { throw new Error('never') })
  test.todo('of rafts')
  describe.skip('closed', () => { it('never runs', () => { throw new Error('never') }) })
  it('waits', async () => {
    const ask = ${tools}.fn().mockResolvedValue(3)
    expect(await ask(1)).toBe(3)
    expect(ask).toHaveBeenCalledWith(1)
  })
  it('is rejected', async () => { await expect(Promise.reject(new Error('full'))).rejects.toThrow('full') })
  it('throws', () => { expect(() => toll(41)).toThrow('so long') })
  it('throws by itself', () => { toll(50) })
  it('spies', () => {
    const office = { ask: () => 1 }
    ${tools}.spyOn(office, 'ask').mockReturnValue(7)
    expect(office.ask()).toBe(7)
  })
  it('asks for more', () => { expect.assertions(2); expect(1).toBe(1) })
  it('keeps', () => { expect({ due }).toMatchInlineSnapshot(\`
    {
      "due": 6,
    }
  \`) })
  it('keeps in a file', () => { expect({ due }).toMatchSnapshot() })
  it('has time', () => {
    ${tools}.useFakeTimers()
    const done = ${tools}.fn()
    setTimeout(done, 60_000)
    ${tools}.advanceTimersByTime(60_000)
    ${tools}.useRealTimers()
    expect(done).toHaveBeenCalledTimes(1)
  })
${callbacks ? "  it('calls back', (done) => { setTimeout(() => { expect(due).toBe(6); done() }, 2) })\n" : ''}  it('lasts too long', () => new Promise(() => {}), 40)
})
`;

const ONLY = `
describe('some', () => {
  it.only('one', () => { expect(1).toBe(1) })
  it('other', () => { expect(1).toBe(2) })
})
it('outside', () => {})
`;

const HOOKS = `
describe('breaks before', () => {
  beforeAll(() => { throw new Error('no water') })
  it('a', () => {})
  it('b', () => {})
})
describe('breaks before each', () => {
  beforeEach(() => { throw new Error('no gate') })
  it('c', () => {})
})
it('goes on', () => {})
`;

const MOCHA = `
describe('toll', function () {
  this.timeout(200)
  let due
  before(() => { due = toll(8) })
  it('of a boat', () => { assert.equal(due, 6) })
  it('that is wrong', () => { assert.deepEqual({ due }, { due: 7 }) })
  it('to do')
  it.skip('left', () => {})
  it('leaves itself', function () { this.skip() })
  it('calls back', (done) => { setTimeout(done, 2) })
  it('calls back with an error', (done) => { done(new Error('full')) })
  it('lasts too long', function (done) { this.timeout(30) })
  context('in summer', () => {
    beforeEach(() => { due++ })
    specify('grows', () => { assert.equal(due, 7) })
    it('throws', () => { toll(41) })
  })
  describe('breaks', () => {
    before(() => { throw new Error('no water') })
    it('never runs', () => {})
  })
  it('throws later', (done) => { setTimeout(() => { throw new Error('late') }, 2) })
})
`;

const JASMINE = `
describe('toll', () => {
  let due
  beforeEach(() => { due = toll(8) })
  it('of a boat', () => { expect(due).toBe(6) })
  it('that is wrong', () => { expect({ due }).toEqual({ due: 7 }) })
  xit('left', () => {})
  it('waits', async () => { await null; expect(due).toBeGreaterThan(5) })
  it('spies', () => {
    const ask = jasmine.createSpy('ask').and.returnValue(3)
    expect(ask()).toBe(3)
  })
  it('throws', () => { toll(41) })
})
`;

export interface Case {
  framework: FrameworkName;
  what: string;
  file: string;
  files: Record<string, string>;
}

const required = "const { toll } = require('./toll')\n";
const importing = (names: string, from: string): string =>
  `import { ${names} } from '${from}'\nimport { toll } from './toll.js'\n`;
const NAMES = 'afterEach, beforeAll, beforeEach, describe, expect, it, test';

export const CASES: Case[] = [
  {
    framework: 'jest',
    what: 'globals, CommonJS',
    file: 'toll.test.js',
    files: { 'toll.js': SCRIPT, 'toll.test.js': required + body('jest', true) },
  },
  {
    framework: 'jest',
    what: 'imports of @jest/globals, and `only`',
    file: 'only.test.js',
    files: { 'only.test.js': `const { describe, it, expect } = require('@jest/globals')\n${ONLY}` },
  },
  { framework: 'jest', what: 'hooks that throw', file: 'hooks.test.js', files: { 'hooks.test.js': HOOKS } },
  {
    framework: 'vitest',
    what: 'imports',
    file: 'toll.test.js',
    files: { 'toll.js': MODULE, 'toll.test.js': importing(`${NAMES}, vi`, 'vitest') + body('vi', false) },
  },
  {
    framework: 'vitest',
    what: 'TypeScript, and `only`',
    file: 'only.test.ts',
    files: { 'only.test.ts': `import { describe, it, expect } from 'vitest'\nconst one: number = 1\n${ONLY}` },
  },
  {
    framework: 'vitest',
    what: 'hooks that throw',
    file: 'hooks.test.js',
    files: { 'hooks.test.js': `import { beforeAll, beforeEach, describe, it } from 'vitest'\n${HOOKS}` },
  },
  {
    framework: 'mocha',
    what: 'globals, CommonJS',
    file: 'toll.test.js',
    files: { 'toll.js': SCRIPT, 'toll.test.js': `const assert = require('assert')\n${required}${MOCHA}` },
  },
  {
    framework: 'jasmine',
    what: 'globals, CommonJS',
    file: 'toll.spec.js',
    files: { 'toll.js': SCRIPT, 'toll.spec.js': required + JASMINE },
  },
];

/** A folder that holds a case, with the packages of this repository. */
export function projectOf({ framework, files }: Case): string {
  const dir = folder({
    'package.json': JSON.stringify({
      name: 'tolls',
      private: true,
      type: framework === 'vitest' ? 'module' : 'commonjs',
      scripts: { test: framework },
    }),
    ...files,
  });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  return dir;
}

export const firstLine = (text = ''): string =>
  text
    .replace(/\u001b\[[\d;]*m/g, '')
    .split('\n')[0]!
    .replace(/^(?:(?:[A-Z]\w*)?Error(?: \[\w+\])?: )?(?:thrown: ")?/, '')
    .trim();

interface Reported {
  testResults: {
    name: string;
    assertionResults: { ancestorTitles: string[]; title: string; status: string; failureMessages: string[] }[];
  }[];
}

const MOCHA_REPORTER = `module.exports = function (runner) {
  const list = []
  const path = (one) => { const names = []; for (let at = one; at && !at.root; at = at.parent) names.unshift(at.title); return names.join(' > ') }
  runner.on('pass', (one) => list.push([path(one), 'passed', '']))
  runner.on('pending', (one) => list.push([path(one), 'skipped', '']))
  runner.on('fail', (one, error) => list.push([path(one), 'failed', error.message]))
  runner.on('end', () => console.log('RESULTS' + JSON.stringify(list)))
}`;

const JASMINE_RUN = `const { jasmine, ...given } = require('jasmine-core').noGlobals()
Object.assign(globalThis, given, { jasmine })
const names = [], list = []
const env = jasmine.getEnv()
env.configure({ random: false })
env.addReporter({ suiteStarted (r) { names.push(r.description) }, suiteDone () { names.pop() },
  specDone (r) { list.push([[...names, r.description].join(' > '), { passed: 'passed', failed: 'failed' }[r.status] || 'skipped', (r.failedExpectations[0] || {}).message || '']) } })
require(process.argv[2])
env.execute().then(() => console.log('RESULTS' + JSON.stringify(list)))`;

/** What the framework itself says, in a process of its own. */
export function theirs({ framework, file }: Case, dir: string): Row[] {
  const bin = (name: string, path: string): string =>
    join(dirname(createRequire(import.meta.url).resolve(`${name}/package.json`)), path);
  const ran = (args: string[]): string => {
    const { stdout, stderr } = spawnSync(process.execPath, args, {
      cwd: dir,
      encoding: 'utf8',
      env: { ...process.env, NO_COLOR: '1', FORCE_COLOR: '0', NODE_OPTIONS: '', CI: '', JEST_WORKER_ID: undefined },
    });
    if (!/[[{]/.test(stdout)) throw new Error(stderr);
    return stdout;
  };
  const listed = (text: string): Row[] =>
    (JSON.parse(text.slice(text.lastIndexOf('RESULTS') + 7).split('\n')[0]!) as Row[]).map(([name, how, message]) => [
      name,
      how,
      firstLine(message),
    ]);
  const STATES: Record<string, string> = { pending: 'skipped' };
  const reported = (text: string): Row[] =>
    (JSON.parse(text.slice(text.indexOf('{'))) as Reported).testResults.flatMap(({ assertionResults }) =>
      assertionResults.map(({ ancestorTitles, title, status, failureMessages }): Row => [
        [...ancestorTitles, title].join(' > '),
        STATES[status] ?? status,
        firstLine(failureMessages[0]),
      ]),
    );
  switch (framework) {
    case 'jest':
      return reported(ran([bin('jest', 'bin/jest.js'), '--rootDir', dir, '--json', '--runTestsByPath', file]));
    case 'vitest':
      return reported(ran([bin('vitest', 'vitest.mjs'), 'run', '--root', dir, '--reporter=json', file]));
    case 'mocha':
      writeFileSync(join(dir, 'reporter.cjs'), MOCHA_REPORTER);
      return listed(ran([bin('mocha', 'bin/mocha.js'), '--reporter', join(dir, 'reporter.cjs'), file]));
    case 'jasmine':
      writeFileSync(join(dir, 'run.cjs'), JASMINE_RUN);
      return listed(ran([join(dir, 'run.cjs'), join(dir, file)]));
  }
}

/** Lines of a case's file, by the text that stands in them. */
export function lineOf(dir: string, file: string, text: string): number {
  return readFileSync(join(dir, file), 'utf8')
    .split('\n')
    .findIndex((line) => line.includes(text));
}
