/** Files of a published pad, in memory: what it came with, and what is written while it is open. */

interface Entry {
  bytes: Uint8Array;
  /** Counts up with each write. */
  version: number;
}

const entries = new Map<string, Entry>();
const folders = new Set<string>(['/']);
let versions = 0;

export const memory = {
  /** Told of each change. */
  onWrite: undefined as ((path: string) => void) | undefined,
  has: (path: string): boolean => entries.has(path),
  isFolder: (path: string): boolean => folders.has(path),
  read: (path: string): Uint8Array | undefined => entries.get(path)?.bytes,
  text(path: string): string | undefined {
    const entry = entries.get(path);
    return entry && new TextDecoder().decode(entry.bytes);
  },
  version: (path: string): number => entries.get(path)?.version ?? 0,
  write(path: string, content: string | Uint8Array): void {
    const bytes = typeof content === 'string' ? new TextEncoder().encode(content) : content;
    entries.set(path, { bytes, version: ++versions });
    memory.onWrite?.(path);
    for (let at = path.lastIndexOf('/'); at >= 0; at = path.lastIndexOf('/', at - 1)) {
      folders.add(at === 0 ? '/' : path.slice(0, at));
      if (at === 0) break;
    }
  },
  makeFolder: (path: string): void => void folders.add(path),
  remove(path: string): void {
    entries.delete(path);
    folders.delete(path);
    memory.onWrite?.(path);
  },
  names: (): string[] => [...entries.keys()],
  /** Names of what lies in a folder. */
  list(folder: string): string[] {
    const start = folder === '/' ? '/' : `${folder}/`;
    const names = [...entries.keys(), ...folders]
      .filter((path) => path.startsWith(start) && path.length > start.length)
      .map((path) => path.slice(start.length).split('/')[0]!);
    return [...new Set(names)].sort();
  },
};
