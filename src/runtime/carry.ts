/** `usher-anvil/live` inside a target: state that survives a reload, and what is undone before one. */
import * as own from './originals.js';

type Callable = (...args: unknown[]) => unknown;

/** Static member of a class: `(object, missing) => void`, called for each live object that its class has outgrown. */
export const MIGRATE = Symbol.for('usher-anvil/migrate');
/** Static member of a class: names of the fields whose values objects keep when their class is made anew. */
export const CARRIED = Symbol.for('usher-anvil/carried');

/** What a host does with an extension: called with its module, again after each reload; may give what undoes it. */
interface Extension {
  file: string;
  from: string;
  use: Callable;
  undo: Callable | undefined;
}

export interface CarryEngine {
  /** Loads a module as `from` would. Gives its file and namespace. */
  load(specifier: string, from: string): Promise<{ file: string; namespace: unknown }>;
  /** An extension was loaded: the session has to know which. */
  extended(file: string, from: string): void;
  fail(error: unknown): void;
}

export class Carrier {
  private readonly states = own.safeMap<string, Map<string, unknown>>();
  private readonly disposers = own.safeMap<string, Callable[]>();
  private readonly extensions = own.safeMap<string, Extension>();

  constructor(private readonly engine: CarryEngine) {}

  /** What the module `file` imports from `usher-anvil/live`. */
  moduleExports(file: string): Record<string, unknown> {
    const carry = (name: unknown, make: unknown): unknown => {
      if (typeof name !== 'string' || name === '')
        throw new own.TypeErrorCopy('carry(name, make): name must be a text that is not empty');
      if (typeof make !== 'function')
        throw new own.TypeErrorCopy(
          `carry(${own.jsonText(name)}, make): make must be a function that gives the first value`,
        );
      let states = this.states.get(file);
      if (!states) this.states.set(file, (states = own.safeMap<string, unknown>()));
      if (states.has(name)) return states.get(name);
      const made = own.apply(make as Callable, undefined, []);
      states.set(name, made);
      return made;
    };
    const dispose = (fn: unknown): void => {
      if (typeof fn !== 'function') throw new own.TypeErrorCopy('dispose(fn): fn must be a function');
      let list = this.disposers.get(file);
      if (!list) this.disposers.set(file, (list = []));
      own.append(list, fn as Callable);
    };
    const extension = async (specifier: unknown, use: unknown): Promise<unknown> => {
      if (typeof use !== 'function')
        throw new own.TypeErrorCopy('extension(specifier, use): use must be a function that takes the module');
      const { file: target, namespace } = await this.engine.load(own.StringCopy(specifier), file);
      const entry: Extension = { file: target, from: file, use: use as Callable, undo: undefined };
      this.extensions.set(target, entry);
      this.engine.extended(target, file);
      this.put(entry, namespace);
      return namespace;
    };
    const face: Record<string, unknown> = {
      carry,
      dispose,
      extension,
      migrate: MIGRATE,
      carried: CARRIED,
      isLive: true,
    };
    return face;
  }

  private put(entry: Extension, namespace: unknown): void {
    const undo = own.apply(entry.use, undefined, [namespace]);
    entry.undo = typeof undo === 'function' ? (undo as Callable) : undefined;
  }

  /**
   * Undoes what modules did that are about to be executed again: the last first. An error is told, and the rest goes
   * on.
   */
  async dispose(files: readonly string[]): Promise<void> {
    for (const file of files) {
      const extension = this.extensions.get(file);
      if (extension?.undo) {
        const { undo } = extension;
        extension.undo = undefined;
        await this.quietly(undo);
      }
      const list = this.disposers.get(file);
      if (!list) continue;
      this.disposers.delete(file);
      for (let i = list.length - 1; i >= 0; i--) await this.quietly(list[i]!);
    }
  }

  private async quietly(fn: Callable): Promise<void> {
    try {
      await own.apply(fn, undefined, []);
    } catch (error) {
      this.engine.fail(error);
    }
  }

  /** Hands extensions that were executed again to their hosts. */
  renew(files: readonly string[], namespaceOf: (file: string) => unknown): void {
    for (const file of files) {
      const entry = this.extensions.get(file);
      if (entry) this.put(entry, namespaceOf(file));
    }
  }
}
