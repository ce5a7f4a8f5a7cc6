// `npm run test:editor`: the extension in a real editor. Sets up what is missing, the editor included.
import { spawnSync } from 'node:child_process';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { installEditor } from './editor.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const node = (...args) =>
  spawnSync(process.execPath, args, {
    cwd: root,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: { ...process.env, NODE_OPTIONS: '' },
  }).status ?? 1;

if (node('scripts/setup.mjs', 'test') !== 0) process.exit(1);
installEditor();
if (node('editors/code/scripts/build.mjs') !== 0) process.exit(1);
const jest = join(dirname(createRequire(import.meta.url).resolve('jest/package.json')), 'bin/jest.js');
process.exit(
  node(
    '--experimental-vm-modules',
    '--disable-warning=ExperimentalWarning',
    ...[jest, '--config', 'jest.editor.config.mjs', ...process.argv.slice(2)],
  ),
);
