/** Where what is remembered between sessions lies: outside of projects, for this person alone. */
import { createHash } from 'node:crypto';
import { mkdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';

/** `$XDG_STATE_HOME/usher-anvil`, by default below `~/.local/state`. */
export function stateFolder(env: NodeJS.ProcessEnv = process.env): string {
  return join(env.XDG_STATE_HOME ?? join(homedir(), '.local', 'state'), 'usher-anvil');
}

/** The file in a folder of such files that stands for a path; different paths have different ones. */
export function stateFile(folder: string, path: string): string {
  return join(folder, `${createHash('sha256').update(path).digest('hex').slice(0, 32)}.json`);
}

/**
 * Writes a file beside and renames it, so that a crash leaves the old or the new text, never half of one.
 *
 * @throws the platform's error where that fails; nothing is left behind then
 */
export function writeState(path: string, text: string): void {
  mkdirSync(dirname(path), { recursive: true, mode: 0o700 });
  const part = `${path}.${process.pid}.part`;
  try {
    writeFileSync(part, text, { mode: 0o600 });
    renameSync(part, path);
  } catch (error) {
    rmSync(part, { force: true });
    throw error;
  }
}
