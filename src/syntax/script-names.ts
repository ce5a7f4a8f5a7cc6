/** Names of scripts in a pad that is a module: code is pasted from where it comes, and mixes both kinds. */
import type { Outline, Reference } from './outline.js';

const SCRIPT_NAMES = ['require', 'module', 'exports', '__filename', '__dirname'] as const;
export type ScriptName = (typeof SCRIPT_NAMES)[number];

/**
 * The names of scripts that a module uses free and never asks for with `typeof`, each with its first use. None for a
 * script, which has them anyway.
 */
export function scriptNamesIn(outline: Outline): Map<ScriptName, Reference> {
  const found = new Map<ScriptName, Reference>();
  if (outline.parsed.goal !== 'module') return found;
  const imported = new Set(outline.imports.flatMap((entry) => entry.names.map((name) => name.local)));
  for (const name of SCRIPT_NAMES) {
    if (outline.topLevel.has(name) || imported.has(name) || outline.asked.has(name)) continue;
    const first = outline.references.find((one) => one.name === name && one.use !== 'type');
    if (first) found.set(name, first);
  }
  return found;
}
