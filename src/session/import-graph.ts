/** The graph of the local modules of a program: who imports whom, and what cannot be found. */
import { nearest } from '../syntax/names.js';
import { replacedModules } from '../syntax/replaced-modules.js';
import { AnvilError, type Problem } from '../syntax/problems.js';
import type { ModuleCode, ModuleLink } from '../wire/modules.js';
import type { Resolution } from './host.js';
import type { Linked } from './linked.js';
import type { Unit } from './module-code.js';
import { needsMainThread } from './program-facts.js';
import type { Units } from './units.js';

/** A file of the program. */
export interface GraphNode {
  /** Undefined for JSON. */
  unit: Unit | undefined;
  file: string;
  goal: ModuleCode['goal'];
  links: ModuleLink[];
  /** By specifier: what is imported while the program runs, resolved ahead. */
  dynamic: Record<string, ModuleLink>;
}

export interface ImportGraph {
  /** In the order in which they are found, the entry first. */
  order: GraphNode[];
  /** Numbers in `order`, by file. */
  index: Map<string, number>;
  problems: Linked['problems'];
  /** Files that cannot be parsed at all. */
  fatal: string[];
  needsProcess: string | undefined;
}

export type Resolve = (specifier: string, from: string, how: 'import' | 'require') => Resolution;

/**
 * Reads the graph of an entry. Throws only when the entry itself cannot be read.
 *
 * @param before files that are evaluated before it
 */
export function readGraph(entry: string, units: Units, resolve: Resolve, before: readonly string[] = []): ImportGraph {
  const graph: ImportGraph = { order: [], index: new Map(), problems: [], fatal: [], needsProcess: undefined };
  const reader: Reader = { graph, units, resolve };
  visit(reader, entry, true);
  for (const file of before) {
    const found = resolve(file, entry, 'import');
    if (found.kind === 'local') visit(reader, found.file, false);
  }
  checkNames(graph);
  return graph;
}

interface Reader {
  graph: ImportGraph;
  units: Units;
  resolve: Resolve;
}

function visit(reader: Reader, file: string, isEntry: boolean): void {
  const { graph, units } = reader;
  if (graph.index.has(file)) return;
  graph.index.set(file, graph.order.length);
  const node: GraphNode = { unit: undefined, file, goal: 'json', links: [], dynamic: {} };
  graph.order.push(node);
  if (/\.json$/i.test(file) && !isEntry) return;
  const unit = units.unit(file);
  node.unit = unit;
  node.goal = unit.parsed.goal;
  for (const problem of unit.parsed.problems) graph.problems.push({ file, problem });
  if (unit.parsed.fatal) graph.fatal.push(file);
  if (!unit.outline) return;
  graph.needsProcess ??= needsMainThread(unit.outline);
  linkImports(reader, node, unit);
  linkDynamic(reader, node, unit);
}

function linkImports(reader: Reader, node: GraphNode, unit: Unit): void {
  const outline = unit.outline!;
  const ahead = new Set(replacedModules(outline).flatMap((one) => (one.ahead ? [one.specifier] : [])));
  for (const { specifier, start, end } of reader.units.compiled(unit, false).links) {
    const source = outline.imports.find((one) => one.specifier === specifier && one.at.start === start);
    const passed = outline.exports.filter((one) => one.from === specifier && one.local !== '*').map((one) => one.local);
    const names = [...(source?.names.map((name) => name.imported) ?? []), ...(source?.reexport ? passed : [])];
    const told = reader.graph.problems.length;
    try {
      const link = linkTo(reader, node.file, { specifier, start, end }, 'import', names);
      node.links.push(link);
      // What a test puts in its place is there.
      if (link.kind === 'missing' && ahead.has(specifier)) reader.graph.problems.length = told;
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
      const problem: Problem = { code: error.code, message: error.message, start, end };
      reader.graph.problems.push({ file: node.file, problem });
      node.links.push({ specifier, kind: 'missing', target: error.message, names });
    }
  }
}

/** What is asked for while the program runs is made ready, and what is wrong with it is said when it is asked for. */
function linkDynamic(reader: Reader, node: GraphNode, unit: Unit): void {
  const { problems } = reader.graph;
  const replaced = replacedModules(unit.outline!).map((one) => ({ ...one, call: 'import' as const }));
  for (const call of [...unit.outline!.dynamicImports, ...replaced]) {
    const told = problems.length;
    try {
      const link = linkTo(reader, node.file, call, call.call, []);
      if (link.kind !== 'missing') node.dynamic[call.specifier] = link;
      else problems.length = told;
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
    }
  }
}

function linkTo(
  reader: Reader,
  file: string,
  { specifier, start, end }: { specifier: string; start: number; end: number },
  how: 'import' | 'require',
  names: string[],
): ModuleLink {
  const target = reader.resolve(specifier, file, how);
  if (target.kind === 'local') {
    visit(reader, target.file, false);
    return localLink(specifier, target, names);
  }
  if (target.kind === 'missing') {
    const { message, package: missing } = target;
    const problem: Problem = { code: 'E_RESOLVE', message, start, end };
    reader.graph.problems.push({
      file,
      problem: missing === undefined ? problem : { ...problem, package: missing },
    });
    return { specifier, kind: 'missing', target: message, names };
  }
  return packageLink(specifier, target, names);
}

export function localLink(
  specifier: string,
  { file, mapped, query }: Extract<Resolution, { kind: 'local' }>,
  names: string[],
): ModuleLink {
  return {
    ...{ specifier, kind: 'local', target: file, names },
    ...(mapped ? { mapped } : {}),
    ...(query === undefined ? {} : { query }),
  };
}

/** A link to what is no file of the person. */
export function packageLink(
  specifier: string,
  { kind, base, at }: Exclude<Resolution, { kind: 'local' | 'missing' }>,
  names: string[],
): ModuleLink {
  return {
    ...{ specifier, kind, target: at ?? specifier, names },
    ...(base === undefined ? {} : { base }),
    ...(at === undefined ? {} : { mapped: true as const }),
  };
}

/** A name imported from a local module that has no such export is an error before anything runs, as in the language. */
function checkNames({ order, index, problems }: ImportGraph): void {
  const exportsOf = (file: string, seen: Set<string>): Set<string> | undefined => {
    if (seen.has(file)) return new Set();
    seen.add(file);
    const at = order[index.get(file) ?? -1];
    if (!at) return undefined;
    if (!at.unit) return new Set(['default']);
    if (at.unit.parsed.goal === 'script' || !at.unit.outline) return undefined;
    const names = new Set<string>();
    for (const entry of at.unit.outline.exports) {
      if (entry.exported !== '*') names.add(entry.exported);
      else {
        const link = at.links.find((one) => one.specifier === entry.from);
        const inner = link?.kind === 'local' ? exportsOf(link.target, seen) : undefined;
        if (!inner) return undefined;
        for (const name of inner) if (name !== 'default') names.add(name);
      }
    }
    return names;
  };
  for (const { unit, file, links } of order) {
    if (!unit?.outline) continue;
    for (const link of links) {
      if (link.kind !== 'local') continue;
      const names = exportsOf(link.target, new Set());
      if (!names) continue;
      for (const entry of unit.outline.imports) {
        if (entry.specifier !== link.specifier || entry.typeOnly) continue;
        if (replacedModules(unit.outline).some((one) => one.ahead && one.specifier === entry.specifier)) continue;
        for (const name of entry.names) {
          if (name.imported === '*' || names.has(name.imported)) continue;
          const near = nearest(name.imported, names);
          problems.push({
            file,
            problem: {
              code: 'E_RESOLVE',
              message:
                `'${link.specifier}' has no export named ` +
                `'${name.imported}'.${near ? ` Did you mean '${near}'?` : ''}`,
              thrown: `The requested module '${link.specifier}' does not provide an export named '${name.imported}'`,
              start: name.start,
              end: name.end,
            },
          });
        }
      }
    }
  }
}
