/** The graph of the modules of a program: who imports whom, what is executed again with a file, and in which order. */
import type { Outline } from '../../syntax/outline.js';

export interface ModuleGraph {
  /** Outlines of the modules that run, by file. */
  running: ReadonlyMap<string, { outline: Outline }>;
  /** The outline of a file as it will run; undefined where its text does not parse. */
  next(file: string): Outline | undefined;
  /** The file that a specifier leads to; undefined for a package. */
  localFile(specifier: string, from: string): string | undefined;
  /** Modules that hosts in the program put in and take out. */
  extensions: ReadonlySet<string>;
}

/** True when an outline imports a file, directly and not as a type. */
export function importsFrom(outline: Outline, file: string, localFile: ModuleGraph['localFile']): boolean {
  return outline.imports.some((entry) => !entry.typeOnly && localFile(entry.specifier, outline.parsed.file) === file);
}

/** Files that import a file, directly. */
export function importersOf(graph: ModuleGraph, file: string): string[] {
  return [...graph.running]
    .filter(([, { outline }]) => importsFrom(outline, file, graph.localFile))
    .map(([importer]) => importer);
}

/** The extension that a file belongs to: the file itself, or one through which alone it is imported. */
export function extensionOf(graph: ModuleGraph, file: string, seen = new Set<string>()): string | undefined {
  if (graph.extensions.has(file)) return file;
  if (seen.has(file)) return undefined;
  seen.add(file);
  const owners = importersOf(graph, file).map((one) => extensionOf(graph, one, seen));
  return owners.length > 0 && owners.every((owner) => owner !== undefined) ? owners[0] : undefined;
}

/** Files and what imports them, each after what it imports. Stops at extensions: their hosts stay. */
export function executionOrder(graph: ModuleGraph, files: readonly string[]): string[] {
  const all = new Set<string>();
  const climb = (file: string): void => {
    if (all.has(file)) return;
    all.add(file);
    if (graph.extensions.has(file)) return;
    for (const importer of importersOf(graph, file)) climb(importer);
  };
  for (const file of files) climb(file);
  const order: string[] = [];
  const visit = (file: string): void => {
    if (order.includes(file)) return;
    all.delete(file);
    for (const entry of (graph.next(file) ?? graph.running.get(file)?.outline)?.imports ?? []) {
      const target = graph.localFile(entry.specifier, file);
      if (target !== undefined && all.has(target)) visit(target);
    }
    order.push(file);
  };
  while (all.size > 0) visit([...all][0]!);
  return order;
}
