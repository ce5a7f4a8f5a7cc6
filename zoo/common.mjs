// What all kinds of projects of the zoo share: where they stand, what is checked, and the command under which they run.
import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, renameSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { started } from './started.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
export const command = join(root, 'dist/bin/main.js');
const ground = process.env.ANVIL_ZOO ?? join(tmpdir(), 'usher-anvil-zoo');

function npm(dir, ...args) {
  const { status, stderr } = spawnSync('npm', [...args, '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: dir,
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(`npm ${args.join(' ')}: ${stderr.slice(0, 400)}`);
}

/** The folder of a package that holds published templates. */
function templatesOf(name) {
  const dir = join(ground, 'templates');
  mkdirSync(dir, { recursive: true });
  if (!existsSync(join(dir, 'package.json'))) writeFileSync(join(dir, 'package.json'), '{ "private": true }');
  if (!existsSync(join(dir, 'node_modules', name))) npm(dir, 'install', name);
  return join(dir, 'node_modules', name);
}

export function made(project) {
  const dir = join(ground, project.name.replace(/\W+/g, '-'));
  if (existsSync(join(dir, '.ready'))) return dir;
  mkdirSync(dir, { recursive: true });
  if (project.template) {
    cpSync(join(templatesOf(project.from ?? 'create-vite'), `template-${project.template}`), dir, { recursive: true });
    if (existsSync(join(dir, '_gitignore'))) renameSync(join(dir, '_gitignore'), join(dir, '.gitignore'));
    npm(dir, 'install');
  } else {
    for (const [name, text] of Object.entries(project.files))
      if (text !== '') {
        mkdirSync(dirname(join(dir, name)), { recursive: true });
        writeFileSync(join(dir, name), text);
      }
    if (project.dependencies.length > 0 || project.install) npm(dir, 'install', ...project.dependencies);
  }
  writeFileSync(join(dir, '.ready'), '');
  return dir;
}

/** What is checked, in order; each tells itself whether it holds. */
export class Checks {
  results = [];

  async check(what, run) {
    try {
      const found = await run();
      this.results.push({
        what,
        ok: found !== false,
        why: found === false ? '' : typeof found === 'string' ? found : '',
      });
    } catch (error) {
      this.results.push({ what, ok: false, why: error.message.split('\n')[0].slice(0, 160) });
    }
  }
}

export const env = (state) => ({
  ...process.env,
  NO_COLOR: '1',
  USHER_ANVIL_TARGETS: join(state, 'targets'),
  XDG_STATE_HOME: state,
});
/** Targets that are live, by what the command prints. */
export function targetsIn(state) {
  const { stdout, stderr } = spawnSync(process.execPath, [command, 'targets', '--json'], {
    encoding: 'utf8',
    env: env(state),
  });
  if (!stdout.startsWith('{')) throw new Error(`targets: ${stderr}`);
  return JSON.parse(stdout).targets;
}

export const live = (dir, state) =>
  started(process.execPath, [command, 'live', '--', 'npm', 'run', 'dev'], { cwd: dir, env: env(state) });
export const freshState = (name) => {
  const state = join(ground, 'state', `${name.replace(/\W+/g, '-')}-${process.pid}`);
  mkdirSync(state, { recursive: true });
  return state;
};
export const LOCAL = /http:\/\/(?:localhost|127\.0\.0\.1):\d+\//;
