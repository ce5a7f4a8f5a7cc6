import type { TakingPart } from './entries.js';
import type { HeldFunction } from './holding.js';

/** Steps of a plan: the planner writes them, a target takes them. Code is an expression compiled through a hook. */
export type Step =
  /** A top-level name that the module had not when it started. */
  | { kind: 'declare'; file: string; name: string; code: string }
  /** A new name for a binding that lives; `code` gives `{ get, set }` for it. */
  | { kind: 'alias'; file: string; name: string; code: string }
  /** A name of the module's namespace; `code` gives a function that reads it. */
  | { kind: 'export'; file: string; name: string; code: string }
  /** The later version of a function. `each`: every scope, instance or class that holds one makes its own. */
  | {
      kind: 'function';
      file: string;
      name: string;
      slot: number;
      code: string;
      each: boolean;
      /** `code` gives a function that takes the hook of a scope, which it reaches the names of that scope through. */
      scoped?: boolean;
      /** `code` takes the function that the program holds, for a function expression that names itself. */
      self: boolean;
      /** Slot of the class through whose hook it is compiled. */
      owner?: number;
      /** It uses `new.target`. */
      newTarget?: boolean;
      /** `code` gives `{ home, pick }`. */
      home?: 'instance' | 'static';
      /** A constructor that calls `super`: compiled inside each call. */
      ofConstructor?: boolean;
      /** Its calls are held where they fail. */
      holds?: HeldFunction;
      /** Who it works for is known. */
      takesPart?: TakingPart;
      /** Runs in its place where nobody asks for its values. */
      plain?: string;
      /** It asks before each of its statements: its number among all such, and its lines. */
      stands?: { of: number; name: string; first: number; last: number; isAsync: boolean };
    }
  /** A member that replaces or joins those of a class; `code` gives an object with it. */
  | { kind: 'member'; file: string; name: string; owner: number; isStatic: boolean; code: string; symbol?: string }
  /** What the fields of a class have become; `code` gives an object with a method for each. */
  | {
      kind: 'fields';
      file: string;
      name: string;
      owner: number;
      isStatic: boolean;
      code: string;
      fields: FieldStep[];
      roots: { file: string; code: string }[];
    }
  | { kind: 'parent'; file: string; name: string; owner: number; code: string }
  /** A symbol under which a late private member is found. */
  | { kind: 'symbol'; file: string; name: string }
  /**
   * A new value. `code` gives it; for `properties` an object with those to be set. `access` gives `{ get, set }` for a
   * binding of the module.
   */
  | {
      kind: 'value';
      file: string;
      name: string;
      access: string;
      how: 'assign' | 'items' | 'properties';
      code: string;
      at?: ValueAt[];
    }
  /** A data file that was saved; `code` gives what the program has of it, `text` is JSON. */
  | { kind: 'data'; file: string; name: string; code: string; text: string }
  /** What functions show as their source, by slot. */
  | { kind: 'texts'; file: string; name: string; texts: [slot: number, text: string][] }
  /** Code that runs once. */
  | { kind: 'run'; file: string; name: string; code: string }
  /** A module that was not imported before. */
  | {
      kind: 'link';
      file: string;
      name: string;
      specifier: string;
      attributes: Record<string, string>;
      names: string[];
    };

export interface FieldStep {
  key: string;
  /** Its symbol among the late names, for a private field that the class was not made with. */
  symbol?: string;
  /** The method sets a private field by itself. */
  sets?: boolean;
  /** Objects that live have it not yet. */
  fresh?: boolean;
  /** It is gone: new objects are made without it. */
  removed?: boolean;
}

export interface ValueAt {
  path: string[];
  /** An object literal with the properties to set there. */
  code?: string;
  remove?: string[];
}
