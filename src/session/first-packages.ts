/** Packages that a program imports before any code of its own runs: they may be loaded ahead. */
import type { Node } from '../syntax/node.js';
import type { Outline } from '../syntax/outline.js';
import type { ModuleLink } from '../wire/modules.js';
import type { Linked } from './linked.js';
import type { Unit } from './module-code.js';

/** Files that are imported before anything runs. */
export function statically(
  order: readonly { file: string; links: ModuleLink[] }[],
  index: ReadonlyMap<string, number>,
): Set<string> {
  const seen = new Set<string>();
  const visit = (file: string): void => {
    if (seen.has(file)) return;
    seen.add(file);
    for (const link of order[index.get(file) ?? -1]?.links ?? []) if (link.kind === 'local') visit(link.target);
  };
  if (order[0]) visit(order[0].file);
  return seen;
}

/**
 * Packages that are evaluated before code of the person that could do anything
 * they would notice; builtins notice nothing.
 *
 * @param before files that are evaluated before the first one
 */
export function firstPackages(
  order: readonly { unit: Unit | undefined; file: string; links: ModuleLink[]; dynamic: Record<string, ModuleLink> }[],
  index: ReadonlyMap<string, number>,
  before: readonly string[] = [],
): Linked['packages'] {
  const packages: Linked['packages'] = [];
  const known = new Set<string>();
  const seen = new Set<string>();
  let quiet = true;
  const add = (link: ModuleLink, from: string): void => {
    if (link.kind !== 'builtin' && !(link.kind === 'package' && quiet)) return;
    const specifier = link.kind === 'package' ? link.target : link.specifier;
    const key = `${specifier}\n${from}`;
    if (known.has(key)) return;
    known.add(key);
    packages.push({ specifier, from: link.base ?? from });
  };
  const visit = (file: string): void => {
    if (seen.has(file)) return;
    seen.add(file);
    const at = order[index.get(file) ?? -1];
    if (!at) return;
    for (const link of at.links) {
      if (link.kind === 'local') visit(link.target);
      else add(link, file);
    }
    const { outline } = at.unit ?? {};
    // What a script requires before it does anything else is as good as imported.
    if (outline?.parsed.goal === 'script' && quiet) {
      for (const specifier of leadingRequires(outline)) {
        const link = at.dynamic[specifier];
        if (link?.kind === 'local') visit(link.target);
        else if (link) add(link, file);
      }
    }
    if (outline && !onlyDeclares(outline)) quiet = false;
    for (const link of Object.values(at.dynamic)) if (link.kind === 'builtin') add(link, file);
  };
  for (const file of before) visit(file);
  if (order[0]) visit(order[0].file);
  return packages;
}

/** What `const x = require('…')` names at the top of a script, before any other statement. */
function leadingRequires(outline: Outline): string[] {
  const found: string[] = [];
  for (const { node } of outline.statements) {
    if (node.type !== 'VariableDeclaration') break;
    for (const { init } of node.declarations as Node[]) {
      if (
        init?.type !== 'CallExpression' ||
        init.callee.name !== 'require' ||
        init.arguments[0]?.type !== 'StringLiteral'
      )
        return found;
      found.push(init.arguments[0].value as string);
    }
  }
  return found;
}

/** Nothing outside of the module can tell that its top level has run. */
function onlyDeclares(outline: Outline): boolean {
  const plain = (node: Node | null | undefined): boolean =>
    !node || /^(Numeric|String|Boolean|Null|BigInt|RegExp)Literal$|^(Arrow)?FunctionExpression$/.test(node.type);
  return outline.statements.every(({ node }) => {
    const one =
      (node.type === 'ExportNamedDeclaration' || node.type === 'ExportDefaultDeclaration') && node.declaration
        ? (node.declaration as Node)
        : node;
    if (one.type === 'VariableDeclaration')
      return (one.declarations as Node[]).every(({ id, init }) => id.type === 'Identifier' && plain(init));
    return /^(Import|ExportNamed|ExportAll|Function|TSInterface|TSTypeAlias|TSDeclare)/.test(one.type) || plain(one);
  });
}
