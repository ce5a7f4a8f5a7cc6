/**
 * Where code finds the top-level names of a module that has changed since it
 * started: in its scope, among the names that came late, or through an import.
 */
import type { LateMember } from '../instrument/options.js';
import type { Outline } from '../syntax/outline.js';
import { isImported } from './change.js';
import type { Declared } from './decisions.js';
import type { Gone, LiveModule } from './live-module.js';

export class LateNames {
  /** The key of each name that came late or was renamed; `=old` for another name of a binding. */
  readonly keys: Map<string, string>;
  /** All keys that were ever given. */
  readonly used: Set<string>;
  /** Expressions for the modules that are imported, by specifier. */
  readonly links: Map<string, string>;
  /** Declarations that the text has no more, and that still live. */
  readonly gone: Map<string, Gone>;
  /** Expressions for imported names. */
  readonly places = new Map<string, string>();
  /** Names that mean something else now than when the live code was compiled. */
  readonly fresh = new Set<string>();
  /** Private names that their live class has not. */
  readonly members: LateMember[] = [];

  constructor(
    private readonly before: Outline,
    private readonly prefix: string,
    module: LiveModule,
  ) {
    this.keys = new Map(module.late);
    this.used = new Set(module.keys);
    this.links = new Map(module.links);
    this.gone = new Map(module.gone);
  }

  /** What a name is declared by: in the version that runs, or among what is gone. */
  declared(name: string): Declared | undefined {
    const statement = this.before.statements.find(
      (one) => one.kind !== 'type' && one.kind !== 'import' && one.names.includes(name),
    );
    return statement ? { outline: this.before, statement } : this.gone.get(name);
  }

  /** What a name of the module itself is declared by; undefined also where an import bound the name. */
  continued(name: string): Declared | undefined {
    return isImported(this.before, name) ? undefined : this.declared(name);
  }

  /** Code of a value among the late ones. */
  late(key: string): string {
    return `${this.prefix}m.late[${JSON.stringify(key)}]`;
  }

  /** Code that stands for a name. */
  placeOf(name: string): string {
    const key = this.keys.get(name);
    return key === undefined ? name : this.late(key);
  }

  /** Code that gives `{ get, set }` for a name. */
  accessTo(name: string): string {
    const place = this.placeOf(name);
    const value = `${this.prefix}v`;
    return `({get:()=>${place},set:(${value})=>{${place}=${value}}})`;
  }

  /** Gives a name that comes now a key of its own. */
  add(name: string): string {
    let key = name;
    for (let n = 2; this.used.has(key); n++) key = `${name}:${n}`;
    this.used.add(key);
    this.keys.set(name, key);
    this.fresh.add(name);
    return key;
  }

  /**
   * Lets a binding go on under another name. Gives the key of the new name and the code that reads the old one, where
   * the target must learn it.
   */
  rename(name: string, from: string): { key: string; access: string } | undefined {
    this.gone.delete(name);
    this.fresh.add(name);
    const key = this.keys.get(from);
    if (key === undefined) {
      this.keys.set(name, `=${from}`);
      return { key: `=${from}`, access: this.accessTo(from) };
    }
    this.keys.delete(from);
    // Back under the name of its own binding.
    if (key === `=${name}`) this.keys.delete(name);
    else this.keys.set(name, key);
    return undefined;
  }
}
