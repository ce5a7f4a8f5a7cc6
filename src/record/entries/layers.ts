/** Layers of a program's files: the folders that they lie in, or what a project names by patterns. */

/** Patterns by the name of a layer, in the order in which they are tried. */
export type LayerPatterns = Readonly<Record<string, readonly string[]>>;

/**
 * The layer of a file.
 *
 * @param path of the file from the program's folder, with `/`
 * @param patterns see {@link matchesPattern}
 */
export function layerOf(path: string, patterns: LayerPatterns): string {
  for (const [name, list] of Object.entries(patterns))
    if (list.some((pattern) => matchesPattern(path, pattern))) return name;
  // Folders that say where sources lie, and not what they are.
  const folders = path.split('/').slice(0, -1);
  while (folders.length > 0 && /^(?:src|lib|app|source|dist|build|\.\.)$/.test(folders[0]!)) folders.shift();
  return folders[0] ?? baseName(path);
}

/** The name of a file that lies in no folder of its own. */
function baseName(path: string): string {
  return path
    .split('/')
    .at(-1)!
    .replace(/\.[^.]+$/, '');
}

/** `*` stands for anything within a folder's name, `**` for any folders, a pattern without `/` for a file anywhere. */
export function matchesPattern(path: string, pattern: string): boolean {
  const whole = pattern.includes('/') ? pattern : `**/${pattern}`;
  const text = whole
    .split('/')
    .map((part) =>
      part === '**'
        ? '**'
        : part
            .replace(/[.+^${}()|[\]\\]/g, '\\$&')
            .replace(/\*/g, '[^/]*')
            .replace(/\?/g, '[^/]'),
    )
    .join('/')
    .replace(/^\*\*\//, '(?:.*/)?')
    .replace(/\/\*\*\//g, '/(?:.*/)?')
    .replace(/\/\*\*$/, '/.*');
  return new RegExp(`^${text}$`).test(path);
}
