/** The project's own test framework as a process of its own: one file, as it is saved, with the project's settings. */
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { stripVTControlCharacters } from 'node:util';
import type { OwnResult } from '../../../record/own-results.js';
import type { OwnRunHandle, OwnRuns } from '../../../session/host.js';
import type { FrameworkPlace } from '../../../wire/runs.js';
import { commandOf, type OwnCommand } from './commands.js';
import { resultsIn } from './results.js';
import { canStayWarm, warmFramework } from './warm.js';

/** Milliseconds after which a framework that says nothing is ended. */
const LIMIT_MS = 120_000;

/** Each run is a process of its own: for what runs once. */
export const nodeOwnRuns: OwnRuns = { takesUnsaved: () => false, start };

/** Frameworks that can stay loaded do: for who types. */
export const warmOwnRuns: OwnRuns = {
  takesUnsaved: canStayWarm,
  start(framework, file, texts, changed) {
    if (!canStayWarm(framework)) return start(framework, file);
    const warm = warmFramework(framework, file);
    const { id, results } = warm.run(file, texts, changed);
    results.catch(() => undefined);
    return { results, cancel: () => warm.leave(id) };
  },
};

function start(framework: FrameworkPlace, file: string): OwnRunHandle {
  const folder = mkdtempSync(join(tmpdir(), 'usher-anvil-own-'));
  const end = new AbortController();
  const results = run(framework, file, folder, end.signal).finally(() =>
    rmSync(folder, { recursive: true, force: true }),
  );
  // Who cancels does not wait for it.
  results.catch(() => undefined);
  return { results, cancel: () => end.abort() };
}

async function run(framework: FrameworkPlace, file: string, folder: string, signal: AbortSignal): Promise<OwnResult[]> {
  const command = commandOf(framework, file, folder);
  const printed = await output(command, signal);
  let text = '';
  try {
    text = readFileSync(command.results, 'utf8');
  } catch {
    throw new Error(lastWords(printed) || `${framework.name} gave no results`);
  }
  const results = resultsIn(framework.name, text, file);
  if (results.length === 0) throw new Error(lastWords(printed) || `${framework.name} found no tests in it`);
  return results;
}

function output({ args, cwd, env }: OwnCommand, signal: AbortSignal): Promise<string> {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, args, {
      cwd,
      env: { ...process.env, ...env },
      stdio: ['ignore', 'pipe', 'pipe'],
      // Its workers end with it.
      detached: true,
    });
    const kill = (): void => {
      try {
        process.kill(-child.pid!, 'SIGKILL');
      } catch {
        // It has ended meanwhile.
      }
    };
    signal.addEventListener('abort', kill, { once: true });
    const limit = setTimeout(kill, LIMIT_MS);
    let text = '';
    for (const stream of [child.stdout, child.stderr])
      stream.on('data', (data: Buffer) => {
        text = (text + data.toString('utf8')).slice(-20_000);
      });
    child.once('error', reject);
    child.once('close', () => {
      clearTimeout(limit);
      signal.removeEventListener('abort', kill);
      if (signal.aborted) reject(new Error('it was cancelled'));
      else resolve(text);
    });
  });
}

/** The line of what was printed that says most of why there are no results. */
function lastWords(printed: string): string {
  const lines = stripVTControlCharacters(printed)
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '');
  const at = Math.max(
    0,
    lines.findIndex((line) => /\b\w*Error\b/.test(line)),
  );
  const line = lines[at] ?? '';
  return line.endsWith(':') ? `${line} ${lines[at + 1] ?? ''}` : line;
}
