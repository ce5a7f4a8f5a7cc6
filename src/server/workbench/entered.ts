/** What was entered at the prompt in earlier sessions: one JSON string a line, in the user's state folder. */
import { appendFileSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';

/** Entries kept over sessions. */
export const MOST_ENTERED = 1_000;

function historyFile(): string {
  return join(process.env.XDG_STATE_HOME ?? join(homedir(), '.local', 'state'), 'usher-anvil', 'entered.jsonl');
}

/** Entries of earlier sessions, the oldest first. */
export function enteredBefore(): string[] {
  try {
    const all = readFileSync(historyFile(), 'utf8')
      .split('\n')
      .filter((line) => line !== '')
      .flatMap((line) => {
        const entry: unknown = JSON.parse(line);
        return typeof entry === 'string' ? [entry] : [];
      });
    const last = all.slice(-MOST_ENTERED);
    if (all.length > 2 * MOST_ENTERED)
      writeFileSync(historyFile(), `${last.map((one) => JSON.stringify(one)).join('\n')}\n`, { mode: 0o600 });
    return last;
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
