import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { folder, root } from './harness.js';

test('the own test suites of published packages print and end as they do by themselves, in four ways', () => {
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    [join(root, 'suites/main.mjs'), '--quick', `--folder=${folder()}`],
    {
      encoding: 'utf8',
      env: { ...process.env, NODE_OPTIONS: '' },
    },
  );
  expect(`${stdout}${stderr}`).toMatch(/5 of 5 suites agree in all ways/);
  expect(status).toBe(0);
});
