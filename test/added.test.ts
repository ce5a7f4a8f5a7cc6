import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { packageVersions } from '#dist/hosts/node/package-versions.js';
import { cli, folder, start } from './harness.js';
import { registry } from './registry.js';

/** As {@link cli}, without holding up this process, which serves the registry. */
async function run(
  args: string[],
  cwd: string,
  env: Record<string, string>,
): Promise<{ code: number | null; text: string }> {
  const child = start(args, { cwd, env });
  const code = await child.exited;
  return { code, text: child.text };
}

describe('packages for pads', () => {
  let served: Awaited<ReturnType<typeof registry>>;
  beforeAll(async () => {
    served = await registry();
  });
  afterAll(() => {
    served.server.closeAllConnections();
    served.server.close();
  });
  const env = (): Record<string, string> => ({
    npm_config_registry: served.url,
    npm_config_cache: folder(),
    npm_config_fetch_retries: '0',
  });
  const pad = `import { high } from 'wenlow-tides';\nhigh();\n`;

  test('an import that is not there says how to add it; added, it runs, beside the pad and not in the project', async () => {
    const dir = folder({ 'package.json': '{"private":true}', 'pads/tides.ts': pad });
    const missing = cli(['run', 'pads/tides.ts'], { cwd: dir });
    expect(missing.stdout).toContain(
      "the package 'wenlow-tides' is not installed. Add it: usher-anvil add wenlow-tides --for tides.ts",
    );
    const added = await run(['add', 'wenlow-tides', '--for', 'pads/tides.ts'], dir, env());
    expect(added).toEqual({
      code: 0,
      text:
        'wenlow-tides 1.2.3 added for pads/tides.ts, in pads/.usher-anvil\n' +
        '@types/wenlow-tides added with it, for its types\n',
    });
    expect(readFileSync(join(dir, 'package.json'), 'utf8')).toBe('{"private":true}');
    expect(existsSync(join(dir, 'node_modules'))).toBe(false);
    const ran = cli(['run', 'pads/tides.ts', '--sizes'], { cwd: dir });
    expect(ran.stdout).toContain("'high water'");
    expect(ran.stdout).toMatch(/wenlow-tides: \d+ bytes minified, \d+ bytes with gzip/);
    // Its types are those that came with it.
    writeFileSync(
      join(dir, 'pads/tides.ts'),
      `import { low } from 'wenlow-tides';\nconst level: string = low();\nlevel;\n`,
    );
    expect(cli(['run', 'pads/tides.ts', '--types'], { cwd: dir }).stdout).toContain(
      "Type 'number' is not assignable to type 'string'",
    );
    const required = join(dir, 'pads/old.cjs');
    writeFileSync(required, `const { low } = require('wenlow-tides');\nlow().length;\n`);
    expect(cli(['run', 'pads/old.cjs'], { cwd: dir }).stdout).toContain('│ 52');
  });

  test('versions are those of the registry, one of each main version', async () => {
    const before = { ...process.env };
    Object.assign(process.env, env());
    try {
      expect(await packageVersions('wenlow-tides', folder())).toEqual({
        name: 'wenlow-tides',
        versions: ['1.2.3', '0.9.0'],
        description: 'High and low water',
      });
      expect(await packageVersions('wenlow-none', folder())).toBeUndefined();
      expect(await packageVersions('../wenlow', folder())).toBeUndefined();
      expect(await packageVersions('-g', folder())).toBeUndefined();
    } finally {
      for (const name of Object.keys(env())) delete process.env[name];
      Object.assign(process.env, before);
    }
  });

  test('what a package wants to run at its installation is told, and run only when that is asked for', async () => {
    const dir = folder({ 'pump.cjs': `const { made } = require('wenlow-pump');\nmade;\n` });
    const made = (): boolean => existsSync(join(dir, '.usher-anvil/node_modules/wenlow-pump/made'));
    const first = await run(['add', 'wenlow-pump'], dir, env());
    expect(first).toEqual({
      code: 0,
      text:
        'wenlow-pump 2.0.0 added, in .usher-anvil\n' +
        'Scripts were not run. If it does not work without, add it again with --scripts:\n' +
        '  wenlow-pump wants to run "node make.js"\n',
    });
    expect(made()).toBe(false);
    const fresh = folder({ 'pump.cjs': '' });
    const second = await run(['add', 'wenlow-pump', '--scripts'], fresh, env());
    expect(second.text).toContain('Scripts were run:\n  wenlow-pump wants to run "node make.js"\n');
    expect(existsSync(join(fresh, '.usher-anvil/node_modules/wenlow-pump/made'))).toBe(true);
    // Once it is there without, asking again runs them.
    const again = await run(['add', 'wenlow-pump', '--scripts'], dir, env());
    expect([again.code, made()]).toEqual([0, true]);
  });

  test('into the project where that is asked', async () => {
    const dir = folder({ 'package.json': '{"private":true}', 'tides.ts': pad });
    expect((await run(['add', 'wenlow-tides', '--project'], dir, env())).code).toBe(0);
    expect(JSON.parse(readFileSync(join(dir, 'package.json'), 'utf8'))).toMatchObject({
      dependencies: { 'wenlow-tides': '^1.2.3' },
    });
  });

  test('what cannot be added says why, and leaves things as they were', async () => {
    const dir = folder({ 'tides.ts': pad });
    const none = await run(['add', 'wenlow-nothing'], dir, env());
    expect(none).toMatchObject({
      code: 2,
      text: expect.stringContaining("E_NO_PACKAGE  The registry knows no package 'wenlow-nothing'") as string,
    });
    const version = await run(['add', 'wenlow-tides@9'], dir, env());
    expect(version.text).toContain('E_NO_PACKAGE  There is no version that fits wenlow-tides@9');
    const offline = await run(['add', 'wenlow-tides'], dir, { ...env(), npm_config_registry: 'http://127.0.0.1:9/' });
    expect(offline.text).toContain('E_OFFLINE  The registry of npm cannot be reached');
    const noNpm = cli(['add', 'wenlow-tides'], { cwd: dir, env: { PATH: '/nowhere' } });
    expect([noNpm.code, noNpm.stderr]).toEqual([
      2,
      'usher-anvil: E_NO_NPM  npm was not found. Install it, or put it on the PATH.\n',
    ]);
    for (const name of ['../up', 'https://canal.example/x.tgz'])
      expect(cli(['add', '--', name], { cwd: dir }).stderr).toContain('E_OPTION');
    expect(existsSync(join(dir, '.usher-anvil/node_modules/wenlow-tides'))).toBe(false);
  });

  test('interrupted half-way, nothing is changed', async () => {
    const dir = folder({ 'tides.ts': pad });
    const child = start(['add', 'wenlow-slow'], { cwd: dir, env: env() });
    await new Promise((resolve) => setTimeout(resolve, 1_500));
    child.child.kill('SIGINT');
    expect(await child.exited).toBe(2);
    expect(child.text).toContain('E_INTERRUPTED  Adding wenlow-slow was interrupted. Nothing was changed');
    expect(readFileSync(join(dir, '.usher-anvil/package.json'), 'utf8')).not.toContain('wenlow-slow');
  });
});
