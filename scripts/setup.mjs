// Makes a fresh clone ready: dependencies, build and, for tests, a browser. Does nothing that is done already.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const purpose = process.argv[2] ?? 'build';

function run(command, args, options = {}) {
  return spawnSync(command, args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'], ...options }).status === 0;
}

const [major, minor] = process.versions.node.split('.').map(Number);
if (major < 20 || (major === 20 && minor < 19))
  fail(`Node ${process.versions.node} is too old: usher-anvil needs 20.19 or newer.`);

const stamp = join(root, 'node_modules', '.anvil-lock');
const lock = createHash('sha256')
  .update(readFileSync(join(root, 'package-lock.json')))
  .digest('hex');
if (!existsSync(stamp) || readFileSync(stamp, 'utf8') !== lock) {
  console.log('Installing dependencies …');
  if (!run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']))
    fail('npm could not install the dependencies. Check the connection to the registry and try again.');
  writeFileSync(stamp, lock);
}

const built = join(root, 'dist', '.info', 'built');
const newest = newestChange([
  join(root, 'src'),
  join(root, 'package.json'),
  join(root, 'vite.config.ts'),
  join(root, 'tsconfig.base.json'),
  join(root, 'scripts', 'build.mjs'),
]);
if (!existsSync(built) || Number(readFileSync(built, 'utf8')) < newest) {
  console.log('Building …');
  if (!run(process.execPath, ['scripts/build.mjs'])) fail('The build failed; see above.');
  mkdirSync(join(root, 'dist', '.info'), { recursive: true });
  writeFileSync(built, String(newest));
}

if (purpose === 'test' || purpose === 'bench') browser();

function browser() {
  const candidates = [process.env.CHROMIUM, '/usr/bin/chromium', '/usr/bin/chromium-browser'].filter(Boolean);
  if (candidates.some((path) => existsSync(path))) return;
  const apt = spawnSync('apt-get', ['--version'], { stdio: 'ignore' }).status === 0;
  const superuser = process.getuid?.() === 0;
  if (!apt || !superuser)
    fail(
      'The page tests need Chromium, and there is none. Install the package chromium (on Debian: sudo apt-get install chromium), or set CHROMIUM to the path of one.',
    );
  console.log('Installing Chromium …');
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  run('apt-get', ['update', '-qq'], { env });
  if (!run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', 'chromium'], { env }))
    fail('apt-get could not install chromium. Install it by hand, or set CHROMIUM to the path of one.');
}

/** Time of the newest change below some paths, in milliseconds. */
function newestChange(paths) {
  let newest = 0;
  const visit = (path) => {
    const stat = statSync(path);
    if (stat.isDirectory()) for (const name of readdirSync(path)) visit(join(path, name));
    else if (!path.endsWith('.test.ts')) newest = Math.max(newest, stat.mtimeMs);
  };
  for (const path of paths) visit(path);
  return newest;
}

function fail(message) {
  console.error(message);
  process.exit(1);
}
