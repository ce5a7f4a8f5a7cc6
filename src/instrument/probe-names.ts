/**
 * Every name that instrumented text uses beside the person's own: a prefix
 * that does not occur in the text, and one of these suffixes. Those with a
 * number behind them come in any number.
 */

/** Who gives a name its meaning in the code. */
export type DefinedBy = 'registry' | 'probes' | 'prelude' | 'text';

interface NameEntry {
  suffix: string;
  /** The suffix is followed by a number. */
  numbered?: boolean;
  /** What it is; for a function what it takes and gives. */
  is: string;
  by: DefinedBy;
}

/**
 * `registry`: parameters of the function that a linked text becomes.
 * `probes`: taken out of the unit's probes at the head of the code.
 * `prelude`: declared at the head of the code. `text`: declared where it is used.
 */
export const NAMES = {
  module: { suffix: 'm', is: 'the module: links, late names, hooks, patch table; see ModuleFace', by: 'registry' },
  probes: { suffix: 'n', is: 'the probes of the unit; see Probes', by: 'registry' },
  imported: {
    suffix: 'i',
    numbered: true,
    is: 'the exports of an imported module, by the number of the import',
    by: 'registry',
  },
  elements: { suffix: 'J', is: 'the exports of the package with functions for elements', by: 'registry' },

  counters: { suffix: 'c', is: 'counts by cell', by: 'probes' },
  due: { suffix: 'd', is: 'by loop and function: the count at which it wants to be sampled again', by: 'probes' },
  wanted: { suffix: 'q', is: 'flags by site: its value is wanted', by: 'probes' },
  sample: { suffix: 'v', is: '(site, value) takes a wanted value', by: 'probes' },
  pass: { suffix: 'w', is: '(site, value) samples a value if it is wanted, and gives it', by: 'probes' },
  enter: { suffix: 'f', is: '(site) a loop or function is due', by: 'probes' },
  loopBegins: { suffix: 'g', is: '(site, sites) the outermost loop of a function begins', by: 'probes' },
  loopEnds: { suffix: 'e', is: '(site, sites, values) it has ended, with the last values inside', by: 'probes' },
  await: { suffix: 'a', is: '(offset, value) is about to be awaited; gives the value', by: 'probes' },
  caught: { suffix: 'M', is: '(error) was caught: its message is put right', by: 'probes' },
  place: {
    suffix: 'k',
    is: '(site, value, isTest) the place of a console call or test; gives the value',
    by: 'probes',
  },
  mark: { suffix: 'l', is: '(site, value, expression, holds, wide) a marked value; gives it', by: 'probes' },
  now: { suffix: 'b', is: '() the time', by: 'probes' },
  took: {
    suffix: 'r',
    is: '(site, start, value) a marked expression and how long it took; gives the value',
    by: 'probes',
  },
  isKept: { suffix: 'y', is: '(site) true when a value was kept for it', by: 'probes' },
  kept: { suffix: 'u', is: '(site) gives the kept value', by: 'probes' },
  keep: { suffix: 'h', is: '(site, value) a value to keep; gives it', by: 'probes' },

  enterFrame: { suffix: 'F', is: '(site, around) a function is entered; gives the number of its frame', by: 'probes' },
  leaveFrame: { suffix: 'L', is: '(frame) it has ended', by: 'probes' },
  frameThrew: { suffix: 'W', is: '(frame) it ends with an error', by: 'probes' },
  pause: { suffix: 'Z', is: '(frame, value) it is about to wait, or to give a value; gives the value', by: 'probes' },
  resume: { suffix: 'G', is: '(frame, value) it goes on, with what came; gives the value', by: 'probes' },
  wrote: { suffix: 'O', is: '(site, value, object, key) a property was written; gives the value', by: 'probes' },
  changed: { suffix: 'C', is: '(site, value, object) an object may have changed; gives the value', by: 'probes' },
  step: { suffix: 'P', is: '(site, frame) a statement begins; 0 for the frame that is active', by: 'probes' },

  stop: { suffix: 'I', is: '(breakpoint, evaluate, names) it is met', by: 'probes' },
  stopReturn: {
    suffix: 'U',
    is: '(breakpoint, value, evaluate, names) is about to be given; gives the value',
    by: 'probes',
  },
  stopMessage: { suffix: 'D', is: '(breakpoint, parts) prints', by: 'probes' },
  stepping: { suffix: 'o', is: 'by function: its statements ask whether a step ends there', by: 'probes' },
  stopStep: {
    suffix: 'Q',
    is: '(function, evaluate, names, isInner) a statement begins where a step may end',
    by: 'probes',
  },
  stopFailed: { suffix: 'j', is: '(breakpoint, error) its condition or message threw', by: 'probes' },

  slots: { suffix: 'p', is: 'the patch table: later versions by slot, for slots that came late', by: 'prelude' },
  slot: {
    suffix: 'p',
    numbered: true,
    is: 'a slot the module started with: an object with one property of its own name',
    by: 'prelude',
  },
  ticks: { suffix: 'T', is: 'counts loops of patched code, for the watchdog', by: 'prelude' },
  elementsLink: { suffix: 'X', is: '(functions, module) fills the helpers for elements', by: 'prelude' },
  elementsRoot: {
    suffix: 'H',
    numbered: true,
    is: 'an imported module that functions for elements come from',
    by: 'prelude',
  },
  relinked: { suffix: 'l', is: 'in the head of a module in a cycle: its links', by: 'prelude' },

  ahead: { suffix: 'A', numbered: true, is: 'a function around a statement that runs before the imports', by: 'text' },
  default: { suffix: 'z', is: 'the value of export default', by: 'text' },
  scope: { suffix: 's', is: 'the hook of a scope, at an even depth of functions', by: 'text' },
  oddScope: { suffix: 'S', is: 'the hook of a scope, at an odd depth of functions', by: 'text' },
  classScope: { suffix: 'k', numbered: true, is: 'the hook of a class that a function makes', by: 'text' },
  fieldScope: { suffix: 'h', is: 'as a private name: the hook of an instance', by: 'text' },
  asked: { suffix: 'N', is: 'parameter of a hook: the name it is asked for', by: 'text' },
  reach: { suffix: 'K', is: 'in code that is compiled elsewhere: the names of its scope', by: 'text' },
  code: { suffix: 'x', is: 'parameter of a hook: the code it evaluates', by: 'text' },
  value: { suffix: 'V', is: 'in a hook and in code of a plan: the value that is set', by: 'text' },
  local: { suffix: 't', is: 'a value on its way through a probe', by: 'text' },
  loopLocal: { suffix: 't', numbered: true, is: 'the last value of a site inside a loop', by: 'text' },
  frame: {
    suffix: 'E',
    numbered: true,
    is: 'the number of the frame of a function, by how many are around',
    by: 'text',
  },
  object: { suffix: 'B', numbered: true, is: 'by place of a write: the object whose property it is', by: 'text' },
  key: { suffix: 'Y', numbered: true, is: 'by place of a write: the computed key', by: 'text' },
  parameter: { suffix: 'a', numbered: true, is: 'a parameter whose pattern moved into the body', by: 'text' },
  rest: { suffix: 'R', is: 'further arguments that a patch point passes on', by: 'text' },
  stopGuard: {
    suffix: 'j',
    numbered: true,
    is: 'by offset of a breakpoint before a value: () => whether it acts, or what it prints',
    by: 'text',
  },
  chainReached: { suffix: 's', numbered: true, is: 'by offset of a mark: the chain went on', by: 'text' },
  chainValue: { suffix: 'o', numbered: true, is: 'by offset of a mark: the value of the marked part', by: 'text' },
} as const satisfies Record<string, NameEntry>;

export type NameKey = keyof typeof NAMES;

/** Names with one prefix; those with a number are given without it. */
export type ProbeNames = Readonly<Record<NameKey, string>>;

const known = new Map<string, ProbeNames>();

/** The names under one prefix. */
export function namesWith(prefix: string): ProbeNames {
  let names = known.get(prefix);
  if (!names) {
    names = Object.fromEntries(Object.entries(NAMES).map(([key, { suffix }]) => [key, prefix + suffix])) as Record<
      NameKey,
      string
    >;
    known.set(prefix, names);
  }
  return names;
}

/** Chooses a prefix that does not occur in the text. */
export function prefixFor(text: string): string {
  let prefix = '$ua';
  while (text.includes(prefix)) prefix += '_';
  return prefix;
}

/** Suffixes of the probes, in the order in which code takes them out of the unit's. */
const TAKEN = [
  'await',
  'caught',
  'counters',
  'due',
  'wanted',
  'sample',
  'pass',
  'enter',
  'loopBegins',
  'loopEnds',
  'place',
  'mark',
  'now',
  'took',
  'isKept',
  'kept',
  'keep',
] as const satisfies readonly NameKey[];

/** The same at depth `steps` alone. */
const TAKEN_FOR_STEPS = [
  'enterFrame',
  'leaveFrame',
  'frameThrew',
  'pause',
  'resume',
  'wrote',
  'changed',
  'step',
] as const satisfies readonly NameKey[];

/** The same where a function stops. */
const TAKEN_FOR_STOPS = [
  'stop',
  'stopReturn',
  'stopMessage',
  'stepping',
  'stopStep',
  'stopFailed',
] as const satisfies readonly NameKey[];

/**
 * Declares the probes as constants: V8 folds a constant of an outer function into optimised code, a parameter it does
 * not.
 */
export function probeDeclarations(prefix: string, from: string, steps = false, stops = false): string {
  const taken: readonly NameKey[] = [...TAKEN, ...(steps ? TAKEN_FOR_STEPS : []), ...(stops ? TAKEN_FOR_STOPS : [])];
  return `const {${taken.map((key) => `${NAMES[key].suffix}:${prefix}${NAMES[key].suffix}`).join(',')}}=${from};`;
}
