/** Runs the body of one module, and says why one cannot run. */
import type { ModuleCode } from '../../wire/modules.js';
import * as own from '../originals.js';
import type { Stacks } from '../stacks.js';
import type { ModuleEngine } from './engine.js';
import type { Imports } from './imports.js';
import type { Instance } from './instance.js';

/** Runs a module whose imports have run. */
export function execute(instance: Instance, engine: ModuleEngine, imports: Imports): unknown {
  const { code, bindings } = instance;
  if (code.goal === 'json') {
    bindings.put(
      'default',
      engine.scripts ? engine.scripts.load(code.file, false) : JSON.parse(code.code.replace(/^\uFEFF/, '')),
    );
    return undefined;
  }
  for (const link of code.links) {
    const leaf = imports.leaf(link, code.file);
    if (leaf) imports.checkNames(link, leaf);
  }
  if (engine.begins) {
    const { begins } = engine;
    engine.begins = undefined;
    begins();
  }
  if (code.goal === 'script') {
    importScript(instance, engine.scripts);
    return undefined;
  }
  const end: unknown = instance.started
    ? (instance.relink?.(imports.of(instance.code)), instance.started.next())
    : own.apply(instance.body!, undefined, [instance.face, instance.probes, ...imports.of(instance.code)]);
  if (!code.awaits) {
    bindings.sync();
    return undefined;
  }
  return own.promiseThen(end as Promise<unknown>, () => bindings.sync());
}

/** A script as a module that imports it sees it: its exports as they are once it has run. */
function importScript({ code, bindings }: Instance, scripts: ModuleEngine['scripts']): void {
  if (!scripts) throw new own.ErrorCopy(`${code.file} is a script, and this target has no loader for scripts`);
  const exports = scripts.load(code.file, false);
  bindings.put('default', exports);
  if (scripts.ownName !== undefined) bindings.put(scripts.ownName, exports);
  for (const name of code.names ?? []) {
    if (name === 'default' || name === scripts.ownName) continue;
    let value: unknown;
    if ((typeof exports === 'object' && exports !== null) || typeof exports === 'function') {
      try {
        value = own.hasOwn(exports as object, name) ? (exports as Record<string, unknown>)[name] : undefined;
      } catch {
        // A getter that throws leaves it undefined, as in the engine.
      }
    }
    bindings.put(name, value);
  }
}

/** The names of scripts for a pad that is a module, made when it asks for them. */
export function padScope(instance: Instance, { scripts }: ModuleEngine): Record<string, unknown> {
  const { file } = instance.code;
  const { exports, require, module, dirname } = (instance.scope ??= scripts!.scopeOf(file));
  return { exports, require, module, __filename: file, __dirname: dirname };
}

/** See {@link Registry.resultOf}. */
export function resultOf({ bindings, scope }: Instance): { value: unknown } | undefined {
  const namespace = bindings.namespace as Record<string, unknown> | undefined;
  if (namespace && 'default' in namespace) return { value: namespace.default };
  if (!scope) return undefined;
  const { exports } = scope.module as { exports: unknown };
  return exports === scope.exports && own.keys(exports as object).length === 0 ? undefined : { value: exports };
}

/** A module that does not parse, or whose imports lead nowhere, where it is asked for while the program runs. */
export function brokenError(code: ModuleCode, stacks: Stacks): Error {
  const { message, how } = code.broken!;
  const error =
    how === 'link'
      ? Object.assign(new own.ErrorCopy(message), { code: 'ERR_MODULE_NOT_FOUND' })
      : new SyntaxError(message);
  stacks.place(error, code);
  return error;
}

/**
 * Checks that a local ES module can be had with `require` now.
 *
 * @throws Error `ERR_REQUIRE_CYCLE_MODULE`, `ERR_REQUIRE_ASYNC_MODULE` where it cannot, in the engine's words
 */
export function checkRequired(instance: Instance, instanceOf: (file: string) => Instance): void {
  const { status } = instance.state;
  if (status === 'evaluating')
    throw Object.assign(new own.ErrorCopy(`Cannot require() ES Module ${instance.code.file} in a cycle.`), {
      code: 'ERR_REQUIRE_CYCLE_MODULE',
    });
  if (status !== 'done' && waitsSomewhere(instance, instanceOf, []))
    throw Object.assign(
      new own.ErrorCopy('require() cannot be used on an ESM graph with top-level await. Use import() instead.'),
      { code: 'ERR_REQUIRE_ASYNC_MODULE' },
    );
}

function waitsSomewhere(instance: Instance, instanceOf: (file: string) => Instance, seen: Instance[]): boolean {
  if (instance.awaits) return true;
  for (let i = 0; i < seen.length; i++) if (seen[i] === instance) return false;
  own.append(seen, instance);
  for (const link of instance.code.links)
    if (link.kind === 'local' && waitsSomewhere(instanceOf(link.target), instanceOf, seen)) return true;
  return false;
}
