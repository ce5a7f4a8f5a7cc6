/** Names that test frameworks give as globals, and that declare tests or suites. */
export const TEST_GLOBALS: ReadonlySet<string> = new Set([
  ...['test', 'it', 'describe', 'suite', 'context', 'specify'],
  ...['fit', 'xit', 'xtest', 'fdescribe', 'xdescribe', 'xcontext', 'xspecify'],
]);

/** What else they give: what it returns says nothing about a program. */
export const TEST_TOOLS: ReadonlySet<string> = new Set([
  ...['before', 'after', 'beforeEach', 'afterEach', 'beforeAll', 'afterAll', 'setup', 'teardown'],
  ...['suiteSetup', 'suiteTeardown', 'jest', 'vi', 'vitest', 'expect'],
]);
