/**
 * What a module exports: live bindings for the code that imports it, and the
 * namespace object that a program can hold.
 */
import * as own from '../originals.js';

/** A real module namespace object, whose bindings we set. */
export interface NamespaceShell {
  namespace: object;
  set(name: string, value: unknown): void;
}

/**
 * Makes a namespace object, whose bindings are set, or which reads them by itself; undefined where the bindings
 * themselves serve.
 */
export type MakeNamespace =
  ((file: string, names: readonly string[], read: (name: string) => unknown) => NamespaceShell) | undefined;

const constant = (): never => {
  throw new own.TypeErrorCopy('Assignment to constant variable.');
};

export class Bindings {
  /** Accessors by exported name: what importing code reads. A dead zone throws, as in the language. */
  readonly names = own.createObject(null) as Record<string, unknown>;
  /** Where each name comes from, so that two ways to one binding are no conflict. */
  private readonly origins = own.createObject(null) as Record<string, string>;
  private readonly ambiguous = own.createObject(null) as Record<string, boolean>;
  private readonly stars: Bindings[] = [];
  private shell: NamespaceShell | undefined;
  private shown: string[] = [];

  constructor(
    private readonly file: string,
    private readonly make: MakeNamespace,
  ) {
    own.defineProperty(this.names, Symbol.toStringTag, { value: 'Module' });
  }

  /** Registers exports by what reads them. */
  register(getters: Record<string, () => unknown>): void {
    const names = own.ownKeys(getters).sort() as string[];
    for (let i = 0; i < names.length; i++) {
      const name = names[i]!;
      this.origins[name] = `${this.file}\n${name}`;
      own.defineProperty(this.names, name, {
        get: getters[name]!,
        set: constant,
        enumerable: true,
        configurable: true,
      });
    }
  }

  /** Gives a name a value that stays. */
  put(name: string, value: unknown): void {
    this.origins[name] = `${this.file}\n${name}`;
    own.defineProperty(this.names, name, { value, enumerable: true, configurable: true });
  }

  /** `export *` of a local module. */
  star(from: Bindings): void {
    own.append(this.stars, from);
    this.settle();
  }

  /** `export *` of a package: its names, read anew each time. */
  starOf(namespace: Record<string, unknown>, specifier: string): void {
    for (const name of own.ownKeys(namespace))
      if (typeof name === 'string') this.pass(name, () => namespace[name], `${specifier}\n${name}`);
  }

  /**
   * Takes what the starred modules have come to export. Modules that star each
   * other need several rounds.
   *
   * @returns true when a name came or went
   */
  settle(): boolean {
    let changed = false;
    for (let i = 0; i < this.stars.length; i++) {
      const from = this.stars[i]!;
      for (const name of own.ownKeys(from.names))
        if (typeof name === 'string' && this.pass(name, () => from.names[name], from.origins[name]!)) changed = true;
    }
    return changed;
  }

  private pass(name: string, get: () => unknown, origin: string): boolean {
    if (name === 'default' || this.ambiguous[name]) return false;
    const known = this.origins[name];
    if (known !== undefined) {
      // A name of its own wins; two different ones that only come by stars cancel each other.
      if (known === origin || own.indexOf(known, `${this.file}\n`) === 0) return false;
      this.ambiguous[name] = true;
      delete this.origins[name];
      delete this.names[name];
      return true;
    }
    this.origins[name] = origin;
    own.defineProperty(this.names, name, { get, set: constant, enumerable: true, configurable: true });
    return true;
  }

  /** Forgets all names: the module is executed again. Gives what brings them back. */
  clear(): () => void {
    const { names, origins } = this;
    const before = own
      .ownKeys(names)
      .map((key) => [key, own.getDescriptor(names, key)!, origins[key as string]] as const);
    const remove = (): void => {
      for (const key of own.ownKeys(names)) if (typeof key === 'string') delete names[key];
      for (const key of own.ownKeys(origins)) delete origins[key as string];
    };
    remove();
    return () => {
      remove();
      for (const [key, descriptor, origin] of before) {
        if (typeof key !== 'string') continue;
        own.defineProperty(names, key, descriptor);
        if (origin !== undefined) origins[key] = origin;
      }
      this.sync();
    };
  }

  /** The namespace object of the module. */
  get namespace(): object {
    if (!this.make) return this.names;
    const names = (own.ownKeys(this.names).filter((name) => typeof name === 'string') as string[]).sort();
    const same =
      this.shell !== undefined &&
      names.length === this.shown.length &&
      names.every((name, index) => name === this.shown[index]);
    if (!same) {
      this.shell = this.make(this.file, names, (name) => this.names[name]);
      this.shown = names;
    }
    this.sync();
    return this.shell!.namespace;
  }

  /** Brings the namespace object up to date: called behind whatever writes to an export. */
  sync(): void {
    const { shell } = this;
    if (!shell) return;
    for (let i = 0; i < this.shown.length; i++) {
      let value: unknown;
      try {
        value = this.names[this.shown[i]!];
      } catch {
        // Not initialised yet.
        continue;
      }
      shell.set(this.shown[i]!, value);
    }
  }
}
