/**
 * ES modules at once: Node compiles them for `require`, out of a text, and
 * links them to what its own loader has. So packages can be evaluated at their
 * place between modules of ours, and our modules have real namespace objects.
 */
import { Module as NodeModule } from 'node:module';
import { dirname, sep } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import type { NamespaceShell } from '../../../runtime/modules/bindings.js';

interface Module {
  filename: string | null;
  paths: string[];
  exports: unknown;
  _compile(code: string, file: string, format: string): unknown;
}
const Module = NodeModule as unknown as new (id: string) => Module;
const hasOwn = Object.prototype.hasOwnProperty;
const compile = (NodeModule.prototype as unknown as Module)._compile;

let made = 0;
const freshName = (beside: string): string => `${beside}.usher-anvil-${++made}.mjs`;

/** Evaluates a text as the ES module `file`; gives what `require` would. */
function moduleNow(text: string, file: string): Record<string, unknown> {
  const module = new Module(file);
  module.filename = file;
  module.paths = [];
  compile.call(module, text, file, 'module');
  return module.exports as Record<string, unknown>;
}

/**
 * Imports a package or builtin at once, as an `import` in `from` would.
 *
 * @returns its namespace; undefined where it waits at its top level
 * @throws what it throws while it is evaluated
 */
export function importNow(specifier: string, from: string): Record<string, unknown> | undefined {
  try {
    return moduleNow(`import * as ns from ${JSON.stringify(specifier)};export{ns}`, freshName(`${dirname(from)}${sep}`))
      .ns as Record<string, unknown>;
  } catch (error) {
    if ((error as { code?: string }).code === 'ERR_REQUIRE_ASYNC_MODULE') return undefined;
    throw error;
  }
}

let hasMain: boolean | undefined;

/** Newer engines tell a module whether it is the program's first. */
export function importMetaHasMain(): boolean {
  return (hasMain ??= moduleNow("export const has='main'in import.meta", freshName(`${process.cwd()}${sep}`))
    .has as boolean);
}

/** Under which address Node's loader has the namespaces that were made here. */
const addresses = new WeakMap<object, string>();

/** Makes a real namespace object with these names, whose bindings can be set. */
export function namespaceShell(file: string, names: readonly string[]): NamespaceShell {
  const scope = globalThis as unknown as Record<symbol, unknown>;
  const key = Symbol.for('usher-anvil/shell@1');
  let setters: ((value: unknown) => void)[] | undefined;
  scope[key] = (given: ((value: unknown) => void)[]) => (setters = given);
  const text = [
    names.map((_, index) => `let $${index};`).join(''),
    `globalThis[Symbol.for('usher-anvil/shell@1')]([${names.map((_, index) => `(v)=>{$${index}=v}`).join(',')}]);`,
    `export{${names.map((name, index) => `$${index} as ${JSON.stringify(name)}`).join(',')}};`,
  ].join('');
  try {
    // Under the file's own name, so that a package which imports it gets the same; unless one has done so already.
    try {
      moduleNow(text, file);
    } catch {
      // The engine has begun to load the file by itself, and not come to its end.
    }
    const address = pathToFileURL(file).href;
    // Nothing can be imported by a name that no file has: then it is what `require` gives.
    const namespace: object = setters ? importNow(address, file)! : moduleNow(text, freshName(file));
    if (setters) addresses.set(namespace, address);
    const list = setters!;
    const index = new Map(names.map((name, number) => [name, number]));
    return { namespace, set: (name, value) => list[index.get(name)!]!(value) };
  } finally {
    delete scope[key];
  }
}

/** What Node's `require` gives for an ES module of ours: its namespace, marked as one where it has a default export. */
export function requiredModule(namespace: object): unknown {
  if (hasOwn.call(namespace, 'module.exports')) return (namespace as Record<string, unknown>)['module.exports'];
  const address = addresses.get(namespace);
  if (address === undefined || !hasOwn.call(namespace, 'default') || hasOwn.call(namespace, '__esModule'))
    return namespace;
  const text =
    `export*from${JSON.stringify(address)};export{default}from${JSON.stringify(address)};export ` +
    'const __esModule=true';
  return moduleNow(text, freshName(fileURLToPath(address)));
}
