/** Environment files: programs read them when they start, so a save changes nothing in what runs, and that is told. */
import { readdirSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { SavedFiles } from '../hosts/node/saved-files.js';

const NAMED = /^\.env(?:\.[\w.-]+)?$/;
/** Development servers of this kind read theirs anew, and say so themselves. */
const SERVER_CONFIG = /^vite\.config\.[cm]?[jt]s$/;
const OPTION = /--env-file(?:-if-exists)?(?:=|\s+)("[^"]+"|'[^']+'|[^\s"']+)/g;

export interface EnvironmentFiles {
  close(): Promise<void>;
}

/**
 * Watches the environment files of a folder, and those that a command names with `--env-file`.
 *
 * @param command line of the program, or what `NODE_OPTIONS` holds
 * @param say told of each save, in one line
 */
export function watchEnvironmentFiles(
  folder: string,
  command: string,
  say: (file: string, text: string) => void,
): EnvironmentFiles {
  const found = environmentFiles(folder, command);
  if (found.length === 0) return { close: () => Promise.resolve() };
  const saved = new SavedFiles((files) => {
    for (const file of files)
      say(file, 'environment file: what runs has read it at its start and goes on with that; a restart reads it anew');
  });
  saved.add(found);
  return saved;
}

function environmentFiles(folder: string, command: string): string[] {
  let names: string[] = [];
  try {
    names = readdirSync(folder);
  } catch {
    // Nothing can be read here, and the program will say so.
  }
  const named = [...command.matchAll(OPTION)].map((match) => resolve(folder, match[1]!.replace(/^["']|["']$/g, '')));
  if (names.some((name) => SERVER_CONFIG.test(name))) return named;
  const templates = /\.(?:example|sample|template|dist)$/;
  const beside = names.filter((name) => NAMED.test(name) && !templates.test(name)).map((name) => join(folder, name));
  return [...new Set([...beside, ...named])];
}
