/** Modules as the development server gives them to its pages. */
import { relative, sep } from 'node:path';
import type { DevEnvironment } from 'vite';
import { segmentsOf } from '../instrument/source-map.js';
import { LineTable } from '../syntax/positions.js';
import type { ModuleCode } from '../wire/modules.js';

/** Tries to find a module that the page executes already: the server knows of it a moment later. */
const TRIES = 20;
const TRY_MS = 50;

/**
 * Where the page loads a module that is imported only now.
 *
 * @param takesPart tells whether a file is one that is instrumented
 * @returns its address, and its file where it takes part; undefined where the server does not find it
 */
export async function resolveForPage(
  environment: DevEnvironment | undefined,
  root: string,
  takesPart: (file: string) => boolean,
  specifier: string,
  from: string,
): Promise<{ url: string; target?: string } | undefined> {
  const resolved = await environment?.pluginContainer.resolveId(specifier, from);
  if (!resolved) return undefined;
  const file = resolved.id.split('?')[0]!;
  if (!/^[./]/.test(specifier) && !takesPart(file)) return { url: `/@id/${specifier}` };
  const url = file.startsWith(root)
    ? `/${relative(root, file).split(sep).join('/')}`
    : `/@fs/${file.replace(/^\//, '')}`;
  return { url, ...(takesPart(file) ? { target: file } : {}) };
}

/** A module as it is served in the end, with where each of its places comes from. */
export async function servedCode(environment: DevEnvironment | undefined, code: ModuleCode): Promise<ModuleCode> {
  for (let tries = 0; tries < TRIES; tries++) {
    for (const { transformResult } of environment?.moduleGraph.getModulesByFile(code.file) ?? []) {
      const map = transformResult?.map;
      if (!transformResult || !map || !('mappings' in map) || map.mappings === '') continue;
      const original = new LineTable(code.original);
      const segments = segmentsOf({ code: transformResult.code, map: JSON.stringify(map) }, (line, character) =>
        original.offsetAt({ line, character }),
      );
      return { ...code, ...segments, code: transformResult.code };
    }
    await new Promise((resolve) => setTimeout(resolve, TRY_MS));
  }
  return code;
}
