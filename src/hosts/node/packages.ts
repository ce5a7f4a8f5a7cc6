/**
 * Packages for pads: installed with npm into a folder beside the pad,
 * `.usher-anvil`, so that the project's own dependencies stay as they are; and
 * what a package costs when it is bundled.
 */
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { AnvilError } from '../../syntax/problems.js';
import { hasTypes, typesPackage } from './package-types.js';
import { PAD_FOLDER } from './pad-folder.js';

export interface AddOptions {
  /** Folder of the pad; or, with `project`, one in the project. */
  folder: string;
  /** Into the dependencies of the nearest `package.json`, and not beside the pad. */
  project?: boolean;
  /** Runs the scripts that packages want to run when they are installed; left out by default, and told. */
  scripts?: boolean;
  /** Told in a few words how far it is. */
  progress?(text: string): void;
  signal?: AbortSignal;
  env?: NodeJS.ProcessEnv;
}

export interface Added {
  name: string;
  version: string;
  /** Where it was put. */
  folder: string;
  /** What packages that came with it wanted to run at their installation. */
  scripts: InstallScript[];
  /** The package that was added with it for its types. */
  types?: string;
}

/** What a package wants to run when it is installed. */
export interface InstallScript {
  name: string;
  /** The commands, as its manifest has them. */
  commands: string[];
}

const NAME = /^((?:@[a-z0-9~-][a-z0-9._~-]*\/)?[a-z0-9~-][a-z0-9._~-]*)(?:@([^\s/]+))?$/i;

/**
 * Installs a package with npm.
 *
 * @param wanted name, and behind an `@` a version or tag
 * @throws AnvilError `E_OPTION` for a name that cannot be; `E_NO_NPM`, `E_NO_PACKAGE`, `E_OFFLINE`, `E_INTERRUPTED`,
 * `E_INSTALL`
 */
export async function addPackage(wanted: string, options: AddOptions): Promise<Added> {
  const match = NAME.exec(wanted);
  if (!match || wanted.startsWith('-'))
    throw new AnvilError(
      'E_OPTION',
      `"${wanted}" is no name of a package. Give a name, or a name and a version: decimal.js, decimal.js@10`,
    );
  const name = match[1]!;
  const folder = options.project ? projectOf(options.folder) : join(options.folder, PAD_FOLDER);
  if (!options.project) {
    mkdirSync(folder, { recursive: true });
    const manifest = join(folder, 'package.json');
    if (!existsSync(manifest))
      writeFileSync(
        manifest,
        `${JSON.stringify({ private: true, description: 'Packages added for the pads beside this folder.' }, null, 2)}\n`,
      );
    if (!existsSync(join(folder, '.gitignore'))) writeFileSync(join(folder, '.gitignore'), 'node_modules\n');
  }
  const kept = ['package.json', 'package-lock.json'].map((file) => ({
    file: join(folder, file),
    text: existsSync(join(folder, file)) ? readFileSync(join(folder, file), 'utf8') : undefined,
  }));
  const there = join(folder, 'node_modules', name);
  const before = existsSync(join(there, 'package.json'));
  const restore = (): void => {
    for (const { file, text } of kept) {
      if (text === undefined) rmSync(file, { force: true });
      else writeFileSync(file, text);
    }
    if (!before) rmSync(there, { recursive: true, force: true });
  };
  const { code, killed, output } = await npm(
    [
      'install',
      wanted,
      '--ignore-scripts',
      '--no-audit',
      '--no-fund',
      '--fetch-retries=1',
      '--fetch-timeout=20000',
      '--loglevel=http',
    ],
    folder,
    options,
  );
  if (killed) {
    restore();
    throw new AnvilError(
      'E_INTERRUPTED',
      `Adding ${name} was interrupted. Nothing was changed; start again when you like.`,
    );
  }
  if (code !== 0) {
    restore();
    throw installError(name, wanted, output);
  }
  try {
    const { version } = JSON.parse(readFileSync(join(there, 'package.json'), 'utf8')) as { version: string };
    // Beside a pad all that is there came without its scripts; in a project that is not for us to say.
    const scripts = installScripts(folder, options.scripts && !options.project ? undefined : kept[1]!.text);
    if (options.scripts && scripts.length > 0) await rebuild(scripts, folder, options);
    const types = options.project ? undefined : await addTypes(name, folder, options);
    return { name, version, folder, scripts, ...(types ? { types } : {}) };
  } catch (error) {
    restore();
    if (error instanceof AnvilError) throw error;
    throw new AnvilError('E_INSTALL', `npm ended well, but ${name} is not where it belongs: ${there}`);
  }
}

/** Adds the types of a package that has none of its own, where others keep them; undefined where there are none. */
async function addTypes(name: string, folder: string, options: AddOptions): Promise<string | undefined> {
  if (hasTypes(join(folder, 'node_modules', name))) return undefined;
  const types = typesPackage(name);
  const args = ['install', types, '--ignore-scripts', '--no-audit', '--no-fund', '--fetch-retries=0'];
  const { code } = await npm([...args, '--fetch-timeout=8000'], folder, options);
  return code === 0 ? types : undefined;
}

/** The packages that came, of which npm's lock file says that they have scripts to run. @param before its text until now */
function installScripts(folder: string, before: string | undefined): InstallScript[] {
  type Locked = Record<string, { version?: string; hasInstallScript?: boolean }>;
  const packagesOf = (text: string): Locked => (JSON.parse(text) as { packages?: Locked }).packages ?? {};
  const lock = join(folder, 'package-lock.json');
  if (!existsSync(lock)) return [];
  const old = before === undefined ? {} : packagesOf(before);
  return Object.entries(packagesOf(readFileSync(lock, 'utf8'))).flatMap(([path, { version, hasInstallScript }]) => {
    if (hasInstallScript !== true || old[path]?.version === version) return [];
    const manifest = JSON.parse(readFileSync(join(folder, path, 'package.json'), 'utf8')) as {
      scripts?: Record<string, string>;
    };
    const commands = ['preinstall', 'install', 'postinstall'].flatMap((when) => manifest.scripts?.[when] ?? []);
    // Without a command of its own, npm compiles what has a description of how.
    return {
      name: path.replace(/^.*node_modules\//, ''),
      commands: commands.length > 0 ? commands : ['node-gyp rebuild'],
    };
  });
}

async function rebuild(scripts: readonly InstallScript[], folder: string, options: AddOptions): Promise<void> {
  const names = scripts.map(({ name }) => name);
  const { code, output } = await npm(['rebuild', '--foreground-scripts', '--', ...names], folder, options);
  if (code !== 0)
    throw new AnvilError(
      'E_INSTALL',
      `The scripts of ${names.join(', ')} failed: ${output.trim().split('\n').slice(-3).join(' ').slice(0, 400)}`,
    );
}

/** What is to be said of scripts that were not run: which package wanted what. */
export function scriptsText(scripts: readonly InstallScript[]): string[] {
  return scripts.map(({ name, commands }) => `${name} wants to run ${commands.map((one) => `"${one}"`).join(' and ')}`);
}

function installError(name: string, wanted: string, output: string): AnvilError {
  if (/\bE404\b|404 Not Found/.test(output))
    return new AnvilError('E_NO_PACKAGE', `The registry knows no package '${name}'. Check how it is written.`);
  if (/\bETARGET\b|No matching version/.test(output))
    return new AnvilError(
      'E_NO_PACKAGE',
      `There is no version that fits ${wanted}. Leave the version out for the newest.`,
    );
  const network =
    /\b(ENOTFOUND|ECONNREFUSED|EAI_AGAIN|ETIMEDOUT|ECONNRESET|ENETUNREACH|EHOSTUNREACH|ERR_SOCKET_TIMEOUT|FETCH_ERROR)\b/.exec(
      output,
    );
  if (network)
    return new AnvilError(
      'E_OFFLINE',
      `The registry of npm cannot be reached (${network[1]!}), so ${name} was not ` +
        `added. Check the network, or npm's setting "registry".`,
    );
  const lines = output
    .split('\n')
    .filter((line) => /^npm (error|ERR!)/.test(line) && !/complete log|^npm (error|ERR!)\s*$/.test(line));
  return new AnvilError(
    'E_INSTALL',
    `npm could not add ${name}: ${
      lines
        .slice(0, 3)
        .map((line) => line.replace(/^npm (error|ERR!)\s*(code\s+)?/, ''))
        .join(' ') || 'it gave no reason'
    }`,
  );
}

function npm(
  args: string[],
  cwd: string,
  options: AddOptions,
): Promise<{ code: number | null; killed: boolean; output: string }> {
  return new Promise((resolve, reject) => {
    const child = spawn('npm', args, {
      cwd,
      env: options.env ?? process.env,
      stdio: ['ignore', 'pipe', 'pipe'],
      ...(options.signal ? { signal: options.signal } : {}),
    });
    let output = '';
    let fetched = 0;
    const collect = (data: Buffer): void => {
      const text = data.toString();
      output = (output + text).slice(-200_000);
      fetched += text.split('http fetch').length - 1;
      options.progress?.(
        fetched === 0 ? 'npm has started' : `npm: ${fetched} ${fetched === 1 ? 'request' : 'requests'} to the registry`,
      );
    };
    child.stdout.on('data', collect);
    child.stderr.on('data', collect);
    child.on('error', (error: NodeJS.ErrnoException) => {
      if (error.name === 'AbortError') return;
      reject(
        error.code === 'ENOENT'
          ? new AnvilError('E_NO_NPM', 'npm was not found. Install it, or put it on the PATH.')
          : error,
      );
    });
    child.on('close', (code, signal) =>
      resolve({ code, killed: signal !== null || options.signal?.aborted === true, output }),
    );
  });
}

/** The folder of the nearest `package.json`. */
function projectOf(folder: string): string {
  for (let at = folder; ; at = dirname(at)) {
    if (existsSync(join(at, 'package.json'))) return at;
    if (dirname(at) === at)
      throw new AnvilError(
        'E_NOT_FOUND',
        `No package.json stands in ${folder} or above it. Leave --project out to add the package for the pad alone.`,
      );
  }
}

export interface Size {
  /** Bytes of the package with all it needs, bundled and minified; and those compressed with gzip. */
  minified: number;
  gzipped: number;
}

/**
 * What an import costs where it is bundled: only the names it takes, with all
 * they need. Modules of the platform stay outside.
 *
 * @param names imported names; `*` for all of them
 * @throws AnvilError `E_SIZE` when it cannot be bundled
 */
export async function sizeOf(specifier: string, names: readonly string[], from: string): Promise<Size> {
  const { build } = await import('esbuild');
  const picked =
    names.length === 0 || names.includes('*')
      ? `export * from ${JSON.stringify(specifier)};`
      : `export { ${[...new Set(names)].map((name, i) => `${name} as name${i}`).join(', ')} ` +
        `} from ${JSON.stringify(specifier)};`;
  try {
    const { outputFiles } = await build({
      stdin: { contents: picked, resolveDir: dirname(from), sourcefile: 'size.js' },
      bundle: true,
      minify: true,
      write: false,
      format: 'esm',
      platform: 'node',
      logLevel: 'silent',
      nodePaths: existsSync(join(dirname(from), PAD_FOLDER)) ? [join(dirname(from), PAD_FOLDER, 'node_modules')] : [],
    });
    const bytes = outputFiles[0]!.contents;
    return { minified: bytes.byteLength, gzipped: gzipSync(bytes).byteLength };
  } catch (error) {
    throw new AnvilError(
      'E_SIZE',
      `${specifier} cannot be bundled: ${(error as Error).message.split('\n')[1] ?? (error as Error).message}`,
    );
  }
}
