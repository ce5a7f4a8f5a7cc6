/** Data files that modules import: a save is taken by the objects that the program holds already. */
import type { Translator } from '../instrument/translator.js';
import { boundNames, type Node } from '../syntax/node.js';
import type { Outline } from '../syntax/outline.js';
import { changeOf } from './change.js';
import { decideImports } from './decide/imports.js';
import { Decisions } from './decisions.js';
import { LateNames } from './late-names.js';
import type { LiveModule } from './live-module.js';
import { planChanges, type Plan } from './plan.js';

/** How a module has a data file. */
export interface DataUse {
  /** What in it gives the data, as its text names that. */
  from: (
    | { as: 'import'; local: string; imported: string }
    /** A name for the data, or a pattern that has taken parts of it. */
    | { as: 'require'; specifier: string; locals: string[]; taken: boolean }
    | { as: 'import()' }
  )[];
}

/**
 * The data files that a module imports, by file.
 *
 * @param local the file that a specifier leads to
 */
export function dataUses(
  outline: Outline,
  local: (specifier: string, from: string) => string | undefined,
): Map<string, DataUse> {
  const found = new Map<string, DataUse>();
  const use = (specifier: string): DataUse['from'] | undefined => {
    const file = /\.json$/i.test(specifier) ? local(specifier, outline.parsed.file) : undefined;
    if (file === undefined) return undefined;
    const known = found.get(file) ?? { from: [] };
    found.set(file, known);
    return known.from;
  };
  const imported = new Set<string>();
  for (const { specifier, names, typeOnly } of outline.imports) {
    if (typeOnly) continue;
    imported.add(specifier);
    for (const name of names) use(specifier)?.push({ as: 'import', local: name.local, imported: name.imported });
  }
  for (const { specifier, call } of outline.dynamicImports) {
    if (imported.has(specifier)) continue;
    const from = use(specifier);
    if (call === 'import') from?.push({ as: 'import()' });
    else from?.push({ as: 'require', specifier, ...requiredNames(outline, specifier) });
  }
  return found;
}

/** Top-level variables that hold what `require` gave. */
function requiredNames(outline: Outline, specifier: string): { locals: string[]; taken: boolean } {
  const locals: string[] = [];
  let taken = false;
  for (const statement of outline.parsed.program!.body as Node[]) {
    if (statement.type !== 'VariableDeclaration') continue;
    for (const { id, init } of statement.declarations as { id: Node; init: Node | null }[]) {
      const call = init?.type === 'MemberExpression' ? (init.object as Node) : init;
      if (call?.type !== 'CallExpression' || call.callee.name !== 'require') continue;
      if (call.arguments[0]?.value !== specifier) continue;
      locals.push(...boundNames(id).map((node) => node.name as string));
      taken ||= id.type !== 'Identifier' || init !== call;
    }
  }
  return { locals, taken };
}

/** What of a change of its data a module cannot take in place; empty where it takes all. */
export function dataObstacle({ from }: DataUse, before: unknown, after: unknown): string {
  if (!isContainer(before) || !isContainer(after) || Array.isArray(before) !== Array.isArray(after))
    return 'what it holds as a whole is another value';
  const changed = (key: string): boolean => {
    const [a, b] = [(before as Record<string, unknown>)[key], (after as Record<string, unknown>)[key]];
    return !(isContainer(a) && isContainer(b) && Array.isArray(a) === Array.isArray(b)) && a !== b;
  };
  for (const one of from) {
    if (one.as === 'import()') return 'it was imported while the program ran';
    if (one.as === 'require' && one.taken) return `parts of it were taken into ${one.locals.join(', ')}`;
    if (one.as === 'import' && one.imported !== 'default' && one.imported !== '*' && changed(one.imported))
      return `${one.imported} is imported by name`;
  }
  return '';
}

/**
 * Plans to take a data file that was saved, in a module that has it: objects take what they hold now, and what the
 * module has computed from them is computed anew.
 */
export function planData(module: LiveModule, use: DataUse, text: string, translator: Translator): Plan {
  const change = changeOf(module, module.outline);
  const names = new LateNames(change.before, change.prefix, module);
  decideImports({ change, names, decisions: new Decisions(change.after, []) });
  const { file } = module;
  const locals: string[] = [];
  const steps: Plan['steps'] = [];
  const take = (name: string, code: string): void => void steps.push({ kind: 'data', file, name, code, text });
  for (const one of use.from) {
    if (one.as === 'require') {
      locals.push(...one.locals);
      take(one.locals[0] ?? one.specifier, `require(${JSON.stringify(one.specifier)})`);
    } else if (one.as === 'import') {
      locals.push(one.local);
      const place = names.places.get(one.local) ?? one.local;
      if (one.imported === 'default') take(one.local, place);
      else if (one.imported === '*') take(one.local, `${place}.default`);
    }
  }
  const plan = planChanges(module, module.outline, translator, locals);
  return { ...plan, steps: [...steps, ...plan.steps], changes: new Set([...plan.changes, ...locals]) };
}

function isContainer(value: unknown): value is object {
  return typeof value === 'object' && value !== null;
}
