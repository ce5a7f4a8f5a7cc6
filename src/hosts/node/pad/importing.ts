/** Imports what is not the person's own, as the engine does from a file. */
import vm from 'node:vm';

export type ImportFrom = (specifier: string) => Promise<Record<string, unknown>>;

/** Gives the way to import from a file, made once for each. */
export function makeImporter(): (from: string) => ImportFrom {
  const importers = new Map<string, ImportFrom>();
  return (from) => {
    let found = importers.get(from);
    if (!found) {
      const script = new vm.Script('(specifier) => import(specifier)', {
        filename: from,
        importModuleDynamically: vm.constants.USE_MAIN_CONTEXT_DEFAULT_LOADER,
      });
      found = script.runInThisContext() as ImportFrom;
      importers.set(from, found);
    }
    return found;
  };
}
