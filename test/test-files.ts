/** Small test files that together cover the documented behaviour of `node:test`; each runs under the platform's runner and under ours. */
export interface TestFile {
  name: string;
  text: string;
  /** Started with the platform's option that makes `only` count. */
  only?: boolean;
}

const head = `import { test, it, describe, suite, before, after, beforeEach, afterEach } from 'node:test';\nimport assert from 'node:assert';\nconst say = (text) => console.log(text);\nconst later = (ms) => new Promise((resolve) => setTimeout(resolve, ms));\n`;
const file = (name: string, text: string, only = false): TestFile => ({
  name,
  text: head + text,
  ...(only ? { only } : {}),
});

export const TEST_FILES: readonly TestFile[] = [
  file(
    'synchronous tests',
    `test('passes', () => { assert.equal(1, 1); });\ntest('throws', () => { throw new Error('no barge'); });\ntest('asserts', () => { assert.deepEqual([1], [2]); });`,
  ),
  file(
    'asynchronous tests',
    `test('waits', async () => { await later(2); say('waited'); });\ntest('rejects', async () => { await later(1); throw new Error('late'); });\ntest('returns a rejection', () => Promise.reject(new TypeError('no')));\ntest('in order', () => say('third'));`,
  ),
  file(
    'callbacks',
    `test('is called', (t, done) => { setTimeout(done, 2); });\ntest('is called with an error', (t, done) => { setTimeout(() => done(new Error('broken')), 1); });\ntest('with a promise too', async (t, done) => { done(); });`,
  ),
  file(
    'names',
    `test(function rises() {});\ntest(() => {});\ntest('', function named() {});\ntest({ skip: true }, function byOptions() {});\ntest('with options', { timeout: 500 }, () => {});\ntest('nothing to run');\ntest();`,
  ),
  file(
    'skip',
    `test('by option', { skip: true }, () => say('never'));\ntest('with a reason', { skip: 'lock is closed' }, () => say('never'));\ntest.skip('by name', () => say('never'));\nit.skip('it too', () => say('never'));\ndescribe.skip('a suite', () => { it('in it', () => say('never')); });\ntest('from inside', (t) => { t.skip('changed my mind'); say('goes on'); });`,
  ),
  file(
    'todo',
    `test('by option', { todo: true }, () => say('runs'));\ntest('with a reason', { todo: 'needs rain' }, () => { throw new Error('does not count'); });\ntest.todo('by name');\ntest('from inside', (t) => { t.todo('soon'); throw new Error('no'); });\ndescribe.todo('a suite', () => { it('fails in it', () => { throw new Error('no'); }); });`,
  ),
  file(
    'subtests',
    `test('locks', async (t) => {\n  await t.test('Alder', () => say('Alder'));\n  await t.test('Birch', async (t) => {\n    await t.test('upper gate', () => say('upper'));\n    await t.test('lower gate', () => { throw new Error('leaks'); });\n  });\n  say('after both');\n});\ntest('next', () => say('next'));`,
  ),
  file(
    'subtests that nobody waits for',
    `test('parent', (t) => {\n  t.test('begins at once', async () => { say('began'); await later(20); say('never said'); });\n  t.test('waits behind', () => say('not begun'));\n});\ntest('behind', async () => { await later(40); });`,
  ),
  file(
    'a failing subtest does not stop the others',
    `test('parent', async (t) => {\n  await t.test('one', () => { throw new Error('1'); });\n  await t.test('two', () => say('two'));\n  await t.test('three', async () => { await null; throw new Error('3'); });\n});`,
  ),
  file(
    'suites',
    `describe('canal', () => {\n  say('body');\n  it('flows', () => say('flows'));\n  describe('lock', () => { it('fills', () => say('fills')); it('empties', () => { throw new Error('stuck'); }); });\n  it('ends', () => say('ends'));\n});\nsuite('second', () => { test('inside', () => say('inside')); });\nsay('after the bodies');`,
  ),
  file(
    'a suite that waits',
    `describe('slow', async () => { it('before the wait', () => say('1')); await later(3); it('behind the wait', () => say('2')); });\ntest('other', () => say('other'));`,
  ),
  file(
    'a suite whose body throws',
    `describe('broken', () => { it('declared before', () => say('never')); throw new Error('body'); });\ntest('other', () => say('other'));`,
  ),
  file(
    'hooks of a suite',
    `describe('s', () => {\n  before(() => say('before'));\n  after(() => say('after'));\n  beforeEach(() => say('each >'));\n  afterEach(() => say('each <'));\n  it('a', () => say('a'));\n  it('b', async () => { await later(1); say('b'); });\n  it.skip('c', () => say('never'));\n});`,
  ),
  file(
    'hooks of nested suites',
    `describe('outer', () => {\n  before(() => say('outer before'));\n  after(() => say('outer after'));\n  beforeEach(() => say('outer each >'));\n  afterEach(() => say('outer each <'));\n  it('a', () => say('a'));\n  describe('inner', () => {\n    before(() => say('inner before'));\n    after(() => say('inner after'));\n    beforeEach(() => say('inner each >'));\n    afterEach(() => say('inner each <'));\n    it('b', () => say('b'));\n  });\n});`,
  ),
  file(
    'hooks of the file',
    `before(() => say('before all'));\nafter(() => say('after all'));\nbeforeEach(() => say('each >'));\nafterEach(() => say('each <'));\ntest('a', () => say('a'));\ntest('b', () => say('b'));\ndescribe('s', () => { it('c', () => say('c')); });`,
  ),
  file(
    'hooks of a test',
    `test('t', async (t) => {\n  t.before(() => say('before'));\n  t.after(() => say('after'));\n  t.beforeEach(() => say('each >'));\n  t.afterEach(() => say('each <'));\n  await t.test('one', () => say('one'));\n  await t.test('two', () => say('two'));\n  say('end of t');\n});`,
  ),
  file(
    'asynchronous hooks',
    `describe('s', () => {\n  before(async () => { await later(3); say('before'); });\n  beforeEach(async () => { await later(1); say('each >'); });\n  afterEach(async () => { await later(1); say('each <'); });\n  after(async () => { await later(1); say('after'); });\n  it('a', () => say('a'));\n  it('b', () => say('b'));\n});`,
  ),
  file(
    'hooks with callbacks',
    `describe('s', () => {\n  before((s, done) => { setTimeout(() => { say('before'); done(); }, 2); });\n  afterEach((t, done) => { say('each'); done(); });\n  it('a', () => say('a'));\n});`,
  ),
  file(
    'a before hook that throws',
    `describe('s', () => {\n  before(() => { throw new Error('no water'); });\n  after(() => say('after'));\n  it('a', () => say('never'));\n  it('b', () => say('never'));\n});\ntest('other', () => say('other'));`,
  ),
  file(
    'an after hook that throws',
    `describe('s', () => {\n  after(() => { throw new Error('no way out'); });\n  it('a', () => say('a'));\n});\ntest('other', () => say('other'));`,
  ),
  file(
    'each hooks that throw',
    `describe('first', () => { beforeEach(() => { throw new Error('b'); }); afterEach(() => say('after each')); it('a', () => say('never')); });\ndescribe('second', () => { afterEach(() => { throw new Error('a'); }); it('b', () => say('b')); it('c', () => say('c')); });`,
  ),
  file(
    'a hook of a test that throws',
    `test('t', async (t) => { t.after(() => { throw new Error('x'); }); await t.test('inner', () => say('inner')); });\ntest('u', async (t) => { t.beforeEach(() => { throw new Error('y'); }); await t.test('inner', () => say('never')); });`,
  ),
  file(
    'after runs though the test failed',
    `test('t', (t) => { t.after(() => say('cleaned')); throw new Error('x'); });\ndescribe('s', () => { after(() => say('cleaned too')); it('fails', () => { throw new Error('y'); }); });`,
  ),
  file(
    'timeouts',
    `test('too slow', { timeout: 10 }, async () => { await later(300); });\ntest('in time', { timeout: 2_000 }, async () => { await later(1); });\ndescribe('slow suite', { timeout: 20 }, () => { it('a', async () => { await later(300); }); });`,
  ),
  file(
    'concurrency',
    `describe('together', { concurrency: true }, () => {\n  it('slow', async () => { say('slow >'); await later(25); say('slow <'); });\n  it('fast', async () => { say('fast >'); await later(2); say('fast <'); });\n});\ntest('two at a time', { concurrency: 2 }, async (t) => {\n  await Promise.all([1, 2, 3].map((n) => t.test('n' + n, async () => { say(n + ' >'); await later(n * 12); say(n + ' <'); })));\n});`,
  ),
  file(
    'parallel subtests run one after the other by default',
    `test('t', async (t) => { await Promise.all(['a', 'b', 'c'].map((n) => t.test(n, async () => { say(n + ' >'); await later(2); say(n + ' <'); }))); });`,
  ),
  file(
    'two tests of one name',
    `test('lock', () => say('first'));\ntest('lock', () => { throw new Error('second'); });\ndescribe('lock', () => { it('lock', () => say('third')); });`,
  ),
  file(
    'test inside a running test',
    `test('outer', async () => { await test('inner', () => say('inner')); say('outer ends'); });\ntest('behind', () => say('behind'));`,
  ),
  file(
    'describe inside a running test',
    `test('outer', async () => { await describe('suite in it', () => { it('a', () => say('a')); }); });`,
  ),
  file(
    'the context',
    `test('knows', (t) => { say(t.name); say(typeof t.signal.aborted); t.diagnostic('a note'); });\ndescribe('suite', (s) => { say(s.name); it('inner', (t) => say(t.fullName)); });`,
  ),
  file(
    'a plan',
    `test('kept', (t) => { t.plan(2); t.assert.ok(true); t.assert.equal(1, 1); });\ntest('not kept', (t) => { t.plan(2); t.assert.ok(true); });\ntest('with subtests', async (t) => { t.plan(1); await t.test('one', () => {}); });\ntest('by option', { plan: 1 }, (t) => { t.assert.strictEqual(2, 2); });`,
  ),
  file(
    'uncaught errors',
    `test('in a timer', async () => { setTimeout(() => { throw new Error('timer'); }, 2); await later(30); });\ntest('a rejection nobody takes', async () => { Promise.reject(new Error('lost')); await later(20); });\ntest('other', () => say('other'));`,
  ),
  file(
    'a test that never ends',
    `test('first', () => say('first'));\ntest('never', async () => { await new Promise(() => {}); });\ntest('behind', () => say('not begun'));`,
  ),
  file(
    'a subtest that never ends',
    `describe('s', () => { it('never', () => new Promise(() => {})); it('behind', () => {}); });`,
  ),
  file(
    'signals',
    `const stop = new AbortController();\ntest('aborted from outside', { signal: stop.signal }, async () => { setTimeout(() => stop.abort(), 2); await later(200).catch(() => {}); });\ntest('aborted before', { signal: AbortSignal.abort() }, () => say('never'));\ntest('own signal', async (t) => { t.signal.addEventListener('abort', () => say('own signal ends')); });`,
  ),
  file(
    'declared late',
    `await later(3);\ntest('after a wait', () => say('a'));\nawait later(3);\ntest('after another', () => say('b'));`,
  ),
  file(
    'waiting for a test at the top level',
    `await test('a', async () => { await later(2); say('a'); });\nsay('between');\nawait test('b', () => say('b'));\nsay('end');`,
  ),
  file(
    'mocks',
    `test('counts calls', (t) => { const open = t.mock.fn((n) => n + 1); assert.equal(open(2), 3); assert.equal(open.mock.callCount(), 1); });\ntest('is put back', (t) => { const lock = { fill: () => 'water' }; t.mock.method(lock, 'fill', () => 'nothing'); assert.equal(lock.fill(), 'nothing'); });`,
  ),
  file(
    'values thrown that are no errors',
    `test('a string', () => { throw 'aground'; });\ntest('nothing', () => { throw undefined; });\ntest('null', async () => { throw null; });`,
  ),
  file(
    'only at the top',
    `test('a', () => say('never'));\ntest('b', { only: true }, async (t) => { say('b'); await t.test('inner', () => say('inner')); });\ntest.only('c', () => say('c'));\ntest('d', () => say('never'));`,
    true,
  ),
  file(
    'only among subtests',
    `test.only('t', async (t) => {\n  await t.test('a', () => say('a'));\n  t.runOnly(true);\n  await t.test('b', () => say('never'));\n  await t.test('c', { only: true }, () => say('c'));\n  t.runOnly(false);\n  await t.test('d', () => say('d'));\n});`,
    true,
  ),
  file('no tests', `say('nothing to test');`),
];
