/** What several tests need: plain and instrumented execution of a text, folders of their own, the command line as a process. */
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, realpathSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { types } from 'node:util';
import vm from 'node:vm';
import { createSession, type PadRecord, type Session, type NodeLive } from 'usher-anvil';
import { instrument, type Instrumented } from 'usher-anvil/instrument';
import { makeProbes } from '#dist/runtime/probes.js';
import { Reporter } from '#dist/runtime/reports/reporter.js';
import type { Batch } from '#dist/wire/reports.js';

export const root = fileURLToPath(new URL('..', import.meta.url));
export const cliPath = join(root, 'dist/bin/main.js');

const PROBES = Symbol.for('usher-anvil/probes@1');
/** The global object of the code under test, which is not that of the test's own realm. */
const outerGlobal = vm.runInThisContext('globalThis') as Record<symbol, unknown>;

/** Output and outcome of a text that reports through `out(…)`. */
export interface Trace {
  lines: string[];
  error: string;
}

/** Runs a script that calls `out`, waits until nothing of it is pending, and gives what it printed. */
export async function execute(code: string, file = 'canal.cjs'): Promise<Trace> {
  const lines: string[] = [];
  const out = (...values: unknown[]): void => {
    lines.push(values.map(show).join(' '));
  };
  let error = '';
  try {
    const run = vm.runInThisContext(`(function(out,require,module,exports){${code}\n})`, { filename: file }) as (
      ...args: unknown[]
    ) => unknown;
    const module = { exports: {} };
    run.call(module.exports, out, createRequire(import.meta.url), module, module.exports);
    for (let i = 0; i < 20; i++) await new Promise((resolve) => setImmediate(resolve));
  } catch (thrown) {
    error = show(thrown);
  }
  return { lines, error };
}

function show(value: unknown): string {
  if (types.isNativeError(value)) return `${value.name}: ${value.message}`;
  if (typeof value === 'function') return `function ${value.name}/${value.length}`;
  if (typeof value === 'symbol') return value.toString();
  if (typeof value === 'bigint') return `${value}n`;
  if (Object.is(value, -0)) return '-0';
  if (typeof value === 'object' && value !== null) {
    try {
      return (
        JSON.stringify(value, (_key, inner: unknown) =>
          typeof inner === 'bigint' ? `${inner}n` : typeof inner === 'function' ? `function ${inner.name}` : inner,
        ) ?? 'object'
      );
    } catch {
      return 'object';
    }
  }
  return String(value);
}

/** Probes of the real runtime for code that stays a script; gives the batches it reports. */
export function withProbes(instrumented: Instrumented): {
  batches: Batch[];
  flush(): void;
  remove(): void;
  cells: Float64Array;
} {
  const batches: Batch[] = [];
  const reporter = new Reporter(
    {
      isProxy: types.isProxy,
      brand: (value) =>
        types.isNativeError(value)
          ? 'Error'
          : types.isMap(value)
            ? 'Map'
            : types.isSet(value)
              ? 'Set'
              : types.isPromise(value)
                ? 'Promise'
                : undefined,
    },
    (batch) => batches.push(batch),
    () => performance.now(),
  );
  const { sites } = instrumented;
  const cells = new Float64Array(sites.length);
  reporter.counts.add(0, cells);
  const probes = makeProbes(reporter, { site: -1, test: -1 }, cells, {
    base: 0,
    owners: Int32Array.from(sites, (site) => site.owner),
    reach: Int32Array.from(sites, (site) => site.reach),
    plus: Int32Array.from(sites, (site) => site.plus),
    kept: [],
  });
  outerGlobal[PROBES] = () => probes;
  return {
    batches,
    cells,
    flush: () => reporter.flush({ counts: true }),
    remove: () => {
      delete outerGlobal[PROBES];
    },
  };
}

/** The same text plain and instrumented at a depth. */
export async function both(
  text: string,
  depth: 'off' | 'counts' | 'values' = 'values',
  file = 'canal.cjs',
  patchable = false,
): Promise<{ plain: Trace; instrumented: Trace; code: string }> {
  const plain = await execute(text, file);
  const result = instrument(text, { file, depth, form: 'script', patchable });
  if (result.problems.length > 0) throw new Error(`does not parse: ${result.problems[0]!.message}\n${text}`);
  const probes = withProbes(result);
  try {
    return { plain, instrumented: await execute(result.code, file), code: result.code };
  } finally {
    probes.remove();
  }
}

/** A folder that is gone when the test file has ended. */
export function folder(files: Record<string, string | Buffer> = {}): string {
  const path = realpathSync(mkdtempSync(join(tmpdir(), 'anvil-test-')));
  for (const [name, content] of Object.entries(files)) {
    mkdirSync(dirname(join(path, name)), { recursive: true });
    writeFileSync(join(path, name), content);
  }
  folders.push(path);
  return path;
}

const folders: string[] = [];
process.on('exit', () => {
  for (const path of folders) rmSync(path, { recursive: true, force: true });
});

export interface Finished {
  code: number | null;
  stdout: string;
  stderr: string;
}

/** Runs the command line to its end. */
export function cli(
  args: string[],
  options: { cwd?: string; input?: string; env?: Record<string, string> } = {},
): Finished {
  const { status, stdout, stderr } = spawnSync(process.execPath, [cliPath, ...args], {
    cwd: options.cwd ?? root,
    input: options.input ?? '',
    encoding: 'utf8',
    maxBuffer: 1 << 28,
    env: { ...process.env, NODE_OPTIONS: '', NO_COLOR: '1', FORCE_COLOR: undefined, ...options.env },
  });
  return { code: status, stdout, stderr };
}

/** Starts the command line and follows what it prints. */
export function start(args: string[], options: { cwd?: string; env?: Record<string, string> } = {}) {
  const child = spawn(process.execPath, [cliPath, ...args], {
    cwd: options.cwd ?? root,
    env: { ...process.env, NODE_OPTIONS: '', NO_COLOR: '1', FORCE_COLOR: undefined, ...options.env },
  });
  const state = { text: '' };
  const collect = (data: Buffer): void => {
    state.text += data.toString();
  };
  child.stdout.on('data', collect);
  child.stderr.on('data', collect);
  const exited = new Promise<number | null>((resolve) => child.once('exit', (code) => resolve(code)));
  return {
    child,
    get text() {
      return state.text;
    },
    exited,
    /** Waits until the output from `from` on matches. */
    async until(pattern: RegExp, from = 0, ms = 60_000): Promise<string> {
      const limit = Date.now() + ms;
      for (;;) {
        const found = pattern.exec(state.text.slice(from));
        if (found) return found[0];
        if (Date.now() > limit)
          throw new Error(`never printed ${String(pattern)}; printed:\n${state.text.slice(from)}`);
        await new Promise((resolve) => setTimeout(resolve, 20));
      }
    },
    async end(): Promise<void> {
      // Asked first: a command that is killed cannot end the program it has started.
      if (child.exitCode === null && child.signalCode === null) child.kill('SIGTERM');
      const patience = setTimeout(() => child.kill('SIGKILL'), 2_000);
      await exited;
      clearTimeout(patience);
    },
  };
}

/** Set by `npm run fidelity`, which runs all of what `npm test` takes in turns. */
export const WHOLE = process.env.ANVIL_WHOLE !== undefined;
const TURN = Math.floor(Date.now() / 1_000);

/** One in `share` of a long list, others with every run of the tests; all of them in `npm run fidelity`. */
export function inTurn<T>(all: readonly T[], share: number): T[] {
  return all.filter((_, index) => WHOLE || index % share === TURN % share);
}

export function wait(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}

/** Waits until `probe` gives something. */
export async function eventually<T>(
  probe: () => T | undefined | false | Promise<T | undefined | false>,
  ms = Number(process.env.ANVIL_EVENTUALLY ?? 60_000),
): Promise<T> {
  const limit = Date.now() + ms;
  for (;;) {
    const found = await probe();
    if (found !== undefined && found !== false) return found;
    if (Date.now() > limit) throw new Error(`never happened: ${String(probe)}`);
    await wait(10);
  }
}

/** Runs one text after the other in one session, which starts once; for tests that need many records. */
export function recorder(file: string): { run(text: string): Promise<PadRecord>; close(): Promise<void> } {
  let session: Session | undefined;
  return {
    run(text) {
      session ??= createSession({ file, text: '' });
      session.edit(file, text);
      return session.settled();
    },
    close: () => session?.close() ?? Promise.resolve(),
  };
}

/** The name of the live program that has loaded a file. */
export function targetWith(file: string, env: Record<string, string>): Promise<string> {
  return eventually(() => {
    const { targets } = JSON.parse(cli(['targets', '--json'], { env }).stdout) as {
      targets: { name: string; files: string[] }[];
    };
    return targets.find(({ files }) => files.some((one) => one.endsWith(file)))?.name;
  });
}

/** What an entered expression gives in a live program, as it is shown; undefined where it gives nothing. */
export async function entered(session: NodeLive['session'], file: string, text: string): Promise<string | undefined> {
  const answer = await session.evaluate(file, text);
  return answer.is === 'done' ? answer.result?.value.text : undefined;
}

/** Waits until a live program has told that it executes a file: what it prints can come before. */
export function executes(session: NodeLive['session'], file: string): Promise<string> {
  return eventually(() => entered(session, file, '1'));
}
