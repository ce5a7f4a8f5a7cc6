/** `import.meta` of a module. */
import type { ModuleCode } from '../../wire/modules.js';
import * as own from '../originals.js';
import type { ModuleEngine } from './engine.js';

/** @param isMain the module is the program's first; told only where the engine tells it too */
export function metaOf(code: ModuleCode, engine: ModuleEngine, isMain: boolean, env: object | undefined): object {
  return own.createObject(null, {
    dirname: { value: engine.dirname(code.file), enumerable: true, writable: true, configurable: true },
    filename: { value: code.file, enumerable: true, writable: true, configurable: true },
    ...(env ? { env: { value: env, enumerable: true, writable: true, configurable: true } } : {}),
    ...(engine.metaHasMain ? { main: { value: isMain, enumerable: true, writable: true, configurable: true } } : {}),
    resolve: {
      value: function resolve(specifier: string): string {
        const known = own.getDescriptor(code.dynamic, specifier) ? code.dynamic[specifier]! : undefined;
        if (known?.kind === 'local') return engine.urlOf(known.target);
        return engine.resolveUrl ? engine.resolveUrl(specifier, code.file) : specifier;
      },
      enumerable: true,
      writable: true,
      configurable: true,
    },
    url: { value: engine.urlOf(code.file), enumerable: true, writable: true, configurable: true },
  }) as object;
}
