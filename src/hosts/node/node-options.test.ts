import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { withNodeOption } from '#dist/hosts/node/node-options.js';
import { folder } from '../../../test/harness.js';

test('a path with spaces, quotes and umlauts reaches a process that another one starts', () => {
  const dir = folder({ 'Schleuse "Süd"/first.cjs': 'process.title; console.log("first")' });
  const flag = `--require=${join(dir, 'Schleuse "Süd"/first.cjs')}`;
  const options = withNodeOption('--no-warnings', flag);
  expect(options.startsWith('--no-warnings "--require=')).toBe(true);
  const { stdout, stderr } = spawnSync(process.execPath, ['-e', 'console.log("then")'], {
    env: { ...process.env, NODE_OPTIONS: options },
    encoding: 'utf8',
  });
  expect([stdout, stderr]).toEqual(['first\nthen\n', '']);
  expect(withNodeOption(undefined, '--no-warnings')).toBe('--no-warnings');
});
