/** The ledger: its office with the panel of its database, and the query's workbench with a database server where there is one. */
import { join } from 'node:path';
import { targets } from '#dist/server/targets.js';
import { cli, eventually, folder, root, start } from './harness.js';

const ends: (() => unknown)[] = [];
afterEach(async () => {
  for (const end of ends.splice(0).reverse()) await end();
});

test('queries of the office stand among the pieces of a request, and change nothing when they are asked for', async () => {
  const at = join(folder(), 'targets');
  const env = { USHER_ANVIL_TARGETS: at, XDG_STATE_HOME: folder(), NO_COLOR: '1' };
  const cwd = join(root, 'examples/ledger');
  const live = start(['live', 'office.mjs', '--name', 'office'], { cwd, env });
  ends.push(() => live.end());
  await eventually(() => targets(at).length > 0 && /http:\S+charges/.test(live.text));
  const entries = (...args: string[]) => cli(['entries', ...args], { cwd, env }).stdout;
  expect(entries()).toContain('GET /charges/:lock');
  const shown = entries('--show', 'GET /charges/:lock', '--url', '/charges/Alder');
  expect(shown).toContain('── query  select barge, pence from charges where lock = ? -- ["Alder"]');
  expect(shown).toContain('[[{"barge":"Heron","pence":850},{"barge":"Otter","pence":1050}]]');
  expect(shown).toContain('"total":1900');
  const raised = entries('--show', 'POST /charges/:lock', '--url', '/charges/Dun', '--ask');
  expect(raised).toMatch(
    /── query {2}update charges set pence = round\(pence \* \?\) where lock = \? -- \[1\.1,"Dun"\]/,
  );
  expect(raised).toContain('1 changed');
});

/** What a run of the query's workbench comes to. */
function run(...args: string[]): string {
  const { stdout } = cli(['run', 'query.ts', ...args], {
    cwd: join(root, 'examples/ledger'),
    env: { NO_COLOR: '1', WENLOW_DATABASE: process.env.LEDGER_TEST ?? '' },
  });
  return stdout;
}

test('a query is there as text and parsed, and is sent when its gate is opened', () => {
  const closed = run();
  expect(closed).toContain('select barge, pence from charges where lock = $1 and pence >= $2 order by pence');
  expect(closed).toContain('ask the database');
  expect(closed).not.toContain('Otter');
  const opened = run('--open', 'ask the database');
  expect(opened).toMatch(/Heron/);
  expect(opened).toMatch(/Otter/);
  expect(opened).toContain('a database in this process');
});

test('with a database server, where the system has one', async () => {
  const { startPostgres } = (await import(join(root, 'examples/ledger/postgres.mjs'))) as {
    startPostgres(): Promise<{ url?: string; why?: string; close?: () => void }>;
  };
  const server = await startPostgres();
  if (server.url === undefined) {
    // A clear sentence where it is not.
    expect(server.why).toMatch(/^PostgreSQL (?:is not installed here|does not (?:begin|run))/);
    return;
  }
  ends.push(server.close!);
  process.env.LEDGER_TEST = server.url;
  try {
    const opened = run('--open', 'ask the database');
    expect(opened).toMatch(/Heron/);
    expect(opened).toContain(`PostgreSQL at 127.0.0.1:`);
  } finally {
    delete process.env.LEDGER_TEST;
  }
});
