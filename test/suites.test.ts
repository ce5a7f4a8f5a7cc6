import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { folder, inTurn, root } from './harness.js';

/** Suites that end soon. */
const QUICK = ['desm', 'fastq', 'is-regex', 'reusify', 'split2'];

test('the own test suites of published packages print and end as they do by themselves, in four ways', () => {
  const names = inTurn(QUICK, 3);
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    [join(root, 'suites/main.mjs'), `--only=${names.join()}`, '--few', `--folder=${folder()}`],
    {
      encoding: 'utf8',
      env: { ...process.env, NODE_OPTIONS: '' },
    },
  );
  expect(`${stdout}${stderr}`).toContain(`${names.length} of ${names.length} suites agree in all ways`);
  expect(status).toBe(0);
});
