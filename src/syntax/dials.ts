/** The values that stand in calls of `dial`, and how to write others there. */
import { eachChild, type Node } from './node.js';
import { parse } from './parse.js';

export interface TextEdit {
  from: number;
  to: number;
  insert: string;
}

/**
 * Edits that write values into the source as the first values of their dials.
 * A first value that is not written as a literal is left as it is.
 *
 * @param values by the dials' names
 */
export function dialEdits(
  file: string,
  text: string,
  values: ReadonlyMap<string, string | number | boolean>,
): TextEdit[] {
  const { program } = parse(text, { file });
  const edits: TextEdit[] = [];
  if (!program) return edits;
  const visit = (node: Node): void => {
    if (node.type === 'CallExpression' && isDial(node.callee as Node)) {
      const [name, initial] = node.arguments as Node[];
      const value = name?.type === 'StringLiteral' ? values.get(name.value as string) : undefined;
      if (initial && value !== undefined && isLiteral(initial))
        edits.push({
          from: initial.start,
          to: initial.end,
          insert: literal(value, text.slice(initial.start, initial.end)),
        });
    }
    eachChild(node, visit);
  };
  visit(program);
  return edits;
}

function isDial(callee: Node): boolean {
  return (
    (callee.type === 'Identifier' && callee.name === 'dial') ||
    (callee.type === 'MemberExpression' && !callee.computed && callee.property.name === 'dial')
  );
}

function isLiteral(node: Node): boolean {
  return (
    /^(Numeric|String|Boolean)Literal$/.test(node.type) ||
    (node.type === 'UnaryExpression' && node.operator === '-' && node.argument.type === 'NumericLiteral')
  );
}

/** In the quotes that stand there. */
function literal(value: string | number | boolean, before: string): string {
  if (typeof value !== 'string') return String(value);
  const quoted = JSON.stringify(value);
  return before.startsWith("'") ? `'${quoted.slice(1, -1).replace(/\\"/g, '"').replace(/'/g, "\\'")}'` : quoted;
}
