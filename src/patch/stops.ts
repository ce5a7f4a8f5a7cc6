/**
 * Breakpoints become statements of the text that a function is compiled from: so a condition is compiled as any code of
 * the person at that place, and means what it would mean there. They stand on the line of their statement, so that lines
 * stay what they are.
 */
import type { Site } from '../instrument/sites.js';
import type { StopPoints, StopRole } from '../instrument/stop-roles.js';
import type { FunctionInfo, Outline } from '../syntax/outline.js';
import { outlineOf } from '../syntax/outline.js';
import { parse } from '../syntax/parse.js';
import { eachChild, isFunction, type Node } from '../syntax/node.js';
import { pointsOf } from '../instrument/points.js';
import type { Selected } from '../syntax/selection.js';
import { stoppableOf, type Stoppable } from '../syntax/stoppable.js';

export interface Stop {
  id: number;
  /** Offset of the statement, or of the function that it asks at its entry or before it gives a value. */
  at: number;
  where: 'statement' | 'entry' | 'return';
  /** An expression: it stops only where that is true. */
  condition?: string;
  /** What it prints in place of stopping: texts, and expressions between them. */
  message?: readonly (string | { expression: string })[];
}

/** A text with breakpoints. */
export interface StoppingText {
  outline: Outline;
  points: StopPoints;
  /** Where each thing that was put in begins and ends, in the order of the text. */
  added: readonly { start: number; end: number }[];
  /** The offset in the text without them. */
  plainOffset(offset: number): number;
  /** The offset with them; where one was put in there, behind it. */
  madeOffset(offset: number): number;
  /** By function of the outline: its number in the outline without them, or -1 for one of a condition. */
  functions: number[];
}

interface Insertion {
  at: number;
  text: string;
  /** Roles by their place in the text. */
  roles: { at: number; role: StopRole }[];
  /** It is a stop itself, and not a brace around one. */
  root: boolean;
  /** It is the `return` of what was an expression. */
  gives?: boolean;
  /** It ends what begins there. */
  closes?: number;
}

/**
 * Puts breakpoints into a text; undefined where it does not parse with them.
 *
 * @param stepping functions that ask before each of their statements, as a step may end there: by their offset, a number
 * @param entering the same for functions that ask where they begin alone
 * @param evaluates each stop hands over what evaluates code where it stands
 */
export function withStops(
  outline: Outline,
  stops: readonly Stop[],
  { stepping = new Map(), entering = new Map(), evaluates = false }: Partial<Asking> & { evaluates?: boolean } = {},
): StoppingText | undefined {
  const { parsed } = outline;
  const insertions = insertionsOf(outline, stops, { stepping, entering }).sort(inOrder);
  const roles = new Map<number, StopRole>();
  const roots = new Set<number>();
  const given = new Set<number>();
  const ranges: { start: number; length: number; plain: number }[] = [];
  let text = '';
  let from = 0;
  for (const { at, text: added, roles: own, root, gives } of insertions) {
    text += parsed.text.slice(from, at);
    for (const one of own) roles.set(text.length + one.at, one.role);
    if (root) roots.add(text.length);
    if (gives) given.add(text.length);
    ranges.push({ start: text.length, length: added.length, plain: at });
    text += added;
    from = at;
  }
  text += parsed.text.slice(from);
  const made = parse(text, {
    file: parsed.file,
    packageType: parsed.goal === 'module' ? 'module' : 'commonjs',
    settings: parsed.settings,
    written: parsed.written,
    pad: parsed.onlyAsPad === true,
  });
  if (!made.program || made.problems.length > 0 || made.goal !== parsed.goal || made.interop !== parsed.interop)
    return undefined;
  const stopping = outlineOf(made);
  const plainOffset = (offset: number): number => {
    // Ranges are in the order of the text: the last that begins before.
    let low = 0;
    for (let high = ranges.length; low < high;) {
      const middle = (low + high) >> 1;
      if (ranges[middle]!.start <= offset) low = middle + 1;
      else high = middle;
    }
    const range = ranges[low - 1];
    if (!range) return offset;
    const behind = offset - range.start - range.length;
    return behind < 0 ? range.plain : range.plain + behind;
  };
  const madeOffset = (offset: number): number =>
    ranges.reduce((at, { plain, length }) => (plain <= offset ? at + length : at), offset);
  const isAdded = ({ start }: FunctionInfo): boolean =>
    ranges.some((range) => start >= range.start && start < range.start + range.length);
  let number = 0;
  const functions = stopping.functions.map((info) => (isAdded(info) ? -1 : number++));
  if (number !== outline.functions.length) return undefined;
  const returns = new Map<number, number>();
  for (const { where, at, id } of stops) {
    if (where !== 'return') continue;
    const index = outline.functions.findIndex(({ node }) => node.start === at);
    const there = functions.indexOf(index);
    if (index >= 0 && there >= 0) returns.set(stopping.functions[there]!.node.start, id);
  }
  const added = ranges.map(({ start, length }) => ({ start, end: start + length }));
  return {
    outline: stopping,
    points: { roles, roots, given, returns, evaluates },
    added,
    plainOffset,
    madeOffset,
    functions,
  };
}

/** Sites of code that was compiled with breakpoints get their places in the text without them. */
export function sitesInPlain(sites: readonly Site[], { plainOffset }: StoppingText): void {
  for (const site of sites) {
    site.start = plainOffset(site.start);
    site.end = plainOffset(site.end);
    if (site.tried) site.tried = { start: plainOffset(site.tried.start), end: plainOffset(site.tried.end) };
  }
}

/** What is selected, in the text with breakpoints. */
export function selectedIn({ madeOffset }: StoppingText, { start, end }: Selected): Selected {
  return { start: madeOffset(start), end: madeOffset(end - 1) + 1 };
}

/** Why a condition, or an expression of a message, cannot be one; undefined where it can. */
export function expressionProblem(outline: Outline, text: string): string | undefined {
  if (/[\r\n]/.test(text)) return 'it has to stand on one line';
  const { parsed } = outline;
  const { program, problems } = parse(`(async function*(){(${text})})`, {
    file: parsed.file,
    settings: parsed.settings,
    written: parsed.written,
  });
  const problem = problems.find(({ message }) => !isOfPrivateName(message));
  if (problem) return problem.message;
  const inner = program?.body[0]?.expression?.body?.body as { type: string }[] | undefined;
  if (inner?.length !== 1 || inner[0]!.type !== 'ExpressionStatement') return 'it has to be one expression';
  return /\b(await|yield)\b/.test(text) ? 'it cannot wait' : undefined;
}

/** Whether there is a class around with a private name, one cannot see in an expression alone. */
export function isOfPrivateName(problem: string): boolean {
  return problem.startsWith('Private name #');
}

/** Functions that ask, by their offset, with a number each. */
interface Asking {
  stepping: ReadonlyMap<number, number>;
  entering: ReadonlyMap<number, number>;
}

/** At one place, what is further in ends first, and what begins there comes last. */
function inOrder(a: Insertion, b: Insertion): number {
  return a.at - b.at || (b.closes ?? -1) - (a.closes ?? -1);
}

/** Statements to be put in. */
interface Put {
  text: string;
  roles: Insertion['roles'];
}

function insertionsOf(outline: Outline, stops: readonly Stop[], { stepping, entering }: Asking): Insertion[] {
  const insertions: Insertion[] = [];
  const puts = new Map<number, Put[]>();
  const put = (at: number, one: Put): void => void puts.set(at, [...(puts.get(at) ?? []), one]);
  if (stepping.size > 0)
    for (const { start, around, isInner } of stepsOf(outline)) {
      const of = stepping.get(around.start);
      if (of !== undefined) put(start, { text: 'debugger;', roles: [{ at: 0, role: { is: 'step', of, isInner } }] });
    }
  const bodyAt = (start: number): Node | undefined =>
    outline.functions.find(({ node }) => node.start === start)?.node.body as Node | undefined;
  const putAtEntry = (body: Node, one: Put): void => {
    if (body.type !== 'BlockStatement') {
      put(expressionStart(body), one);
      return;
    }
    const directives = (body.directives ?? []) as { end: number }[];
    const at = directives.length > 0 ? directives[directives.length - 1]!.end : body.start + 1;
    if (directives.length > 0) insertions.push({ at, text: ';', roles: [], root: false });
    insertions.push({ at, ...one, root: true });
  };
  for (const [start, of] of entering) {
    const body = bodyAt(start);
    const role: StopRole = { is: 'step', of, isInner: false };
    if (body) putAtEntry(body, { text: 'debugger;', roles: [{ at: 0, role }] });
  }
  const bodies = new Set<number>();
  /** What it gives is asked behind its `return`, which an expression has not. */
  const putAtReturns = (body: Node, stop: Stop): void => {
    const guard = guardOf(stop);
    const isExpression = body.type !== 'BlockStatement';
    if (isExpression) bodies.add(expressionStart(body));
    // One that comes later takes its place.
    const isLast = stops.findLast(({ where, at }) => where === 'return' && at === stop.at) === stop;
    if (!guard || !isLast) return;
    if (isExpression) put(expressionStart(body), guard);
    else {
      const returns = returnsIn(body);
      for (const { start } of returns) put(start, guard);
      insertions.push({ at: body.end - 1, ...guardOf(stop, returns.length > 0)!, root: true });
    }
  };
  for (const stop of stops) {
    const text = textOf(outline, stop);
    const body = stop.where === 'statement' ? undefined : bodyAt(stop.at);
    if (stop.where === 'statement') put(stop.at, text);
    else if (body && stop.where === 'entry') putAtEntry(body, text);
    else if (body) putAtReturns(body, stop);
  }
  for (const place of stoppableOf(outline)) {
    const texts = puts.get(place.start);
    if (texts || bodies.has(place.start)) insertions.push(...around(place, texts ?? []));
  }
  return insertions;
}

function expressionStart(body: Node): number {
  return body.extra?.parenthesized === true ? (body.extra.parenStart as number) : body.start;
}

/**
 * All places of an outline at which a step may end, with the function whose version stops there. `isInner`: they are in
 * one inside of it that has no versions of its own.
 */
function stepsOf(outline: Outline): { start: number; around: Node; isInner: boolean }[] {
  const points = pointsOf(outline);
  const functions = outline.functions.filter(
    ({ kind }, index) => points.functions[index]!.hook !== undefined || kind === 'constructor',
  );
  return stoppableOf(outline).flatMap(({ start }) => {
    const isAround = (info: FunctionInfo): boolean => info.start <= start && info.end > start;
    const around = functions.findLast(isAround);
    const isInner = outline.functions.findLast(isAround) !== around;
    return around ? [{ start, around: around.node, isInner }] : [];
  });
}

function around({ start, end, how }: Stoppable, puts: readonly Put[]): Insertion[] {
  const added = puts.map((one): Insertion => ({ at: start, ...one, root: true }));
  if (how === 'list') return added;
  const [before, after] = how === 'expression' ? ['return(', ');}'] : ['', '}'];
  return [
    { at: start, text: '{', roles: [], root: false },
    ...added,
    ...(before === '' ? [] : [{ at: start, text: before, roles: [], root: false, gives: true }]),
    { at: end, text: after, roles: [], root: false, closes: start },
  ];
}

/** The statement that a breakpoint becomes, and the roles of what is in it. */
function textOf(outline: Outline, { id, condition, message }: Stop): { text: string; roles: Insertion['roles'] } {
  const name = freeName(`${outline.parsed.text}${condition ?? ''}${JSON.stringify(message ?? '')}`);
  const roles: Insertion['roles'] = [];
  let text = '';
  const add = (part: string, role?: StopRole): void => {
    if (role) roles.push({ at: text.length, role });
    text += part;
  };
  const act = (): void => {
    if (message) add(`${arrayText(message)};`, { is: 'message', id });
    else add('debugger;', { is: 'stop', id });
  };
  if (condition === undefined && !message) {
    act();
    return { text, roles };
  }
  add(`${name}:{try{`);
  if (condition !== undefined) add(`if(!(${condition}))break ${name};`);
  if (message) act();
  add(`}catch(${name}){`);
  add('debugger;', { is: 'failed', id, error: name });
  add(`break ${name}}`);
  if (!message) act();
  add('}');
  return { text, roles };
}

function arrayText(parts: NonNullable<Stop['message']>): string {
  return `[${parts.map((part) => (typeof part === 'string' ? JSON.stringify(part) : `(${part.expression})`)).join(',')}]`;
}

/**
 * What tells whether a stop before a value acts, as it stands before each `return`; undefined where it always does.
 *
 * @param atEnd it stands where the function ends without one, and does not see what those see
 */
function guardOf({ id, condition, message }: Stop, atEnd = false): Put | undefined {
  if (condition === undefined && !message) return undefined;
  const parts = message && arrayText(message);
  const given = condition === undefined ? parts : parts === undefined ? `!!(${condition})` : `(${condition})&&${parts}`;
  const text = atEnd ? `void(()=>{try{return ${given}}catch{return false}});` : `void(()=>${given});`;
  return { text, roles: [{ at: 0, role: { is: 'guard', id } }] };
}

function returnsIn(node: Node): Node[] {
  const found: Node[] = node.type === 'ReturnStatement' ? [node] : [];
  eachChild(node, (child) => {
    if (!isFunction(child) && !/^Class/.test(child.type)) found.push(...returnsIn(child));
  });
  return found;
}

/** A name that no text has. */
function freeName(text: string): string {
  let name = 'stopsHere';
  while (text.includes(name)) name += '_';
  return name;
}

/** The parts of a message: texts, and expressions in braces. `{{` and `}}` are braces themselves. */
export function messageParts(text: string): NonNullable<Stop['message']> {
  const parts: (string | { expression: string })[] = [];
  let plain = '';
  for (let at = 0; at < text.length; at++) {
    const two = text.slice(at, at + 2);
    if (two === '{{' || two === '}}') {
      plain += two[0];
      at++;
    } else if (text[at] === '{') {
      const end = closingBrace(text, at);
      if (end < 0) {
        plain += text.slice(at);
        break;
      }
      if (plain !== '') parts.push(plain);
      plain = '';
      parts.push({ expression: text.slice(at + 1, end) });
      at = end;
    } else plain += text[at];
  }
  if (plain !== '') parts.push(plain);
  return parts;
}

function closingBrace(text: string, from: number): number {
  let depth = 0;
  for (let at = from; at < text.length; at++) {
    if (text[at] === '{') depth++;
    else if (text[at] === '}' && --depth === 0) return at;
  }
  return -1;
}
