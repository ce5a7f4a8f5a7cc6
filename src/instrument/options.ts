/** What is asked of the instrumentation, and what it gives. */
import type { ImportEntry } from '../syntax/outline.js';
import type { Node } from '../syntax/node.js';
import type { Selected } from '../syntax/selection.js';
import type { Problem } from '../syntax/problems.js';
import type { Edits } from './edits.js';
import type { Site } from './sites.js';
import type { Slots } from './slots.js';
import type { StopPoints } from './stop-roles.js';

/** How much a function reports. */
export type Depth = 'off' | 'counts' | 'values' | 'steps';

/**
 * What the text becomes: `linked`, a function for the project's own module
 * registry; `module`, an ES module; `script`, a CommonJS or plain script.
 */
export type Form = 'linked' | 'module' | 'script';

export interface ProbeOptions {
  depth: Depth;
  form: Form;
  /** An expression that reports because a person has selected it. */
  selected?: Selected | undefined;
  /** Adds patch points and scope hooks. */
  patchable: boolean;
  /** For patchable code: the slots of functions and classes in the module's patch table. */
  slots?: Slots;
  /** Top-level names that came into a live module after it had started; they live beside its scope. */
  late?: ReadonlyMap<string, string>;
  /** A function without a patch point of its own: the later version that another function's patch point leads to. */
  root?: Node;
  /** `root` sees the scopes around it through a hook, and not as its own. */
  scoped?: boolean;
  /** The part is compiled inside a method of ours, whose hook its arrow functions have. */
  inMethod?: boolean;
  /** Loops and `root` tell now and then that they run, so that one without an end can be stopped. */
  guard?: boolean;
  /** Expressions for imported names, where they are not the module's own parameters. */
  places?: ReadonlyMap<string, string>;
  /** Private names that the live class has not; they are found under symbols instead. */
  lateMembers?: readonly LateMember[];
  /**
   * Of a script that is written as a module: variables that take imports with functions for elements, by the import's
   * number.
   */
  jsxRoots?: ReadonlyMap<number, string>;
  /**
   * Where the sites go, behind those that are there: several parts may share the probes of one unit. Parameters of its
   * functions show their values.
   */
  sites?: Site[];
  /** Where the code stops. */
  stops?: StopPoints | undefined;
}

/** A private name that came after its class was made. */
export interface LateMember {
  name: string;
  /** Key of its symbol among the late names. */
  symbol: string;
  /** Range of its class in the text. */
  start: number;
  end: number;
}

/** The edits that instrument a text, and what goes with them. */
export interface Probed {
  edits: Edits;
  sites: Site[];
  /** Imports in the order of their numbered parameters. */
  links: ImportEntry[];
  /** Slot of the edits for what stands before the first statement. */
  prelude: number;
  /** Marks that ask for nothing possible. */
  problems: Problem[];
  /** Kept expressions by their site. */
  keeps: { id: number; node: Node }[];
  /** True when an anonymous function is the default export: the registry gives it its name. */
  defaultFunction: boolean;
  /** True when the value of `export default` is in a variable of ours, which the module has to export. */
  defaultValue: boolean;
}
