import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { folder, root } from './harness.js';

const npm = (args: string[], cwd: string) =>
  spawnSync('npm', [...args, '--loglevel=error', '--no-audit', '--no-fund'], { cwd, encoding: 'utf8' });

test('the packed package works when installed in an empty folder', () => {
  const dir = folder({
    'package.json': '{ "private": true, "type": "module" }',
    'toll.ts': 'const rate: number = 4;\nrate * 2;\n',
    'use.mjs': `import { runPad } from 'usher-anvil';
import { instrument } from 'usher-anvil/instrument';
import { samplesAt, valueText } from 'usher-anvil/record';
const record = await runPad({ file: 'toll.ts' });
console.log(record.outcome, samplesAt(record, { line: 1 }).map((sample) => valueText(sample.value)).join(), instrument('1 + 1', { file: 'a.js' }).sites.length > 0);
`,
  });
  // Built already: the script that packing would run is left out.
  const packed = npm(['pack', '--ignore-scripts', '--pack-destination', dir], root);
  expect(packed.status).toBe(0);
  const tarball = readdirSync(dir).find((name) => name.endsWith('.tgz'))!;
  expect(npm(['install', '--prefer-offline', join(dir, tarball)], dir)).toMatchObject({ status: 0 });
  const own = join(dir, 'node_modules/usher-anvil');
  expect([
    existsSync(join(own, 'dist/record.schema.json')),
    existsSync(join(own, 'examples/tolls/tolls.ts')),
    existsSync(join(own, 'src')),
  ]).toEqual([true, true, false]);
  expect(readdirSync(join(own, 'dist'), { recursive: true }).filter((name) => /\.test\./.test(String(name)))).toEqual(
    [],
  );
  const used = spawnSync(process.execPath, ['use.mjs'], {
    cwd: dir,
    encoding: 'utf8',
    env: { ...process.env, NODE_OPTIONS: '' },
  });
  expect([used.stderr, used.stdout]).toEqual(['', 'ok 8 true\n']);
  const run = spawnSync(join(dir, 'node_modules/.bin/usher-anvil'), ['run', 'toll.ts'], { cwd: dir, encoding: 'utf8' });
  expect(run.stdout).toContain('rate * 2; │ 8');
});
