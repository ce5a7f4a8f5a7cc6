/** Puts marks behind expressions of a text: what they must not do is change the program. */
import { parse } from '@babel/parser';

interface Tree {
  type: string;
  start: number;
  end: number;
  [key: string]: unknown;
}

/** Offsets at which some expression ends, in order. */
export function expressionEnds(text: string): number[] {
  const tree = parse(text, {
    sourceType: 'script',
    allowReturnOutsideFunction: true,
    errorRecovery: true,
    plugins: ['decorators', 'explicitResourceManagement'],
  }) as unknown as Tree;
  const ends = new Set<number>();
  const visit = (value: unknown): void => {
    if (Array.isArray(value)) value.forEach(visit);
    else if (typeof value === 'object' && value !== null && typeof (value as Tree).type === 'string') {
      const node = value as Tree;
      if (/Expression$|Literal$|^Identifier$/.test(node.type) && node.type !== 'DirectiveLiteral') ends.add(node.end);
      for (const key of Object.keys(node)) if (key !== 'loc' && key !== 'errors') visit(node[key]);
    }
  };
  visit(tree.program);
  return [...ends].sort((a, b) => a - b);
}

/** The text with a mark at each of the given offsets. */
export function markAt(text: string, offsets: readonly number[], mark: string): string {
  let result = text;
  for (const offset of [...offsets].sort((a, b) => b - a))
    result = `${result.slice(0, offset)} ${mark}${result.slice(offset)}`;
  return result;
}

/** True where a comment changes what a program prints by itself: it prints its own source, or a template holds it. */
export function printsItsSource(text: string): boolean {
  return /toString|String\(|\$\{|`|stack|\.raw/.test(text);
}
