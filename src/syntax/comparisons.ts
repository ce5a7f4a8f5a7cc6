/** Ways that a pad compares with `compare` of `usher-anvil/pad`, as they are written. */
import type { Outline } from './outline.js';
import { eachChild, isFunction, type Node } from './node.js';
import { LineTable } from './positions.js';

/** A call of `compare`. */
export interface WrittenComparison {
  /** Zero-based. */
  line: number;
  /** Names of the ways, the baseline first. */
  names: string[];
  /** The object of ways, what they are called with, and what is said besides, as text. */
  ways: string;
  data: string | undefined;
  options: string | undefined;
  /** Why it cannot be done, as a sentence without its end. */
  wrong?: string;
}

/** A name that no pad has. */
export const COMPARED = 'usherAnvilCompared';

/** The text of a pad that exports what it compares: an object of `ways`, `data` and `options`, as {@link COMPARED}. */
export function exportingText(text: string, { ways, data = 'undefined', options = '{}' }: WrittenComparison): string {
  return `${text}\n;export const ${COMPARED} = { ways: (${ways}), data: (${data}), options: (${options}) };\n`;
}

/** All of a pad, in the order of the text. */
export function comparisonsIn(outline: Outline): WrittenComparison[] {
  const { program, text } = outline.parsed;
  const local = outline.imports
    .filter(({ specifier }) => specifier === 'usher-anvil/pad')
    .flatMap(({ names }) => names)
    .find(({ imported }) => imported === 'compare')?.local;
  const found: WrittenComparison[] = [];
  if (!program || local === undefined) return found;
  const lines = new LineTable(text);
  const textOf = (node: Node | undefined): string | undefined => node && text.slice(node.start, node.end);
  const visit = (node: Node, isInside: boolean): void => {
    if (node.type === 'CallExpression' && (node.callee as Node).name === local) {
      const [ways, data, options] = node.arguments as Node[];
      found.push({
        line: lines.lineAt(node.start),
        names: namesOf(ways),
        ways: textOf(ways) ?? '{}',
        data: textOf(data),
        options: textOf(options),
        ...wrongOf(ways, isInside),
      });
    }
    eachChild(node, (child) => visit(child, isInside || isFunction(node)));
  };
  visit(program as Node, false);
  return found;
}

function namesOf(ways: Node | undefined): string[] {
  if (ways?.type !== 'ObjectExpression') return [];
  return (ways.properties as Node[]).flatMap(({ key, computed }) => {
    const { name, value } = (key ?? {}) as { name?: string; value?: string };
    return computed ? [] : [String(name ?? value)];
  });
}

function wrongOf(ways: Node | undefined, isInside: boolean): { wrong?: string } {
  if (isInside) return { wrong: 'it stands in a function: what is timed has to be at the top level of the pad' };
  if (ways?.type !== 'ObjectExpression') return { wrong: 'its ways are to be written there, as { byList, byHeap }' };
  return namesOf(ways).length < 2 ? { wrong: 'two ways are needed, as { byList, byHeap }' } : {};
}
