/** Which code gives a name a value, and whose variable that is, as far as the text tells. */
import type { Node } from '../../syntax/node.js';
import { scopesOf } from '../../syntax/scopes.js';
import type { Scope } from '../../syntax/scope-data.js';
import type { Site, SiteKind } from '../../instrument/sites.js';
import type { Program, ProgramFile } from '../program.js';
import type { Places } from './places.js';

/** Where the names of a scope are seen, as offsets; and the function (or module) whose scope it is, by its site. */
export interface Declared {
  site: number;
  start: number;
  end: number;
  /** Where the name is declared: the code of its own frame sees no earlier turn's value before that. */
  from: number;
  /** `this`, which only arrow functions see from outside. */
  isThis?: true;
}

export interface Named {
  name: string;
  declared: Declared;
}

/** Samples of these are of what a name holds from then on. */
const WRITES: ReadonlySet<SiteKind> = new Set<SiteKind>([
  ...(['declaration', 'variable', 'assignment', 'default', 'item', 'caught', 'step'] as const),
]);
/** Scopes that a frame enters once: what stands above a declaration there never runs after it. */
const ONCE: ReadonlySet<Scope['kind']> = new Set(['module', 'function', 'parameters', 'self']);
const NAME = /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u;

const known = new WeakMap<Program, Map<number, Named>>();

/** Sites that give a name a value, by their program-wide numbers. */
export function namedSites(program: Program, places: Places): ReadonlyMap<number, Named> {
  let found = known.get(program);
  if (!found) known.set(program, (found = findNamed(program, places)));
  return found;
}

const byFunctions = new WeakMap<Program, Map<number, { number: number; named: Named }[]>>();

/** The same, each with its number, of the function (or module) whose variables they are, by its site. */
export function namedIn(program: Program, places: Places, site: number): readonly { number: number; named: Named }[] {
  let all = byFunctions.get(program);
  if (!all) {
    all = new Map();
    for (const [number, named] of namedSites(program, places)) {
      const list = all.get(named.declared.site);
      if (list) list.push({ number, named });
      else all.set(named.declared.site, [{ number, named }]);
    }
    byFunctions.set(program, all);
  }
  return all.get(site) ?? [];
}

/** Sites that write a name, by their program-wide numbers, with the site of the function that declares it. */
function findNamed(program: Program, places: Places): Map<number, Named> {
  const found = new Map<number, Named>();
  for (const file of program.files) {
    const declaring = declaringSites(file, places);
    const all = new Map<string, Declared>();
    for (const site of file.sites) {
      if (site.kind === 'step' && site.name === 'this') {
        const { start, end, within } = site;
        const declared: Declared = { site: file.base + within, start, end, from: start, isThis: true };
        found.set(file.base + site.id, { name: 'this', declared });
        continue;
      }
      if (!WRITES.has(site.kind) || !NAME.test(site.name)) continue;
      const made = declaring(site);
      // A field of a class, a global of another file.
      if (!made) continue;
      const key = `${made.start} ${made.end} ${site.name}`;
      const declared = all.get(key) ?? made;
      all.set(key, declared);
      if (site.kind !== 'assignment') declared.from = Math.min(declared.from, site.start);
      found.set(file.base + site.id, { name: site.name, declared });
    }
    for (const declared of all.values()) if (declared.from === Infinity) declared.from = 0;
  }
  return found;
}

/** For the sites of a file: the program-wide number of the function (or module) whose variable a name is. */
function declaringSites(file: ProgramFile, places: Places): (site: Site) => Declared | undefined {
  const functions = new Map<string, number>();
  let module = -1;
  for (const { id, kind, start, end, name } of file.sites)
    if (kind === 'function') functions.set(`${start} ${end}`, file.base + id);
    else if (kind === 'branch' && name === 'module') module = file.base + id;
  const program = places.outline(file)?.parsed.program;
  const scopes = program && scopesOf(program);
  const whole = (): Declared => ({ site: module, start: 0, end: file.lines.text.length + 1, from: Infinity });
  if (!scopes) return whole;
  const siteOf = (scope: Scope): number => {
    for (let at: Scope | null = scope; at; at = at.parent) {
      const { node }: { node: Node } = at;
      const site = functions.get(`${node.start} ${node.end}`);
      if (site !== undefined) return site;
    }
    return module;
  };
  const all = [...new Set([scopes.module, ...scopes.inner.values()])].flatMap(withParents);
  return ({ start, name }) => {
    let best: Scope | undefined;
    for (const scope of all) {
      const { node } = scope;
      if (!scope.names.has(name) || node.start > start || node.end < start) continue;
      if (!best || node.end - node.start <= best.node.end - best.node.start) best = scope;
    }
    return best
      ? { site: siteOf(best), start: best.node.start, end: best.node.end, from: ONCE.has(best.kind) ? 0 : Infinity }
      : undefined;
  };
}

function withParents(scope: Scope): Scope[] {
  return scope.parent ? [scope, ...withParents(scope.parent)] : [scope];
}
