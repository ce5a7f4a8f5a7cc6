/**
 * Errors explained from the record: what failed in the words of the source,
 * the values that took part as they were then, the nearest name for one that
 * does not exist, and the way there. Says nothing that it does not know.
 */
import type { PadRecord, RecordError } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import { type Node, eachChild, isFunction } from '../syntax/node.js';
import { type Step, stepsOf } from './explain-path.js';
import { type Place, nodesAt, pathOf, treeOf, valueOf } from './explain-place.js';
import { reasonOf, staleness } from './explain-reason.js';

export interface Explanation {
  /** `boat.cargo is undefined, so it has no 'tonnes'`; empty where the message says it all. */
  reason: string;
  /** `Did you mean 'rates'?`, or empty. */
  hint: string;
  /** Names at the place that failed, with their values then. */
  values: { name: string; text: string }[];
  /** The way there, innermost first. */
  path: Step[];
}

const cache = new WeakMap<RecordError, { record: PadRecord; explanation: Explanation }>();

/** Explains one error of a record; the same object for the same record. */
export function explain(record: PadRecord, error: RecordError): Explanation {
  const known = cache.get(error);
  if (known?.record.ended) return known.explanation;
  const explanation = make(record, error);
  cache.set(error, { record, explanation });
  return explanation;
}

function make(record: PadRecord, error: RecordError): Explanation {
  const explanation: Explanation = { reason: '', hint: '', values: [], path: stepsOf(error.frames) };
  const file = record.program.files.find((one) => one.file === error.file);
  if (!file || error.kind === 'syntax' || error.kind === 'resolve' || !error.frames.some((frame) => frame.local))
    return explanation;
  const tree = treeOf(file);
  if (!tree) return explanation;
  const offset = file.lines.offsetAt(error.range.start);
  const way = nodesAt(tree, offset);
  if (way.length === 0) return explanation;
  const place: Place = { record, file, way, offset, until: error.moment, late: error.kind === 'rejection' };
  Object.assign(explanation, reasonOf(error, place));
  explanation.values = valuesAt(place, error);
  return explanation;
}

const MOST_VALUES = 6;

/** Names in the statement that failed, with what they were. */
function valuesAt(place: Place, error: RecordError): { name: string; text: string }[] {
  const { way } = place;
  let from = way.length - 1;
  while (from > 0 && !/Statement$|^VariableDeclarator$|^ArrowFunctionExpression$|^ClassProperty$/.test(way[from]!.type))
    from--;
  let root = way[from]!;
  // The head of a compound statement, not its body.
  if (root.type === 'ArrowFunctionExpression') root = root.body as Node;
  for (const key of ['test', 'discriminant', 'right', 'init'] as const) {
    const head = root[key] as Node | null | undefined;
    if (
      /^(If|While|For|ForOf|ForIn|Switch|DoWhile)Statement$/.test(root.type) &&
      head &&
      head.start <= place.offset &&
      head.end > place.offset
    )
      root = head;
  }
  const found = new Map<string, string>();
  const visit = (node: Node): void => {
    if (found.size >= MOST_VALUES || (isFunction(node) && !(node.start <= place.offset && node.end > place.offset)))
      return;
    if (node.type === 'BlockStatement') return;
    const path = pathOf(node);
    if (path !== undefined) {
      if (!found.has(path)) {
        const value = valueOf(place, node);
        if (value && value.type !== 'function' && !error.message.startsWith(`Cannot access '${path}'`))
          found.set(path, valueText(value, 120) + staleness(place, node));
      }
      if (node.type === 'MemberExpression') visit(node.object as Node);
      return;
    }
    eachChild(node, visit);
  };
  visit(root);
  // What the assertion tells itself needs no second telling.
  if (error.differences && error.differences.list.length > 0 && found.size === 0) return [];
  return [...found].map(([name, text]) => ({ name, text }));
}
