/** Places that a person wants to stop at, and the steps of a run at which they do. */
import { holds } from '../record/walk/evaluate.js';
import { stepsOnLine } from '../record/walk/start.js';
import type { Walk } from '../record/walk/walk.js';
import { eachChild, isFunction, type Node } from '../syntax/node.js';
import { parse } from '../syntax/parse.js';
import { LineTable } from '../syntax/positions.js';
import { AnvilError } from '../syntax/problems.js';
import { valueText } from '../runtime/text.js';

/** A step at which a place lies; what it prints stands in place of a stop. */
export interface Hit {
  step: number;
  id: number;
  reason: 'breakpoint' | 'exception' | 'data breakpoint' | 'function breakpoint';
  /** What a log message prints there, passing by. */
  prints?: string;
}

export interface Place {
  id: number;
  file: string;
  /** Zero-based. */
  line: number;
  column?: number;
  condition?: string;
  hitCondition?: string;
  logMessage?: string;
}

const STOPPING =
  /^(?:(?!Block|Empty|Function|Labeled|TS)\w+Statement|VariableDeclaration|ClassDeclaration|ExportDefaultDeclaration)$/;

/**
 * The lines on which something runs, zero-based, in order.
 *
 * @returns undefined for a text that does not parse
 */
export function stoppingLines(text: string, file: string): number[] | undefined {
  const { program, problems } = parse(text, { file });
  if (!program || problems.length > 0) return undefined;
  const table = new LineTable(text);
  const lines = new Set<number>();
  const visit = (node: Node): void => {
    if (STOPPING.test(node.type) && node.declare !== true) lines.add(table.lineAt(node.start));
    if (isFunction(node) && node.body?.type !== 'BlockStatement' && node.body)
      lines.add(table.lineAt(node.body.start as number));
    eachChild(node, visit);
  };
  visit(program);
  return [...lines].sort((a, b) => a - b);
}

/** Whether the nth time counts: `3`, `>= 3`, `% 3`. @throws AnvilError `E_EXPRESSION` */
export function hitCounts(text: string): (times: number) => boolean {
  const [, operator, number] = /^\s*(>=|>|<=|<|==?=?|%)?\s*(\d+)\s*$/.exec(text) ?? [];
  if (number === undefined)
    throw new AnvilError(
      'E_EXPRESSION',
      `"${text}" is no count of times: give a number, or >, >=, <, <= or % before one.`,
    );
  const wanted = Number(number);
  switch (operator) {
    case '>':
      return (times) => times > wanted;
    case '>=':
      return (times) => times >= wanted;
    case '<':
      return (times) => times < wanted;
    case '<=':
      return (times) => times <= wanted;
    case '%':
      return (times) => wanted > 0 && times % wanted === 0;
    default:
      return (times) => times === wanted;
  }
}

/**
 * The steps at which a place holds, in the order of the run: times are counted from its begin, whichever way one walks.
 *
 * @param say told once of a condition that cannot be asked
 */
export function hitsOf(run: Walk, place: Place, say: (text: string) => void): Hit[] {
  const counts = place.hitCondition === undefined ? undefined : hitCounts(place.hitCondition);
  const hits: Hit[] = [];
  let said = false;
  let times = 0;
  for (const step of stepsOnLine(run, place.file, place.line, place.column)) {
    try {
      if (place.condition !== undefined && !holds(place.condition, lookup(run, step))) continue;
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
      if (!said) say(`The condition "${place.condition!}" was not asked: ${error.message}`);
      said = true;
      continue;
    }
    if (counts && !counts(++times)) continue;
    const prints = place.logMessage === undefined ? {} : { prints: logged(run, step, place.logMessage) };
    hits.push({ step, id: place.id, reason: 'breakpoint', ...prints });
  }
  return hits;
}

function lookup(run: Walk, step: number): (name: string) => ReturnType<Walk['variables']>[number]['value'] | undefined {
  let seen: Map<string, ReturnType<Walk['variables']>[number]['value']> | undefined;
  return (name) => (seen ??= new Map(run.variables(step).map((one) => [one.name, one.value]))).get(name);
}

/** What stands between braces is put in as its value. */
function logged(run: Walk, step: number, message: string): string {
  return message.replace(/\{([^{}]*)\}/g, (_, text: string) => {
    try {
      const value = run.evaluate(step, text);
      return value.type === 'string' ? (value.text ?? '') : valueText(value);
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
      return `{${error.message}}`;
    }
  });
}

/** Steps at which errors and failed tests came up. */
export function failures(run: Walk, moments: readonly number[], id: number): Hit[] {
  const steps = new Set(moments.map((moment) => run.stepAt(moment)).filter((step) => step >= 0));
  return [...steps].map((step) => ({ step, id, reason: 'exception' }));
}

/** The first steps of the frames of functions with a name. */
export function entries(run: Walk, name: string, id: number): Hit[] {
  const hits: Hit[] = [];
  for (let number = 1; number <= run.frameCount; number++) {
    const frame = run.frame(number);
    if (frame.name !== name) continue;
    const step = run.firstIn(number);
    if (step !== undefined) hits.push({ step, id, reason: 'function breakpoint' });
  }
  return hits;
}
