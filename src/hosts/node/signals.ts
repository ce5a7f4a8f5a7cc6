/** Signals: whom they reach, and whom they would end. */
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { AnvilError } from '../../syntax/problems.js';

/** The number of `SIGUSR1` on Linux. */
const SIGUSR1 = 10n;

/**
 * Whether the terminal sends its signals to this process, and so to all that it has started in its group: of those
 * nothing has to be passed on.
 */
export function hasTerminal(): boolean {
  try {
    // Behind the name, which may hold anything: state, parent, group, session, terminal, the group in front of it.
    const fields = readFileSync('/proc/self/stat', 'utf8')
      .replace(/^.*\) /s, '')
      .split(' ');
    return fields[2] === fields[5];
  } catch {
    return process.stdin.isTTY || process.stdout.isTTY || process.stderr.isTTY;
  }
}

/**
 * Checks that `SIGUSR1` may be sent to a process: Node opens its inspector at
 * that signal; a process that does not listen for it is ended by it, and 0 and
 * negative numbers are groups of processes.
 *
 * @throws AnvilError `E_TARGET` when it may not
 */
export function checkSignal(pid: number): void {
  const refuse = (why: string): never => {
    throw new AnvilError('E_TARGET', `Process ${pid} cannot be attached to: ${why}.`);
  };
  if (!Number.isSafeInteger(pid) || pid < 1) refuse('no process of a person has that number');
  if (pid === process.pid) refuse('it is this one');
  if (listens(pid) === false)
    refuse('it does not listen for the signal at which Node opens its inspector, and it would end');
}

/** Undefined where the platform does not tell. */
function listens(pid: number): boolean | undefined {
  if (process.platform === 'linux') {
    try {
      const caught = /^SigCgt:\s*([0-9a-f]+)$/m.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1];
      return caught === undefined ? undefined : (BigInt(`0x${caught}`) & (1n << (SIGUSR1 - 1n))) !== 0n;
    } catch {
      return undefined;
    }
  }
  const { stdout, status } = spawnSync('ps', ['-o', 'comm=', '-p', String(pid)], { encoding: 'utf8' });
  return status === 0 ? /(^|\/)node/.test(stdout.trim()) : undefined;
}
