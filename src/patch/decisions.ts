/**
 * What is decided about a change, before any code is made: what is said of each
 * name, and the work that this means. Work is plain data; slots and code come later.
 */
import type { FunctionInfo, ImportEntry, Outline, TopLevelStatement } from '../syntax/outline.js';
import type { Node } from '../syntax/node.js';
import type { LiveClass } from './live-module.js';
import { lineOf } from './wording.js';

/** What a plan does to one thing of the program. */
export type PlanNoteKind = 'patched' | 'added' | 'assigned' | 'renamed' | 'kept' | 'removed' | 'waits' | 'cannot';

/** What is decided about one name. */
export interface Decision {
  kind: PlanNoteKind;
  name: string;
  /** Line in the new text, from 0. */
  line: number;
  /** Why, and the way round. */
  reason?: string;
}

/** How the code for a value is made: a function of its own form, the value of an expression, or a whole declaration. */
export type Source =
  | { of: 'function'; node: Node; index: number }
  /** `name`: what a function without a name in it is called. */
  | { of: 'value'; node: Node; name?: string }
  | { of: 'declaration'; node: Node; names: readonly string[]; name?: string }
  | { of: 'nothing' };

/** What there is to do, by kind. `at` is the offset in the new text by which it is ordered. */
export type Work =
  | { kind: 'link'; key: string; entry: ImportEntry }
  | { kind: 'symbol'; name: string }
  /** A new name for a binding that lives. `access` is the code of `{ get, set }`. */
  | { kind: 'alias'; key: string; access: string }
  | { kind: 'export'; exported: string; place: string }
  /**
   * A name that the module had not. `early`: before all values, as a function that others may call while they are
   * computed.
   */
  | { kind: 'declare'; at: number; key: string; source: Source; early: boolean }
  | { kind: 'assign'; at: number; name: string; how: 'assign' | 'items'; source: Source }
  /** Properties of an object that lives, place by place. */
  | { kind: 'properties'; at: number; name: string; places: { path: string[]; remove: string[]; set: Node[] }[] }
  /** The members of an enum, all anew. */
  | { kind: 'enum'; at: number; name: string; node: Node }
  /** What sets a kept name to its new first value. `giveSlots`: its functions are made then for the first time. */
  | { kind: 'reset'; at: number; name: string; node: Node; giveSlots: boolean }
  /** A destructuring: evaluated under one key, from which each name is taken. */
  | { kind: 'pattern'; at: number; key: string; node: Node; names: readonly string[] }
  | { kind: 'defaultExport'; at: number; node: Node; first: boolean }
  | { kind: 'run'; at: number; name: string; node: Node }
  | { kind: 'wait'; at: number; line: number; text: string; node: Node }
  | { kind: 'member'; at: number; name: string; owner: number; info: FunctionInfo; symbol: string | undefined }
  | FieldsWork
  | { kind: 'parent'; at: number; name: string; owner: number; node: Node }
  | ConstructorWork;

export interface FieldsWork {
  kind: 'fields';
  at: number;
  name: string;
  owner: number;
  isStatic: boolean;
  classNode: Node;
  removed: string[];
  set: { key: string; node: Node; fresh: boolean; symbol: string | undefined }[];
}

export interface ConstructorWork {
  kind: 'constructor';
  at: number;
  name: string;
  owner: number;
  live: LiveClass;
  /** Undefined when the class has none written any more. */
  info: FunctionInfo | undefined;
}

/** Functions by number, by what becomes of them. */
export interface Bodies {
  /** They get a later version. */
  patched: Set<number>;
  /** Members that take the place of the old one on their class. */
  replaced: Set<number>;
  /** They get a later version because a function in them cannot. */
  forced: Set<number>;
}

/** The decisions of one plan, in the order they are made. */
export class Decisions {
  readonly said: Decision[] = [];
  readonly works: Work[] = [];
  /** Functions that are made with the code around them: they need no step of their own. */
  readonly made = new Set<number>();
  /** Top-level names that hold another value once the plan is applied. */
  readonly changed: Set<string>;
  readonly bodies: Bodies = { patched: new Set(), replaced: new Set(), forced: new Set() };

  constructor(
    private readonly after: Outline,
    changed: Iterable<string>,
  ) {
    this.changed = new Set(changed);
  }

  /** @param at offset in the new text */
  say(kind: PlanNoteKind, name: string, at: number, reason?: string): void {
    this.sayOnLine(kind, name, lineOf(this.after, at), reason);
  }

  sayOnLine(kind: PlanNoteKind, name: string, line: number, reason?: string): void {
    this.said.push({ kind, name, line, ...(reason === undefined ? {} : { reason }) });
  }

  do(work: Work): void {
    this.works.push(work);
  }

  /** All functions in a node are made with it. */
  makeAnew(node: Node): void {
    this.after.functions.forEach((info, index) => {
      if (info.start >= node.start && info.end <= node.end) this.made.add(index);
    });
  }

  /** True when something was said of a name. */
  mentions(name: string, kind?: PlanNoteKind): boolean {
    return this.said.some((one) => one.name === name && (kind === undefined || one.kind === kind));
  }
}

/** A declaration that lives, and the text it stands in. */
export interface Declared {
  outline: Outline;
  statement: TopLevelStatement;
}
