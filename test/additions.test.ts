/** What a project adds by its configuration: marks, views, and the way in which its processes are started. */
import { cpSync, existsSync, mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { additionsFor } from '#dist/hosts/node/project/additions.js';
import { startServer } from '#dist/server/server.js';
import { launch } from './browser.js';
import { cli, folder, root } from './harness.js';

function project(files: Record<string, string> = {}): string {
  const dir = folder();
  cpSync(join(root, 'examples/additions'), dir, { recursive: true });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'));
  for (const [name, text] of Object.entries(files)) writeFileSync(join(dir, name), text);
  return dir;
}

const configure = (kinds: object): string => JSON.stringify({ format: 'usher-anvil/config@1', ...kinds });

test('a mark tells by its own words, a process is started in its own way, and it is said what executes', () => {
  const dir = project();
  const { code, stdout, stderr } = cli(['run', 'night-locks.ts', '--width', '200'], { cwd: dir });
  expect(code).toBe(0);
  expect(stdout).toMatch(/\d a second/);
  expect(stdout).toContain('night 1 6');
  expect(stderr).toBe(
    'Of this project: the mark pace: (./pace.mjs), a view of the reach of locks (./reach.mjs), processes by the night shift (./night.mjs).\n',
  );
  // Other pads are started as everywhere.
  writeFileSync(join(dir, 'day.ts'), '// By day.\nconsole.log(process.env.CANAL_SHIFT)\n');
  expect(cli(['run', 'day.ts'], { cwd: dir }).stdout).toContain('undefined');
  // In a careful run nothing of the project is executed.
  const careful = cli(['run', '--careful', 'night-locks.ts', '--width', '200'], { cwd: dir });
  expect(careful.stdout).toContain('undefined');
  expect(careful.stdout).toContain('There is no mark "pace:"');
});

test('what is no plugin, or takes a name that is taken, is said with where it stands', () => {
  const run = (kinds: object, files: Record<string, string> = {}): string =>
    cli(['run', 'pad.js'], {
      cwd: project({ 'pad.js': 'let level = 1\n', ...files, 'usher-anvil.config.json': configure(kinds) }),
    }).stderr;
  const verb = "name: 'time', expression: 'none', reports: 'time', about: 'x'";
  expect(run({ verbs: ['./time.mjs'] }, { 'time.mjs': `export default { ${verb} }` })).toContain(
    './time.mjs is none of the verbs: name there is such a mark already',
  );
  expect(run({ views: ['./reach.mjs'] }, { 'reach.mjs': "export default { name: 'x' }" })).toContain(
    'of a function is wanted',
  );
  expect(run({ views: ['./gone.mjs'] })).toContain('./gone.mjs');
  expect(run({ panels: [] })).toContain('panels');
  const wrongHost = run({ hosts: ['./host.mjs'] }, { 'host.mjs': "export default { name: 'x', command: () => 1 }" });
  expect(wrongHost).toMatch(/E_OPTION .*The host "x" of this project gives no command/);
  const goneHost = cli(['run', 'pad.js'], {
    cwd: project({
      'pad.js': 'let level = 1\n',
      'usher-anvil.config.json': configure({ hosts: ['./host.mjs'] }),
      'host.mjs': "export default { name: 'x', command: (asked) => ({ ...asked, command: '/nowhere/node' }) }",
    }),
  });
  expect(goneHost.code).toBe(1);
  expect(goneHost.stdout + goneHost.stderr).toMatch(/nowhere|ENOENT|ended/);
});

test('what somebody else has written is not executed', () => {
  const dir = project({ 'pad.js': 'let level = 1\n' });
  writeFileSync(join(dir, 'pace.mjs'), 'globalThis.REACHED = 1\nexport default {}\n');
  const { getuid } = process;
  try {
    process.getuid = () => (getuid?.() ?? 0) + 1_234;
    const { verbs, wrong } = additionsFor(dir);
    expect(verbs).toEqual([]);
    expect(wrong).toMatch(/usher-anvil\.config\.json belongs to somebody else, and is not executed\./);
    expect('REACHED' in globalThis).toBe(false);
  } finally {
    if (getuid) process.getuid = getuid;
    else delete process.getuid;
  }
});

test('a view of its own stands before those that everybody has; one that fails says so', async () => {
  const dir = project({
    'tides.mjs': "export default { name: 'tides', of(data) { if (data?.tides) throw new Error('no moon') } }",
    'usher-anvil.config.json': configure({ views: ['./reach.mjs', './tides.mjs'] }),
    'pad.ts':
      "import { show } from 'usher-anvil/pad'\nshow([{ name: 'Alder', at: 1, lift: 2 }, { name: 'Brook', at: 3, lift: 1 }])\nshow({ tides: 2 })\n",
  });
  const server = await startServer({
    ownPads: true,
    root: dir,
    pad: join(dir, 'pad.ts'),
    state: folder(),
    types: false,
    port: 0,
  });
  const browser = await launch();
  try {
    const page = await browser.newPage();
    await page.goto(server.url);
    await page.getByText('Of this project: a view of the reach of locks (./reach.mjs)').waitFor();
    const cards = page.locator('.shown-card');
    await cards.nth(0).getByRole('button', { name: 'Drawing' }).waitFor();
    await cards.nth(0).locator('svg').first().waitFor();
    await cards.nth(1).getByText('The view of tides failed: no moon').waitFor();
  } finally {
    await browser.close();
    await server.close();
  }
});

test('a folder that is merely opened executes nothing of its own until a person says so, once', async () => {
  const dir = folder({
    'toll.js': 'const toll = 8 //~ deep: it * 2\n',
    'usher-anvil.config.json': configure({ verbs: ['./deep.mjs'] }),
    'deep.mjs': `import { writeFileSync } from 'node:fs'
writeFileSync(new URL('executed', import.meta.url), '')
export default { name: 'deep', expression: 'required', reports: 'value', about: 'how deep it is' }
`,
  });
  const state = folder();
  const browser = await launch();
  const open = async (named?: string) => {
    const pad = named === undefined ? {} : { pad: join(dir, named) };
    const server = await startServer({ root: dir, state, types: false, ...pad });
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(20_000);
    await page.goto(server.url);
    await page.locator('.cm-line').first().waitFor();
    return { page, close: () => server.close() };
  };
  try {
    const first = await open();
    await first.page.getByText(/This project brings code for the workbench itself: \.\/deep\.mjs/).waitFor();
    await first.page.getByRole('button', { name: 'Execute it' }).last().waitFor();
    expect(existsSync(join(dir, 'executed'))).toBe(false);
    await first.page.getByRole('button', { name: 'Not now' }).click();
    await first.close();
    const second = await open();
    await second.page.getByText(/This project brings code/).waitFor();
    expect(existsSync(join(dir, 'executed'))).toBe(false);
    await second.page.locator('.notice', { hasText: 'This project brings' }).getByRole('button').first().click();
    await second.page.getByText('Of this project: the mark deep: (./deep.mjs).').waitFor();
    expect(existsSync(join(dir, 'executed'))).toBe(true);
    await second.close();
    // What was said is remembered.
    const third = await open();
    await third.page.getByText('Of this project: the mark deep: (./deep.mjs).').waitFor();
    await third.close();
  } finally {
    await browser.close();
  }
});

test('a language that cannot be loaded is no reason to say nothing of it', () => {
  const dir = folder({
    'toll.reach': 'length 12\n',
    'usher-anvil.config.json': configure({ languages: ['./reach.mjs'] }),
    'reach.mjs': "throw new Error('the reaches are dry')",
  });
  const { code, stderr } = cli(['run', 'toll.reach'], { cwd: dir });
  expect(code).toBe(2);
  expect(stderr).toMatch(/E_NOT_A_PAD .*what its project adds cannot be loaded.*the reaches are dry/);
});

test('a pad that is named has what its project adds; a plugin may need a package that is there as modules alone', () => {
  const dir = folder({
    'toll.reach': 'length 12\n',
    'usher-anvil.config.json': configure({ languages: ['./reach.mjs'] }),
    'reach.mjs': `import { words } from 'words-alone'
export default {
  name: 'reaches', extensions: ['.reach'], comment: '#',
  toJavaScript(text) { const [name, value] = words(text); return { code: 'const ' + name + ' = ' + value + '\\nconsole.log(' + name + ')', map: { version: 3, sources: ['toll.reach'], names: [], mappings: 'AAAA;AAAA' } } },
}
`,
  });
  mkdirSync(join(dir, 'node_modules/words-alone'), { recursive: true });
  const manifest = { name: 'words-alone', version: '1.0.0', type: 'module', exports: { import: './main.js' } };
  writeFileSync(join(dir, 'node_modules/words-alone/package.json'), JSON.stringify(manifest));
  writeFileSync(
    join(dir, 'node_modules/words-alone/main.js'),
    "const here = new URL('.', import.meta.url)\nexport const words = (text) => here ? text.trim().split(' ') : []\n",
  );
  const { code, stdout, stderr } = cli(['run', 'toll.reach', '--width', '200'], { cwd: dir });
  expect({ code, stderr }).toEqual({ code: 0, stderr: 'Of this project: reaches (./reach.mjs).\n' });
  expect(stdout).toMatch(/Console 1\n.*12/);
});
