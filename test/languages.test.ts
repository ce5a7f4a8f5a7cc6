/** Languages of a project: pads in them have values, errors, tests and marks at the lines as written. */
import { cpSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, type Session } from 'usher-anvil';
import { startServer } from '#dist/server/server.js';
import { linesView } from '#dist/views/margin.js';
import { launch } from './browser.js';
import { cli, folder, root } from './harness.js';

function project(files: Record<string, string> = {}): string {
  const dir = folder();
  cpSync(join(root, 'examples/languages'), dir, { recursive: true });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  for (const [name, text] of Object.entries(files)) writeFileSync(join(dir, name), text);
  return dir;
}

const sessions: Session[] = [];
afterEach(async () => {
  for (const session of sessions.splice(0)) await session.close();
});

async function run(dir: string, name: string) {
  const session = createSession({ file: join(dir, name), timeLimitMs: 20_000 });
  sessions.push(session);
  session.execute();
  const record = await session.settled();
  const lines = linesView(record, join(dir, name));
  const values = (line: number): string => (lines.get(line - 1)?.items ?? []).map(({ text }) => text).join(' | ');
  return { session, record, values, lines };
}

test('values, tests and failures of toll rules stand at their lines, and a line that is no rule is said there', async () => {
  const dir = project();
  const { record, values, session } = await run(dir, 'night.tolls');
  expect(values(2)).toContain('3');
  expect(values(10)).toBe('368');
  expect(record.tests.map(({ name, state, line }) => [name, state, line])).toEqual([
    ['the toll of Heron', 'passed', 11],
    ['the toll of Otter', 'failed', 12],
  ]);
  expect(record.tests[1]!.error!.range!.start.line).toBe(12);
  session.edit(join(dir, 'night.tolls'), 'rate slate is 3\n\nwhat is this\n');
  const wrong = await session.settled();
  expect(wrong.outcome).toBe('syntax');
  expect(wrong.errors[0]).toMatchObject({ message: expect.stringContaining('"what is this" is no rule') });
  expect(wrong.errors[0]!.range.start).toEqual({ line: 2, character: 0 });
});

test('CoffeeScript: values of functions, frames of errors and marks as written; functions show what executes', async () => {
  const dir = project({
    'deep.coffee': `deepest = (depths) ->
  throw new Error 'dry' if depths.length is 0
  Math.max depths...
found = deepest [2, 5, 3]
half = found / 2 #~ found * 10
console.log deepest.toString().split('\\n')[0]
deepest []
`,
  });
  const { record, values } = await run(dir, 'deep.coffee');
  expect(values(4)).toContain('5');
  expect(values(5)).toContain('50');
  expect(record.console.map(({ text, range }) => [text, range?.start.line])).toEqual([['function(depths) {', 5]]);
  const [error] = record.errors;
  expect(error!.message).toBe('dry');
  expect(error!.frames.filter(({ local }) => local).map(({ range }) => range.start.line)).toEqual([1, 6]);
});

test('a pad of JavaScript imports a file in such a language, and the other way round', async () => {
  const dir = project({
    'all.js': "import { toll } from './rates.coffee'\nconst paid = toll(4)\n",
    'rates.coffee': "import { rate } from './rate.js'\nexport toll = (tonnes) -> rate * tonnes\n",
    'rate.js': 'export const rate = 3\n',
  });
  const { values, session } = await run(dir, 'all.js');
  expect(values(2)).toContain('12');
  session.edit(
    join(dir, 'rates.coffee'),
    "import { rate } from './rate.js'\nexport toll = (tonnes) -> rate * tonnes + 1\n",
  );
  expect((await session.settled()).samples.number).toContain(13);
});

test('the command line lists, walks and refuses; a configuration that cannot be read says so', () => {
  const dir = project();
  const listed = cli(['run', 'lock.coffee'], { cwd: dir });
  expect(listed.stdout).toMatch(/rate = rates\[kind\] \? 1 │ 2 · 3 · 1/);
  const walked = cli(['walk', 'night.tolls', '--format', 'text'], { cwd: dir, input: 'quit\n' });
  expect(walked.stdout).toMatch(/night\.tolls/);
  const live = cli(['live', 'night.tolls'], { cwd: dir });
  expect(live.stderr).toMatch(/E_NOT_A_PAD .*written in toll rules/);
  writeFileSync(join(dir, 'usher-anvil.config.json'), '{"format":"usher-anvil/config@1","plugins":[]}');
  expect(cli(['run', 'night.tolls'], { cwd: dir }).code).toBe(2);
  writeFileSync(
    join(dir, 'usher-anvil.config.json'),
    '{"format":"usher-anvil/config@1","languages":["./lock.coffee"]}',
  );
  expect(cli(['run', 'night.tolls'], { cwd: dir }).stderr).toMatch(/E_NOT_A_PAD/);
});

test('in the window: what executes here is said, words stand out, and an edit tells its values', async () => {
  const dir = project();
  const server = await startServer({
    ownPads: true,
    root: dir,
    pad: join(dir, 'night.tolls'),
    state: folder(),
    types: false,
  });
  const browser = await launch();
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(20_000);
    await page.goto(server.url);
    await page.getByText(/Of this project: toll rules \(\.\/toll-rules\.mjs\)/).waitFor();
    const line = page.locator('.cm-line', { hasText: 'rate lime is' });
    await page.locator('.cm-line', { hasText: 'show Otter' }).locator('.margin').filter({ hasText: '368' }).waitFor();
    expect(await line.locator('span').count()).toBeGreaterThan(2);
    await line.click();
    await page.keyboard.press('End');
    await page.keyboard.type('0');
    await page.locator('.cm-line', { hasText: 'show Otter' }).locator('.margin').filter({ hasText: '530' }).waitFor();
  } finally {
    await browser.close();
    await server.close();
  }
});
