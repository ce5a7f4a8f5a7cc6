/** The exports of a module in its code. */
import type { Outline } from '../syntax/outline.js';

/** What a script that is written as a module exports: functions from the start, the rest when it has a value. */
export function scriptExports(outline: Outline, p: string): string {
  const functions = new Set(outline.statements.filter((one) => one.kind === 'function').flatMap((one) => one.names));
  const own = outline.exports.filter(
    (entry) =>
      entry.from === undefined &&
      !outline.imports.some((link) => link.names.some((name) => name.local === entry.local)),
  );
  const anonymous = outline.statements.some(
    ({ node }) =>
      node.type === 'ExportDefaultDeclaration' &&
      node.declaration.type === 'FunctionDeclaration' &&
      !node.declaration.id,
  );
  const getters = own.map(
    (entry) => `${JSON.stringify(entry.exported)}:()=>${entry.local === '*default*' ? `${p}z` : entry.local}`,
  );
  const ready = own
    .filter((entry) => functions.has(entry.local) || (entry.local === '*default*' && anonymous))
    .map((entry) => entry.exported);
  // As compilers do, all names are there from the start, those of functions last.
  const passed = outline.exports
    .filter((entry) => entry.exported !== '*' && entry.exported !== 'default' && !ready.includes(entry.exported))
    .map((entry) => entry.exported);
  return `${p}m.give(exports,{${getters.join(',')}},${JSON.stringify(passed)},${JSON.stringify(ready)});`;
}

/**
 * Registers the module's exports before its first statement runs: getters, so that bindings are live and dead zones
 * throw.
 */
export function exportsOf(outline: Outline, p: string): string {
  const getters: string[] = [];
  const stars: string[] = [];
  const linked = outline.imports.filter((entry) => !entry.typeOnly);
  for (const entry of outline.exports) {
    const key = JSON.stringify(entry.exported);
    if (entry.from !== undefined) {
      const index = linked.findIndex((link) => link.specifier === entry.from && link.reexport);
      if (entry.exported === '*') stars.push(`${p}m.star(${index});`);
      else
        getters.push(
          `${key}:()=>${entry.local === '*' ? `${p}m.ns(${index})` : `${p}i${index}[${JSON.stringify(entry.local)}]`}`,
        );
      continue;
    }
    let local = entry.local === '*default*' ? `${p}z` : entry.local;
    linked.forEach((link, index) => {
      const name = link.names.find((imported) => imported.local === entry.local);
      if (name)
        local = name.imported === '*' ? `${p}m.ns(${index})` : `${p}i${index}[${JSON.stringify(name.imported)}]`;
    });
    getters.push(`${key}:()=>${local}`);
  }
  return `${getters.length > 0 ? `${p}m.exports({${getters.join(',')}});` : ''}${stars.join('')}`;
}
