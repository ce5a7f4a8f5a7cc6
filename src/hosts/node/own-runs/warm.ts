/** Frameworks that stay loaded between runs of a project's files, in processes of their own. */
import { type ChildProcess, spawn } from 'node:child_process';
import { stripVTControlCharacters } from 'node:util';
import { pathToFileURL } from 'node:url';
import { resolve as resolveImport } from 'import-meta-resolve';
import { z } from 'zod';
import type { OwnResult } from '../../../record/own-results.js';
import type { FrameworkPlace } from '../../../wire/runs.js';
import { binOf, keptOptions, testScript } from '../project/test-script.js';
import { listedResults, withoutStack } from './results.js';
import { WARM_JEST, WARM_VITEST } from './warm-scripts.js';

/** Milliseconds for which a framework stays loaded that nobody asks for, and after which a run is given up. */
const KEPT_MS = 60_000;
const LIMIT_MS = 120_000;
/** A run that nobody waits for any more may take so long until its process is ended. */
const LEFT_MS = 15_000;
/** Each run leaves something behind. */
const MOST_RUNS = 60;

const answer = z.object({
  id: z.number(),
  results: listedResults.optional(),
  problem: z.string().optional(),
});

export function canStayWarm({ name }: FrameworkPlace): boolean {
  return name === 'vitest' || name === 'jest';
}

interface Asked {
  resolve(results: OwnResult[]): void;
  reject(error: Error): void;
}

class WarmFramework {
  private child: ChildProcess | undefined;
  private readonly asked = new Map<number, Asked>();
  private number = 0;
  private idle: NodeJS.Timeout | undefined;
  /** Files whose unsaved texts it was given. */
  private given: readonly string[] = [];

  constructor(
    private readonly framework: FrameworkPlace,
    private readonly file: string,
  ) {}

  run(
    file: string,
    texts: ReadonlyMap<string, string>,
    changed: readonly string[],
  ): { id: number; results: Promise<OwnResult[]> } {
    if (this.number >= MOST_RUNS) this.end('it begins anew');
    const child = (this.child ??= this.start());
    clearTimeout(this.idle);
    hold(child, true);
    const id = ++this.number;
    const results = new Promise<OwnResult[]>((resolve, reject) => this.asked.set(id, { resolve, reject }));
    const limit = setTimeout(() => this.end('it gave no results'), LIMIT_MS);
    limit.unref();
    const all = [...new Set([...changed, ...texts.keys(), ...this.given])];
    this.given = [...texts.keys()];
    child.send({ id, file, texts: [...texts], changed: all });
    return {
      id,
      results: results.finally(() => {
        clearTimeout(limit);
        if (this.asked.size > 0) return;
        hold(child, false);
        this.idle = setTimeout(() => this.end('it is not needed'), KEPT_MS);
        this.idle.unref();
      }),
    };
  }

  /** Nobody waits for a run any more: one that goes on holds up the next. */
  leave(id: number): void {
    setTimeout(() => {
      if (this.asked.has(id)) this.end('it was cancelled');
    }, LEFT_MS).unref();
  }

  private start(): ChildProcess {
    const { name } = this.framework;
    const script = testScript(this.file, name);
    const args =
      name === 'vitest'
        ? ['--input-type=module', '-e', WARM_VITEST, '--', resolveImport('vitest/node', pathToFileURL(this.file).href)]
        : ['-e', WARM_JEST, '--', binOf(name, this.file)];
    const child = spawn(process.execPath, [...args, ...keptOptions(name, script.words)], {
      cwd: script.folder,
      env: {
        ...process.env,
        NODE_ENV: process.env.NODE_ENV ?? 'test',
        ...script.env,
        NO_COLOR: '1',
        FORCE_COLOR: '0',
        CI: '1',
      },
      stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
    });
    let printed = '';
    child.stderr!.on('data', (data: Buffer) => (printed = (printed + data.toString('utf8')).slice(-4_000)));
    child.on('message', (message) => this.answered(message));
    child.on('error', (error) => this.lost(child, error.message));
    child.on('exit', () => this.lost(child, lastLine(printed)));
    this.number = 0;
    this.given = [];
    return child;
  }

  private answered(message: unknown): void {
    const found = answer.safeParse(message);
    if (!found.success) {
      this.end('its answer cannot be read');
      return;
    }
    const { id, results, problem } = found.data;
    const asked = this.asked.get(id);
    this.asked.delete(id);
    if (results && results.length > 0)
      asked?.resolve(
        results.map(({ message, ...rest }) => ({
          ...rest,
          ...(message === undefined ? {} : { message: plain(message) }),
        })),
      );
    else
      asked?.reject(new Error(problem === undefined ? `${this.framework.name} found no tests in it` : plain(problem)));
  }

  private lost(child: ChildProcess, why: string): void {
    if (this.child === child) this.child = undefined;
    for (const { reject } of this.asked.values()) reject(new Error(why || `${this.framework.name} ended`));
    this.asked.clear();
  }

  private end(why: string): void {
    const { child } = this;
    this.child = undefined;
    clearTimeout(this.idle);
    if (child) this.lost(child, why);
    child?.kill('SIGKILL');
  }
}

/** A framework that has nothing to do is no reason for this process to stay. */
function hold(child: ChildProcess, isBusy: boolean): void {
  const held = [child, child.channel, child.stderr as unknown as { ref?(): void; unref?(): void }];
  for (const one of held) {
    if (isBusy) one?.ref?.();
    else one?.unref?.();
  }
}

function plain(message: string): string {
  return withoutStack(stripVTControlCharacters(message));
}

function lastLine(printed: string): string {
  const lines = stripVTControlCharacters(printed)
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean);
  return lines.find((line) => /\b\w*Error\b/.test(line)) ?? lines.at(-1) ?? '';
}

/** By framework, folder and options. */
const running = new Map<string, WarmFramework>();

/** The framework of a file, kept loaded for all files that it runs in the same way. */
export function warmFramework(framework: FrameworkPlace, file: string): WarmFramework {
  const { folder, words } = testScript(file, framework.name);
  const key = JSON.stringify([
    framework.name,
    framework.packages[0]?.from === file ? folder : framework.packages,
    folder,
    words,
  ]);
  let found = running.get(key);
  if (!found) running.set(key, (found = new WarmFramework(framework, file)));
  return found;
}
