// Packs the extension as a .vsix with the server inside: the package as npm would publish it, and what it needs.
import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, realpathSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { dirname, join, relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';

const folder = dirname(dirname(fileURLToPath(import.meta.url)));
const root = join(folder, '../..');
const stage = mkdtempSync(join(tmpdir(), 'anvil-vsix-'));

function run(command, args, cwd) {
  const { status, stdout, stderr } = spawnSync(command, args, { cwd, encoding: 'utf8', maxBuffer: 1 << 26 });
  if (status !== 0) {
    console.error(`${command} ${args.join(' ')} failed:\n${stdout}${stderr}`);
    process.exit(1);
  }
  return stdout;
}

run(process.execPath, [join(root, 'scripts/setup.mjs')], root);
run(process.execPath, [join(folder, 'scripts/build.mjs')], folder);
for (const name of ['package.json', 'dist', 'media', 'README.md'])
  cpSync(join(folder, name), join(stage, name), { recursive: true });
cpSync(join(root, 'LICENSE'), join(stage, 'LICENSE'));

// What the package lists as its files, and all that it needs, from where it lies here: nothing is fetched.
const server = join(stage, 'server/node_modules/usher-anvil');
const listed = JSON.parse(run('npm', ['pack', '--dry-run', '--json', '--ignore-scripts'], root));
for (const { path } of listed[0].files) {
  mkdirSync(dirname(join(server, path)), { recursive: true });
  cpSync(join(root, path), join(server, path));
}
const seen = new Set();
bring(root, JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')));
const target = `${process.platform}-${process.arch}`;
const manifest = JSON.parse(readFileSync(join(stage, 'package.json'), 'utf8'));
const { name, version } = manifest;
for (const key of ['devDependencies', 'scripts', 'private']) delete manifest[key];
writeFileSync(join(stage, 'package.json'), `${JSON.stringify(manifest, null, 2)}\n`);
const out = join(folder, `${name}-${version}-${target}.vsix`);
rmSync(out, { force: true });
const require = createRequire(import.meta.url);
const { createVSIX } = require('@vscode/vsce');
await createVSIX({
  cwd: stage,
  packagePath: out,
  target,
  dependencies: false,
  skipLicense: true,
  allowMissingRepository: true,
});
rmSync(stage, { recursive: true, force: true });
console.log(out);

/** Copies the packages that one needs beside it, as they lie here. */
function bring(from, { dependencies = {}, optionalDependencies = {} }) {
  for (const name of Object.keys({ ...dependencies, ...optionalDependencies })) {
    const found = upward(from)
      .map((at) => join(at, 'node_modules', name))
      .find((at) => existsSync(join(at, 'package.json')));
    // What is for another platform was not installed here either.
    if (!found) continue;
    const path = realpathSync(found);
    if (seen.has(path)) continue;
    seen.add(path);
    const place = join(stage, 'server', relative(root, path).split(sep).join('/'));
    cpSync(path, place, {
      recursive: true,
      filter: (one) => one === path || !relative(path, one).startsWith(`node_modules${sep}`),
    });
    bring(path, JSON.parse(readFileSync(join(path, 'package.json'), 'utf8')));
  }
}

function upward(at) {
  return at === root || dirname(at) === at ? [at] : [at, ...upward(dirname(at))];
}
