/**
 * Statements that run before the imports of their file are evaluated, as test frameworks have it for those that replace
 * modules. They stay where they stand, each in a function of its own, and the head of the code calls these.
 */
import { bare, boundNames, type Node } from '../syntax/node.js';
import { namesWith } from './probe-names.js';
import { withLocals } from './probes.js';
import { withoutLocals, type Context, type Walk } from './walk.js';

/** Walks a statement that runs ahead. */
export function visitAhead(walk: Walk, context: Context, node: Node, number: number): void {
  const { out, visit } = walk;
  let variables = '';
  let before = '';
  if (node.type === 'VariableDeclaration') {
    const names = (node.declarations as Node[]).flatMap(({ id }) => boundNames(id as Node).map((one) => one.name));
    variables = names.length > 0 ? `var ${names.join(',')};` : '';
    // What was a pattern that declares is now one that assigns.
    before = '0,';
  }
  out.edits.insert(node.start, `${variables}function ${walk.facts.names.ahead}${number}(){`);
  withLocals(walk, withoutLocals(context), node.start, (inner) => {
    visit.statement(walk, { ...inner, above: -1 }, node, -1);
  });
  if (before !== '') out.edits.replace(node.start, node.start + (node.kind as string).length, before);
  else nameByText(walk, node);
  out.edits.insert(node.end, ';}');
}

/** `vi.mock(import('…'))` names a module and does not import it. */
function nameByText({ out }: Walk, statement: Node): void {
  for (let at = bare(statement.expression as Node); at.type === 'CallExpression';) {
    const [first] = at.arguments as (Node | undefined)[];
    const source =
      first?.type === 'ImportExpression'
        ? (first.source as Node)
        : first?.type === 'CallExpression' && first.callee.type === 'Import'
          ? (first.arguments as Node[])[0]
          : undefined;
    if (first && source?.type === 'StringLiteral') {
      out.edits.drop(first.start, first.end);
      out.edits.replace(first.start, first.end, JSON.stringify(source.value));
    }
    const callee = bare(at.callee as Node);
    if (callee.type !== 'MemberExpression') return;
    at = bare(callee.object as Node);
  }
}

/** Calls of the functions around the statements that run ahead. */
export function callsAhead(prefix: string, count: number): string {
  const { ahead } = namesWith(prefix);
  let calls = '';
  for (let i = 0; i < count; i++) calls += `${ahead}${i}();`;
  return calls;
}
