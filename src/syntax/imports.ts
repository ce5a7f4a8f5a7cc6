/** The packages that a file imports, with the names it takes from each. */
import { outlineOf } from './outline.js';
import { parse } from './parse.js';

export interface PackageImport {
  specifier: string;
  names: string[];
  /** Zero-based line of the import. */
  line: number;
}

/** Imports of packages: neither files, nor modules of the platform, nor types alone. */
export function packageImports(file: string, text: string): PackageImport[] {
  const parsed = parse(text, { file });
  if (!parsed.program || parsed.problems.length > 0) return [];
  return outlineOf(parsed)
    .imports.filter(
      ({ specifier, typeOnly }) => !typeOnly && !/^([./#]|node:|file:|data:|usher-anvil\/)/.test(specifier),
    )
    .map(({ specifier, names, at }) => ({
      specifier,
      names: names.map((name) => name.imported),
      line: text.slice(0, at.start).split('\n').length - 1,
    }));
}
