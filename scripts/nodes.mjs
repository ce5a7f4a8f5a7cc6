// `npm run nodes [-- 22,24 pattern…]`: all tests on other versions of Node, whose binaries come from the registry.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { delimiter, dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const [first = '', ...rest] = process.argv.slice(2);
const isVersions = /^\d+(,\d+)*$/.test(first);
const versions = isVersions ? first.split(',') : ['22', '24'];
const patterns = isVersions ? rest : [first, ...rest].filter(Boolean);
const ground = process.env.ANVIL_NODES ?? join(tmpdir(), 'usher-anvil-nodes');

/** A folder for PATH that holds a version, which is installed where it is not there. */
function binOf(version) {
  const folder = join(ground, `bin-${version}`);
  if (existsSync(join(folder, 'node'))) return folder;
  mkdirSync(folder, { recursive: true });
  if (!existsSync(join(ground, 'package.json'))) writeFileSync(join(ground, 'package.json'), '{ "private": true }');
  const name = `node-${process.platform}-${process.arch}`;
  const { status } = spawnSync(
    'npm',
    ['install', `node-${version}@npm:${name}@${version}`, '--no-audit', '--no-fund'],
    {
      cwd: ground,
      stdio: 'inherit',
    },
  );
  if (status !== 0) throw new Error(`${name}@${version} could not be installed`);
  symlinkSync(join(ground, 'node_modules', `node-${version}`, 'bin/node'), join(folder, 'node'));
  return folder;
}

const jest = join(dirname(createRequire(import.meta.url).resolve('jest/package.json')), 'bin/jest.js');
let failed = 0;
for (const version of versions) {
  const bin = binOf(version);
  console.log(`\nNode ${version}`);
  const { status } = spawnSync(
    join(bin, 'node'),
    ['--experimental-vm-modules', '--disable-warning=ExperimentalWarning', jest, ...patterns],
    {
      cwd: root,
      stdio: 'inherit',
      env: { ...process.env, PATH: `${bin}${delimiter}${process.env.PATH}`, NODE_OPTIONS: '' },
    },
  );
  if (status !== 0) failed++;
}
process.exit(failed > 0 ? 1 : 0);
