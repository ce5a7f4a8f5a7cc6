/** What people read of a plan: names of what it changes, and the reasons of what it does not. */
import type { FunctionInfo, Outline } from '../syntax/outline.js';
import type { Generation } from './live-module.js';

/** Reasons, in the words of a note. Each says what is so, and where there is one the way round. */
export const REASONS = {
  rebound: 'the name stands for something new; who holds the old one keeps it',
  otherKind: 'it is another kind of function now; who holds the old one keeps it',
  exportAll: 'all names of another module cannot be joined to a live one: name them, or restart',
  functionGone: 'it stays for whoever holds it',
  valueGone: 'what it holds stays for whoever holds it',
  holdsState: 'it holds state: the live value stays',
  holdsStateReset: 'it holds state: the live value stays; reset it to take the new one',
  computedFrom: (cause: string) => `it was computed from ${cause} as that was before; reset it to compute it anew`,
  namespaceMade: 'a namespace that is made cannot be changed in place: write its content at the top level, or restart',
  outOfReach: (obstacle: string | undefined) => `${obstacle ?? 'it is out of reach'}: restart, or reload the module`,
  finish: (some: boolean, obstacle: string | undefined, around: string) =>
    `made before, ${some ? 'some finish' : 'they finish'} with the body they ` +
    `have: ${obstacle ?? 'they are out of reach'}. What ${around} makes from now on has the new one`,
  decorators: 'decorators are applied when a class is made: reload the module, or restart',
  privateKind: 'a private member cannot change its kind in place: reload the module, or restart',
  memberStays: 'it stays on the class until a reload',
  staticBlock: 'it runs when the class is made: reload the module to run it',
  givenParent: 'a class that is made cannot be given a parent: reload the module, or restart',
  keepsParent: 'a class that is made keeps that it has a parent: reload the module, or restart',
  madeFromNow: 'for objects made from now on',
  madeWithout: 'objects made from now on are made without it',
  fieldSettled:
    'a field with a computed name, a decorator or `accessor` is settled when ' +
    'its class is made: reload the module, or restart',
  fieldAdded: 'objects that live get it from its initialiser',
  fieldChanged: 'for objects made from now on; those that live keep theirs',
  fieldRemoved: 'objects that live keep it',
  doneStays: 'what it did stays done',
  ranBefore: 'a statement that ran is not run again by itself',
  notRun: 'a statement is not run by itself in a program that runs',
} as const;

/** Line of an offset, from 0. */
export function lineOf(outline: Outline, offset: number): number {
  let line = 0;
  const { text } = outline.parsed;
  for (let i = text.indexOf('\n'); i >= 0 && i < offset; i = text.indexOf('\n', i + 1)) line++;
  return line;
}

/** A function as a note names it: its path, with its line where it has no name. */
export function nameOf(outline: Outline, info: FunctionInfo): string {
  const path = info.path.replace(/#\d+$/, '').replace(/\//g, '.');
  return path.endsWith('()') ? `${path} (line ${lineOf(outline, info.start) + 1})` : path;
}

/** A member of a class: `static get rise`. */
export function memberLabel(info: FunctionInfo): string {
  return `${info.isStatic ? 'static ' : ''}${info.kind === 'getter' ? 'get ' : info.kind === 'setter' ? 'set ' : ''}${info.name}`;
}

export function kindWord(kind: Generation['kind']): string {
  return {
    plain: 'a plain function',
    async: 'an async function',
    generator: 'a generator',
    asyncGenerator: 'an async generator',
  }[kind];
}

/** First line of a text, at most 60 characters. */
export function firstLine(text: string): string {
  const line = text.split('\n')[0]!;
  return line.length > 60 ? `${line.slice(0, 59)}…` : line;
}
