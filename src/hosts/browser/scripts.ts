/** CommonJS scripts of the person in a page: a loader with a cache, whose `require` leads where imports lead. */
import type { ScriptLoader } from '../../runtime/modules/engine.js';
import type { Registry } from '../../runtime/modules/registry.js';

interface ScriptModule {
  id: string;
  filename: string;
  exports: unknown;
  loaded: boolean;
}

/** @param load loads a package, or a module of the platform that a page can answer */
export function scriptsInPage(
  registry: () => Registry,
  load: (specifier: string, from: string) => Record<string, unknown>,
): ScriptLoader {
  const modules = new Map<string, ScriptModule>();
  const dirname = (file: string): string => file.replace(/\/[^/]*$/, '') || '/';

  const moduleOf = (file: string): ScriptModule => {
    let found = modules.get(file);
    if (!found) modules.set(file, (found = { id: file, filename: file, exports: {}, loaded: false }));
    return found;
  };

  const loadScript = (file: string): unknown => {
    const known = modules.get(file);
    if (known) return known.exports;
    const code = registry().codeFor(file)!;
    if (code.goal === 'module') return registry().requireModule(file);
    const module = moduleOf(file);
    try {
      if (code.goal === 'json') module.exports = JSON.parse(code.code) as unknown;
      else registry().script(file, scopeOf(file));
    } catch (error) {
      modules.delete(file);
      throw error;
    }
    module.loaded = true;
    return module.exports;
  };

  const requireFrom = (file: string, specifier: string): unknown => {
    const given = registry().requireGiven(specifier, file);
    if (given) return given.value;
    const link = registry().linkOf(specifier, file);
    if (link.kind === 'local') return loadScript(link.target);
    if (link.kind === 'missing') throw Object.assign(new Error(link.target), { code: 'MODULE_NOT_FOUND' });
    const found = load(link.target, file);
    // What a package exports as a script is its default here.
    return 'default' in found && found.default !== undefined ? found.default : found;
  };

  const scopeOf = (file: string): ReturnType<ScriptLoader['scopeOf']> => {
    const module = moduleOf(file);
    const require = (specifier: string): unknown => requireFrom(file, specifier);
    return { exports: module.exports, require, module, dirname: dirname(file) };
  };

  return {
    load: loadScript,
    requireFrom,
    scopeOf,
    ownName: undefined,
    forget(files) {
      const before = files.map((file) => [file, modules.get(file)] as const);
      for (const file of files) modules.delete(file);
      return () => {
        for (const [file, module] of before) if (module) modules.set(file, module);
      };
    },
  };
}
