/** Scripts that are written as modules: their imports are calls of `require`, and exports get values as they run. */
import type { Node } from '../syntax/node.js';
import type { ImportEntry } from '../syntax/outline.js';
import { insertBehind } from './probes.js';
import { memberText, newlinesIn, type Walk } from './walk.js';

/** How a required module is seen: as it is, with a default, or as a namespace with a default. */
const AS_IT_IS = 0;
const WITH_DEFAULT = 1;
const AS_NAMESPACE = 2;

/** An import: `require` at its place, and what is exported from there. */
export function requireInPlace(walk: Walk, node: Node): void {
  const { facts, out } = walk;
  const { outline, names, options } = facts;
  const entry = outline.imports.find((one) => one.start === node.start);
  const lines = newlinesIn(walk, node.start, node.end);
  if (!entry || entry.typeOnly) {
    out.edits.replace(node.start, node.end, `;${lines}`);
    return;
  }
  const required = `require(${JSON.stringify(entry.specifier)})`;
  if (node.type === 'ExportAllDeclaration') {
    out.edits.replace(node.start, node.end, `${names.module}.passAll(exports,${required});${lines}`);
    return;
  }
  const number = outline.imports.filter((one) => !one.typeOnly).indexOf(entry);
  const module = `${names.imported}${number}`;
  const { taken, getters } = passedThrough(walk, node, entry, module);
  let code =
    taken.length === 0 ? `${required};` : `const ${module}=${names.module}.need(${required},${kindOf(walk, taken)});`;
  const root = options.jsxRoots?.get(number);
  if (root !== undefined) code += `${root}=${module};`;
  if (getters.length > 0) code += `${names.module}.pass(exports,{${getters.join(',')}});`;
  out.edits.replace(node.start, node.end, code + lines);
}

function kindOf({ facts }: Walk, taken: readonly string[]): number {
  if (facts.outline.parsed.settings?.esModuleInterop === false) return AS_IT_IS;
  if (taken.includes('*') || (taken.includes('default') && taken.length > 1)) return AS_NAMESPACE;
  return taken.includes('default') ? WITH_DEFAULT : AS_IT_IS;
}

/** The names an import takes, and getters for those that the file exports. */
function passedThrough(
  { facts, known }: Walk,
  node: Node,
  entry: ImportEntry,
  module: string,
): { taken: string[]; getters: string[] } {
  const read = (imported: string): string => (imported === '*' ? module : memberText(module, imported));
  const getter = (exported: string, imported: string): string => `${JSON.stringify(exported)}:()=>${read(imported)}`;
  if (node.type === 'ExportNamedDeclaration') {
    const passed = facts.outline.exports.filter(
      (one) => one.from === entry.specifier && isExportedBy(node, one.exported),
    );
    return { taken: passed.map((one) => one.local), getters: passed.map((one) => getter(one.exported, one.local)) };
  }
  const getters = entry.names.flatMap((name) =>
    (known.exported.get(name.local) ?? []).map((exported) => getter(exported, name.imported)),
  );
  return { taken: entry.names.map((name) => name.imported), getters: node.type === 'ImportDeclaration' ? getters : [] };
}

function isExportedBy(node: Node, exported: string): boolean {
  return (node.specifiers as Node[]).some(
    (specifier) => (specifier.exported.name ?? specifier.exported.value) === exported,
  );
}

/** Behind a declaration: what it exports has a value now. */
export function putExports(walk: Walk, declared: readonly string[], end: number): void {
  const exported = declared.flatMap((name) => walk.known.exported.get(name) ?? []);
  if (exported.length > 0) insertBehind(walk, end, `${walk.facts.names.module}.put(${JSON.stringify(exported)});`);
}

/** Names under which what an expression writes is exported. */
export function writtenExports({ facts, known }: Walk, node: Node): string[] {
  const written = facts.outline.references.filter((reference) => reference.use === 'write' && reference.by === node);
  return written.flatMap(({ name }) => known.exported.get(name) ?? []);
}
