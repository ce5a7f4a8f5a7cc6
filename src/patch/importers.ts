/** What follows a change in other files: values that were computed from what the changed ones export. */
import type { Translator } from '../instrument/translator.js';
import type { Outline } from '../syntax/outline.js';
import type { LiveModule } from './live-module.js';
import { planChanges, type Plan } from './plan.js';

/**
 * Plans with those of further modules behind them: of modules that import what changes, directly or over others, and
 * have computed values from it.
 *
 * @param modules all that live in one place, by file
 * @param local the file that a specifier leads to; undefined for a package
 */
export function withImporters(
  modules: ReadonlyMap<string, LiveModule>,
  plans: readonly Plan[],
  translator: Translator,
  local: (specifier: string, from: string) => string | undefined,
): Plan[] {
  const all = new Map(plans.map((plan) => [plan.file, plan]));
  /** Names that hold another value, by the file that imports them. */
  const imported = new Map<string, Set<string>>();
  const queue: { file: string; names: Set<string> }[] = plans.map(({ file, next, changes }) => ({
    file,
    names: exportsOf(next.outline, changes),
  }));
  for (let one = queue.shift(); one; one = queue.shift()) {
    const { file, names } = one;
    if (names.size === 0) continue;
    for (const module of modules.values()) {
      const earlier = all.get(module.file);
      const { outline } = earlier?.next ?? module;
      const from = outline.imports.filter((entry) => !entry.typeOnly && local(entry.specifier, module.file) === file);
      if (from.length === 0 || module.file === file) continue;
      const passedOn = outline.exports.filter(
        (entry) => names.has(entry.local) && from.some((source) => source.specifier === entry.from),
      );
      queue.push({ file: module.file, names: new Set(passedOn.map((entry) => entry.exported)) });
      const known = imported.get(module.file) ?? new Set<string>();
      const fresh = from.flatMap((entry) =>
        entry.names.filter((name) => name.imported === '*' || names.has(name.imported)).map((name) => name.local),
      );
      if (fresh.every((name) => known.has(name))) continue;
      for (const name of fresh) known.add(name);
      imported.set(module.file, known);
      const plan = planChanges(module, outline, translator, known);
      if (plan.notes.length === 0) continue;
      all.set(module.file, plan);
      const before = earlier?.changes ?? new Set();
      queue.push({
        file: module.file,
        names: exportsOf(outline, new Set([...plan.changes].filter((name) => !before.has(name)))),
      });
    }
  }
  return inOrder([...all.values()], modules, local);
}

/** Each plan behind those of what its module imports, directly or over others. */
function inOrder(
  plans: readonly Plan[],
  modules: ReadonlyMap<string, LiveModule>,
  local: (specifier: string, from: string) => string | undefined,
): Plan[] {
  if (plans.length < 2) return [...plans];
  const order: Plan[] = [];
  const seen = new Set<string>();
  const visit = (file: string): void => {
    if (seen.has(file)) return;
    seen.add(file);
    const plan = plans.find((one) => one.file === file);
    for (const entry of (plan?.next ?? modules.get(file))?.outline.imports ?? []) {
      const target = entry.typeOnly ? undefined : local(entry.specifier, file);
      if (target !== undefined) visit(target);
    }
    if (plan) order.push(plan);
  };
  for (const { file } of plans) visit(file);
  return order;
}

/** The names under which a module exports some of its own. */
function exportsOf(outline: Outline, locals: ReadonlySet<string>): Set<string> {
  return new Set(
    outline.exports
      .filter((entry) => entry.from === undefined && locals.has(entry.local))
      .map((entry) => entry.exported),
  );
}
