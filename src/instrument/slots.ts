/** Slots of the patch table in the text of a module, and hooks by which later code is compiled in its scopes. */
import type { Outline } from '../syntax/outline.js';
import { namesWith } from './probe-names.js';

/** Slots in a module's patch table. */
export interface Slots {
  /** One for each function. */
  functions: readonly number[];
  /** Two for each class: what its fields become, and the constructor where it has none written. */
  classes: readonly number[];
  /** Slots of the module as it started. */
  size: number;
  /** In the names of their properties: another one for each text. */
  key: string;
}

const first = new WeakMap<Outline, Slots>();

/** The slots of a module that starts. */
export function firstSlots(outline: Outline): Slots {
  const known = first.get(outline);
  if (known) return known;
  const count = outline.functions.length;
  const made: Slots = {
    functions: outline.functions.map((_, index) => index),
    classes: outline.classes.map((_, index) => count + 2 * index),
    size: count + 2 * outline.classes.length,
    key: keyOf(outline.parsed.text),
  };
  first.set(outline, made);
  return made;
}

/** A short text that differs where texts do (FNV-1a, of 32 bits). */
function keyOf(text: string): string {
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  return (hash >>> 0).toString(36);
}

/**
 * The code of a slot. Those that a module starts with are objects of their own,
 * each with one property of a name that no other has, in no module: the engine
 * takes what such a property holds for a constant until one of its name changes,
 * and an untouched patch point costs nothing in optimised code. Slots that come
 * later stand in an array.
 */
export function slotText(prefix: string, slot: number, { size, key }: Pick<Slots, 'size' | 'key'>): string {
  const names = namesWith(prefix);
  return slot < size ? `${names.slot}${slot}.${fieldOf(slot, key)}` : `${names.slots}[${slot}]`;
}

const fieldOf = (slot: number, key: string): string => `f${slot}_${key}`;

/** Declares the slots of a module, for the head of its code. */
export function slotDeclarations(prefix: string, { size, key }: Slots): string {
  const { slot, slots, module, ticks } = namesWith(prefix);
  const numbers = Array.from({ length: size }, (_, index) => index);
  const made = numbers.map((index) => `${slot}${index}={${fieldOf(index, key)}:undefined},`).join('');
  return `const ${made}${slots}=${module}.table([${numbers.map((index) => `${slot}${index}`).join(',')}]),${ticks}=${module}.ticks;`;
}

/** How many functions stand around what is in a function (-1: none). */
export function nestingOf(outline: Outline, index: number): number {
  let depth = 0;
  for (let at = index; at >= 0; at = outline.functions[at]!.parent) depth++;
  return depth;
}

/**
 * The variable of a scope's hook. A function asks for the hook around it where it may have declared one of its own: the
 * two have different names.
 */
export function hookName(prefix: string, nesting: number): string {
  const names = namesWith(prefix);
  return nesting % 2 === 0 ? names.scope : names.oddScope;
}

/** Code of a hook: it evaluates code where it stands. */
export function hookText(prefix: string): string {
  const { code } = namesWith(prefix);
  return `(${code})=>eval(${code})`;
}

/** A name that a hook reaches. */
export interface Reached {
  name: string;
  /** The expression that reads it where the hook stands. */
  place: string;
  constant: boolean;
}

/**
 * Code of a hook that gives access to the names it is asked for: `{ get, set }`, or `{ get }` for those that do not
 * change. The functions are made when a later version asks for them, and are small, so that the engine puts what they
 * do in their place.
 */
export function reachText(prefix: string, names: readonly Reached[]): string {
  const { asked, value } = namesWith(prefix);
  const cases = names.map(({ name, place, constant }) => {
    const set = constant ? '' : `,set:(${value})=>${place}=${value}`;
    return `case${JSON.stringify(name)}:return{get:()=>${place}${set}};`;
  });
  return `(${asked})=>{switch(${asked}){${cases.join('')}}}`;
}

/**
 * An expression for a function that takes the hook of a scope, and gives what is made of `expression` there. In the
 * expression the names are members of an object, with an accessor each: {@link keptMember}.
 *
 * @param above what stands before the expression, so that its lines are those of the file
 */
export function throughReach(
  prefix: string,
  names: ReadonlyMap<string, { constant: boolean }>,
  expression: string,
  above: string,
): string {
  const { asked, value, reach, module } = namesWith(prefix);
  const fields: string[] = [];
  const members: string[] = [];
  let number = 0;
  for (const [name, { constant }] of names) {
    const key = keptKey(name);
    const field = `f${number++}`;
    fields.push(`this.${field}=${asked}(${JSON.stringify(name)});`);
    members.push(`get ${key}(){return this.${field}.get()}`);
    if (name === 'this' || name === 'arguments') continue;
    members.push(`set ${key}(${value}){${constant ? `${module}.constant()` : `this.${field}.set(${value})`}}`);
  }
  const made = names.has('this') ? `(function(){return(${expression})}).call(${reach}.${keptKey('this')})` : expression;
  return (
    `(()=>{class ${reach}C{constructor(${asked}){${fields.join('')}}${members.join('')}}` +
    `return(${asked})=>{const ${reach}=new ${reach}C(${asked});return(${above}${made}\n)}})()`
  );
}

/** The expression by which code that is compiled elsewhere reads a name of a scope. */
export function keptMember(prefix: string, name: string): string {
  return `${namesWith(prefix).reach}.${keptKey(name)}`;
}

const keptKey = (name: string): string => `_${name}`;
