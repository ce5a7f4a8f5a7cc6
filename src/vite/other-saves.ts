/** Saves of files that are neither code nor data: what the development server itself does with them, in words. */
import type { EnvironmentModuleNode } from 'vite';

const STYLES = /\.(?:css|s[ac]ss|less|styl|stylus|pcss|postcss)$/;

/**
 * What becomes of a save; empty where the server does nothing, or speaks for itself.
 *
 * @param modules of pages, made from the file
 */
export function saidOfSave(file: string, modules: readonly EnvironmentModuleNode[]): string {
  if (STYLES.test(file)) return modules.length > 0 ? 'styles are replaced, the page goes on' : '';
  if (file.endsWith('.html')) return 'the page is loaded anew';
  if (modules.length === 0) return '';
  const seen = new Set<EnvironmentModuleNode>();
  return modules.every((one) => isTaken(one, seen))
    ? 'taken by what imports it, the page goes on'
    : 'the page is loaded anew: what imports it does not take it in place';
}

/** An update ends at modules that accept it; one that reaches a module without importers does not. */
function isTaken(module: EnvironmentModuleNode, seen: Set<EnvironmentModuleNode>): boolean {
  if (module.isSelfAccepting || seen.has(module)) return true;
  seen.add(module);
  return (
    module.importers.size > 0 &&
    [...module.importers].every((importer) => importer.acceptedHmrDeps.has(module) || isTaken(importer, seen))
  );
}
