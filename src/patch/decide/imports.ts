/** What became of imports and exports. */
import { boundKey } from '../../wire/compiled-text.js';
import { importedNames } from '../live-module.js';
import { REASONS } from '../wording.js';
import type { Deciding } from './deciding.js';

/** Links modules that are imported for the first time, and finds where each imported name is. */
export function decideImports({ change, names, decisions }: Deciding): void {
  const { before, after } = change;
  const { bound, boundLate } = change.module;
  const old = importedNames(before);
  const now = importedNames(after);
  for (const entry of after.imports) {
    if (entry.typeOnly) continue;
    const loose = entry.names.filter((name) => bound?.get(name.local) !== now.get(name.local));
    // What the module's own imports bind is found under its name, or among the late ones.
    for (const { local } of entry.names.filter((name) => !loose.includes(name)))
      names.places.set(local, boundLate ? names.late(boundKey(local)) : local);
    if (
      bound &&
      loose.length === 0 &&
      (entry.names.length > 0 || before.imports.some((one) => one.specifier === entry.specifier))
    )
      continue;
    let base = names.links.get(entry.specifier);
    if (base === undefined) {
      const key = `import ${entry.specifier}`;
      base = names.late(key);
      names.links.set(entry.specifier, base);
      decisions.do({ kind: 'link', key, entry });
      decisions.say('added', key, entry.start);
    }
    for (const name of bound ? loose : entry.names)
      names.places.set(name.local, name.imported === '*' ? base : `${base}[${JSON.stringify(name.imported)}]`);
  }
  for (const [name, what] of now) if (old.get(name) !== what) names.fresh.add(name);
}

/** Adds exports that the module had not. */
export function decideExports({ change, names, decisions }: Deciding): void {
  const keyOf = (entry: { exported: string; local: string; from?: string }): string =>
    `${entry.exported}\n${entry.local}\n${entry.from ?? ''}`;
  const old = new Set(change.before.exports.map(keyOf));
  for (const entry of change.after.exports) {
    if (old.has(keyOf(entry))) continue;
    if (entry.exported === '*') {
      decisions.say('cannot', `export * from '${entry.from!}'`, 0, REASONS.exportAll);
      continue;
    }
    if (entry.local === '*default*') continue;
    const base = entry.from === undefined ? undefined : names.links.get(entry.from);
    const own = (): string => names.places.get(entry.local) ?? names.placeOf(entry.local);
    const place = base === undefined ? own() : entry.local === '*' ? base : `${base}[${JSON.stringify(entry.local)}]`;
    decisions.do({ kind: 'export', exported: entry.exported, place });
  }
}
