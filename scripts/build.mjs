// Builds everything: the layers with the TypeScript compiler, the page with Vite, the JSON Schema from its one definition.
import { spawnSync } from 'node:child_process';
import { chmodSync, mkdirSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const require = createRequire(import.meta.url);

/** Runs a script of a package with this Node, and ends with it when it fails. */
function run(name, script, args) {
  const { status } = spawnSync(process.execPath, [script, ...args], { cwd: root, stdio: ['ignore', 'inherit', 'inherit'] });
  if (status !== 0) {
    console.error(`build: ${name} failed`);
    process.exit(status ?? 1);
  }
}

run('the layers', require.resolve('typescript/bin/tsc'), ['-b', 'src/cli', 'src/workbench', 'src/vite']);
run('the page', join(dirname(require.resolve('vite/package.json')), 'bin/vite.js'), ['build', '--logLevel', 'warn']);
const { recordJsonSchema } = await import(pathToFileURL(join(root, 'dist/record/index.js')).href);
mkdirSync(join(root, 'dist'), { recursive: true });
writeFileSync(join(root, 'dist/record.schema.json'), `${JSON.stringify(recordJsonSchema(), null, 2)}\n`);
chmodSync(join(root, 'dist/cli/main.js'), 0o755);
