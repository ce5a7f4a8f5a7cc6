/** A live program becomes a target: it gets a door, and is found by its name. */
import type { LiveSession } from '../session/live/session.js';
import { openDoor, type Door } from './door.js';
import { ownFolder, register, socketPath, targetsFolder, unregister, type Registration } from './targets.js';

export interface RegisterOptions {
  session: LiveSession;
  name: string;
  /** Process of the program. */
  pid: number;
  entry: string;
  /** Folder that names of files in the workbench are relative to. */
  root: string;
  /** Address of the page of a development server, once that listens. */
  site?(): string | undefined;
  /** A port on 127.0.0.1, 0 for a free one; by default a local socket. */
  port?: number | undefined;
}

export interface RegisteredTarget {
  door: Door;
  /** Its files may be others now. */
  refresh(): void;
  /** Tells all windows how it ended. */
  leave(text: string): Promise<void>;
}

/**
 * Opens the door of a live program and registers it.
 *
 * @throws AnvilError `E_FOLDER` or `E_PORT` where that cannot be
 */
export async function registerTarget(options: RegisterOptions): Promise<RegisteredTarget> {
  const { session, name, pid, port } = options;
  const since = new Date().toISOString();
  const folder = ownFolder(targetsFolder());
  const door = await openDoor({
    session,
    describe: () => {
      const site = options.site?.();
      return { name, pid, since, ...(site === undefined ? {} : { site }) };
    },
    root: options.root,
    at: port ?? socketPath(folder, name, process.pid),
  });
  let entry: Registration = {
    format: 'usher-anvil/target@1',
    name,
    pid,
    door: process.pid,
    entry: options.entry,
    files: session.files,
    since,
    address: door.address,
    token: door.token,
  };
  register(entry);
  return {
    door,
    refresh() {
      if (entry.files.length === session.files.length && entry.entry === session.file) return;
      entry = { ...entry, files: session.files, entry: session.file };
      register(entry);
    },
    async leave(text) {
      unregister(entry);
      await door.close({ text });
    },
  };
}
