/** The tests of a file as its text tells them. */
import { boundNames, type Node } from './node.js';
import type { Outline } from './outline.js';

const DECLARING = new Set(['test', 'it', 'describe', 'suite', 'default', '*']);

/** Names in a file that declare tests or suites of `node:test`, or hold what does. */
export function testNamesOf(outline: Outline): Set<string> {
  const names = new Set<string>();
  for (const entry of outline.imports)
    if (entry.specifier === 'node:test')
      for (const name of entry.names) if (DECLARING.has(name.imported)) names.add(name.local);
  for (const call of outline.dynamicImports) {
    if (call.specifier !== 'node:test' || call.call !== 'require') continue;
    for (const statement of outline.statements) {
      if (statement.start > call.start || statement.end < call.end || statement.node.type !== 'VariableDeclaration')
        continue;
      for (const declarator of statement.node.declarations as Node[])
        if (declarator.start <= call.start && declarator.end >= call.end)
          for (const id of boundNames(declarator.id)) names.add(id.name as string);
    }
  }
  return names;
}
