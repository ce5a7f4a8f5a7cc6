/** Projects in a bad state: within moments the file, the cause and what to do next, and the rest works. */
import { mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { cli, eventually, folder, start } from './harness.js';

const PAD = 'const depth: number = 4\ndepth\n';

test.each([
  [
    'is no JSON',
    '{\n  "compilerOptions": { "target": "es2022" \n',
    /tsconfig\.json line \d+: '}' expected\. That part of it is left out/,
  ],
  [
    'builds on one that is gone',
    '{ "extends": "./gone.json" }',
    /tsconfig\.json .*gone\.json.* That part of it is left out/,
  ],
  [
    'asks for what there is not',
    '{ "compilerOptions": { "jsx": "lock" } }',
    /tsconfig\.json .*--jsx.* That part of it is left out/,
  ],
])('a tsconfig.json that %s is named, and the pad runs', (_what, config, said) => {
  const dir = folder({ 'tsconfig.json': config, 'pad.ts': PAD });
  const { stdout, code } = cli(['run', 'pad.ts'], { cwd: dir });
  expect(stdout).toMatch(/2 {2}depth │ 4/);
  expect(stdout).toMatch(said);
  expect(code).toBe(0);
});

test('a tsconfig.json without files that are there is no wrong one', () => {
  const dir = folder({ 'tsconfig.json': '{ "include": ["src"] }', 'pad.ts': PAD });
  expect(cli(['run', 'pad.ts'], { cwd: dir }).stdout).not.toContain('Project');
});

test('a package.json that is no JSON is named: a pad runs, and a program cannot start', () => {
  const dir = folder({
    'package.json': '{\n  "type": "module",\n}',
    'pad.ts': PAD,
    'office.js': 'setTimeout(() => 4)\n',
  });
  const pad = cli(['run', 'pad.ts'], { cwd: dir });
  expect(pad.stdout).toMatch(/2 {2}depth │ 4/);
  expect(pad.stdout).toMatch(/Project\n~ \S+package\.json line 3: .*\. It counts as empty until it is mended\./);
  for (const command of [['office.js'], ['--', 'npm', 'run', 'dev']]) {
    const live = cli(['live', ...command], { cwd: dir });
    expect(live.stderr).toMatch(
      /^usher-anvil: E_PROJECT {2}\S+package\.json line 3: .*Nothing can start here until it is mended\.\n$/,
    );
    expect(live.code).toBe(2);
  }
});

test.each([
  [
    'its main file',
    { 'node_modules/locks/package.json': '{ "name": "locks", "main": "dist/index.js" }' },
    'has no dist/index.js in',
  ],
  ['its package.json', { 'node_modules/locks/readme.md': '' }, 'has no package.json in'],
  ['a package.json that is JSON', { 'node_modules/locks/package.json': '{' }, 'is no JSON'],
])('a package that is installed without %s is told of, with what to do', (_what, files, said) => {
  const dir = folder({
    'package.json': '{ "type": "module" }',
    'pad.js': "import locks from 'locks'\nlocks\n",
    ...files,
  });
  const { stdout, code } = cli(['run', 'pad.js'], { cwd: dir });
  expect(stdout).toContain(said);
  expect(stdout).toContain('It is installed only in part. Install it again: npm install');
  expect(stdout).not.toContain('.usher-anvil-');
  expect(code).toBe(1);
});

test('packages as they may be are left to the engine: a main without its extension, a folder, files without a manifest', () => {
  const dir = folder({
    'package.json': '{}',
    'node_modules/one/package.json': '{ "main": "lib/one" }',
    'node_modules/one/lib/one.js': 'exports.a = 1\n',
    'node_modules/two/package.json': '{ "main": "lib" }',
    'node_modules/two/lib/index.js': 'exports.a = 2\n',
    'node_modules/three/index.js': 'exports.a = 3\n',
    'node_modules/four/package.json': '{ "exports": { ".": "./four.js" } }',
    'node_modules/four/four.js': 'exports.a = 4\n',
    'node_modules/five/package.json': '{ "main": "gone.js" }',
    'node_modules/five/index.js': 'exports.a = 5\n',
    'pad.cjs':
      "['one', 'two', 'three', 'four', 'five'].map((name) => require(name).a)\nrequire('one').a + require('five').a\n",
  });
  const { stdout } = cli(['run', 'pad.cjs'], { cwd: dir });
  expect(stdout).toMatch(/│ \[1, 2, 3, 4, 5\]/);
  expect(stdout).toMatch(/2 {2}.*│ 6/);
});

test('two versions of a package are two, and what nobody imports may be wrong', async () => {
  const dir = folder({
    'package.json': '{ "type": "module" }',
    'node_modules/locks/index.js': 'exports.version = 1\n',
    'src/node_modules/locks/index.js': 'exports.version = 2\n',
    'src/weir.js': "import locks from 'locks'\nexport const weir = () => locks.version\n",
    'src/nobody.js': 'const = (\n',
    'server.js':
      "import locks from 'locks'\nimport { weir } from './src/weir.js'\nsetInterval(() => console.log('at', locks.version, weir()), 50)\n",
  });
  const live = start(['live', 'server.js'], { cwd: dir, env: { USHER_ANVIL_TARGETS: join(folder(), 'targets') } });
  await live.until(/at 1 2/);
  writeFileSync(
    join(dir, 'src/weir.js'),
    readFileSync(join(dir, 'src/weir.js'), 'utf8').replace('version', 'version * 10'),
  );
  await live.until(/at 1 20/);
  await live.end();
});

test('an error that a loader hands over from its thread keeps its words', () => {
  const dir = folder({
    'package.json': '{ "type": "module" }',
    'node_modules/locks/package.json': '{ "name": "locks", "main": "dist/index.js" }',
    'server.js': "import locks from 'locks'\nconsole.log(locks)\n",
  });
  const { stderr } = cli(['live', '--', 'node', 'server.js'], { cwd: dir });
  expect(stderr).toMatch(/Cannot find package '\S+locks\/dist\/index\.js'/);
});

test('an address that was joined is found again without its token, until it is forgotten', async () => {
  const dir = folder({ 'gauge.js': 'setInterval(() => undefined, 100)\n' });
  const env = { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() };
  // As if it were elsewhere: it registers in another folder.
  const live = start(['live', 'gauge.js', '--listen'], {
    cwd: dir,
    env: { ...env, USHER_ANVIL_TARGETS: join(folder(), 'targets') },
  });
  const [, address, token] = /listens on (\S+), token (\S+)/.exec(await live.until(/listens on \S+, token \S+\n/))!;
  const prompt = (...more: string[]) => cli(['prompt', address!, '--evaluate', '6 * 7', ...more], { env });
  expect(prompt().stderr).toContain('asks for a token');
  expect(prompt('--token', token!).stdout).toBe('42\n');
  expect(prompt().stdout).toBe('42\n');
  expect(statSync(join(env.XDG_STATE_HOME, 'usher-anvil/joined.json')).mode & 0o077).toBe(0);
  const listed = cli(['targets'], { env }).stdout;
  expect(listed).toMatch(new RegExp(`^${address} {2}answers {2}gauge, \\S+gauge\\.js {2}since \\d+ s\n$`));
  expect(cli(['targets', '--json'], { env }).stdout).not.toContain(token);

  await live.end();
  await eventually(() => /does not answer, joined \d+ s ago/.test(cli(['targets'], { env }).stdout));
  expect(cli(['targets', '--forget', address!], { env }).code).toBe(0);
  expect(cli(['targets', '--forget', address!], { env }).stderr).toContain('is not remembered');
  expect(cli(['targets'], { env }).stderr).toContain('No program is live');
  mkdirSync(env.XDG_STATE_HOME, { recursive: true });
  // What is no list of ours is passed over.
  writeFileSync(
    join(env.XDG_STATE_HOME, 'usher-anvil/joined.json'),
    '{"format":"usher-anvil/joined@1","joined":[{"address":"lock.example:1"}]}',
  );
  expect(cli(['targets'], { env }).stderr).toContain('No program is live');
});
