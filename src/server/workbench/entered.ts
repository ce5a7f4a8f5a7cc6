/** What was entered at the prompt in earlier sessions: one JSON string a line, in the user's state folder. */
import { appendFileSync, mkdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { stateFolder, writeState } from '../../hosts/node/state-folder.js';

/** Entries kept over sessions. */
export const MOST_ENTERED = 1_000;

function historyFile(): string {
  return join(stateFolder(), 'entered.jsonl');
}

/** Entries of earlier sessions, the oldest first. */
export function enteredBefore(): string[] {
  try {
    const all = readFileSync(historyFile(), 'utf8')
      .split('\n')
      .filter((line) => line !== '')
      .flatMap(entryOf);
    const last = all.slice(-MOST_ENTERED);
    if (all.length > 2 * MOST_ENTERED)
      writeState(historyFile(), `${last.map((one) => JSON.stringify(one)).join('\n')}\n`);
    return last;
  } catch {
    return [];
  }
}

/** The entry of a line; none where a line is half written, or something else. */
function entryOf(line: string): string[] {
  try {
    const entry: unknown = JSON.parse(line);
    return typeof entry === 'string' ? [entry] : [];
  } catch {
    return [];
  }
}

/** Remembers an entry for later sessions. */
export function rememberEntered(entry: string): void {
  try {
    mkdirSync(dirname(historyFile()), { recursive: true, mode: 0o700 });
    appendFileSync(historyFile(), `${JSON.stringify(entry)}\n`, { mode: 0o600 });
  } catch {
    // A history that cannot be kept is no reason to stop.
  }
}
