import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, type PadRecord, type TestResult } from 'usher-anvil';
import { folder } from './harness.js';
import { TEST_FILES } from './test-files.js';

/** The platform's runner tells its results to this reporter, one JSON text a line. */
const REPORTER = `export default async function* (source) {
  for await (const { type, data } of source)
    if (type === 'test:pass' || type === 'test:fail')
      yield JSON.stringify({ nesting: data.nesting, name: data.name, ok: type === 'test:pass', skip: data.skip, todo: data.todo, line: data.line }) + '\\n';
}`;

/** `  not ok name # skip reason`, children before their parent as the platform reports them. */
function outcome(nesting: number, name: string, ok: boolean, directive: string): string {
  return `${'  '.repeat(nesting)}${ok ? 'ok' : 'not ok'} ${name}${directive}`;
}

/** Why a test is left out where others are marked with `only`: the one text that is our own. */
const ONLY = 'another test is marked with only';

const NODE = Number(process.versions.node.split('.')[0]);

const directiveOf = (what: string, reason: unknown): string =>
  reason === undefined ? '' : ` # ${what}${typeof reason === 'string' && reason !== '' ? ` ${reason}` : ''}`;

function platform(dir: string, path: string, only: boolean): { results: string[]; printed: string[] } {
  const out = join(dir, 'results.jsonl');
  writeFileSync(out, '');
  const { stdout, stderr } = spawnSync(
    process.execPath,
    [
      ...(only ? ['--test-only'] : []),
      `--test-reporter=${join(dir, 'reporter.mjs')}`,
      `--test-reporter-destination=${out}`,
      path,
    ],
    { cwd: dir, encoding: 'utf8', env: { ...process.env, NODE_OPTIONS: '', NODE_TEST_CONTEXT: undefined } },
  );
  if (stderr.includes('SyntaxError')) throw new Error(stderr);
  const results = readFileSync(out, 'utf8')
    .split('\n')
    .filter(Boolean)
    .map(
      (line) =>
        JSON.parse(line) as {
          nesting: number;
          name: string;
          ok: boolean;
          skip?: unknown;
          todo?: unknown;
          line: number;
        },
    )
    .map((one) =>
      outcome(
        one.nesting,
        one.name,
        one.ok,
        directiveOf(
          'skip',
          typeof one.skip === 'string' ? one.skip.replace("'only' option not set", ONLY) : one.skip,
        ) || directiveOf('todo', one.todo),
      ),
    );
  return { results, printed: stdout.split('\n').filter(Boolean) };
}

function ours(record: PadRecord): { results: string[]; printed: string[] } {
  const results: string[] = [];
  const visit = (parent: number, nesting: number): void => {
    const children = record.tests.filter((test) => test.parent === parent).sort((a, b) => a.id - b.id);
    for (const test of children) {
      visit(test.id, nesting + 1);
      results.push(outcome(nesting, test.name, test.passed, directive(test)));
    }
  };
  const directive = (test: TestResult): string =>
    test.state === 'skipped'
      ? directiveOf('skip', test.reason ?? true)
      : test.state === 'todo'
        ? directiveOf('todo', test.reason ?? true)
        : '';
  visit(-1, 0);
  return { results, printed: record.console.map((entry) => entry.text) };
}

describe('files of tests give what the platform gives', () => {
  const dir = folder({ 'reporter.mjs': REPORTER });
  const file = join(dir, 'canal.mjs');
  let session: ReturnType<typeof createSession> | undefined;
  afterAll(() => session?.close());

  // From Node 24 on the platform waits for ever for what never ends, and gives nothing to compare with.
  const compared = TEST_FILES.filter(({ name }) => NODE < 24 || !name.endsWith('never ends'));
  test.each(compared.map((one) => [one.name, one] as const))('%s', async (_name, { text, only }) => {
    writeFileSync(file, text);
    const expected = platform(dir, file, only === true);
    session ??= createSession({ file, text });
    session.edit(file, text);
    const found = ours(await session.settled());
    // Newer platforms say nothing of tests that are left out for others; here they stand beside their lines.
    if (NODE >= 22) found.results = found.results.filter((one) => !one.endsWith(`# skip ${ONLY}`));
    expect({ text, ...found }).toEqual({ text, ...expected });
  });

  test('there are enough of them', () => {
    expect(TEST_FILES.length).toBeGreaterThanOrEqual(30);
  });
});
