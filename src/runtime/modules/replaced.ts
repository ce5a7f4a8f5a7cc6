/** Modules in whose place a test puts something else. */
import type { ModuleLink } from '../../wire/modules.js';
import * as own from '../originals.js';
import { type Evaluated, EvaluationState } from './evaluation.js';
import type { Instance } from './instance.js';

/** What stands in the place of a module. */
export interface Replacement {
  /** Makes what scripts get for it; asked for once. A promise where it waits. */
  make(): unknown;
  /** The same as importing code sees it. */
  view(made: unknown): Record<string, unknown>;
}

/** A replaced module, as a leaf of the graph. */
class Replaced implements Evaluated {
  state = new EvaluationState();
  readonly awaits = undefined;
  readonly users: Instance[] = [];
  namespace: Record<string, unknown> | undefined;
  private made: { value: unknown } | undefined;

  constructor(
    private readonly replacement: Replacement,
    private readonly arrived: (users: Instance[]) => void,
  ) {}

  requested(): readonly Evaluated[] {
    return [];
  }

  execute(): unknown {
    const value = this.required();
    if (typeof (value as { then?: unknown } | undefined)?.then !== 'function') {
      this.show(value);
      return undefined;
    }
    return own.promiseThen(value as Promise<unknown>, (found: unknown) => {
      this.made = { value: found };
      this.show(found);
    });
  }

  private show(value: unknown): void {
    this.namespace = this.replacement.view(value);
    this.arrived(this.users);
  }

  /** What `require` gives. */
  required(): unknown {
    this.made ??= { value: this.replacement.make() };
    return this.made.value;
  }

  /** It is made anew for whoever asks next. */
  forget(): void {
    this.made = undefined;
    this.namespace = undefined;
    this.state = new EvaluationState();
  }
}

interface ReplacedLink extends ModuleLink {
  original: ModuleLink;
}

export class ReplacedModules {
  private readonly known = own.safeMap<string, Replaced>();
  /** The key of what is being loaded as it is, behind what replaces it. */
  private behind: string | undefined;
  /** A package has got something in place of a module: it is not what it is for others. */
  reachedPackages = false;

  /** @param arrived a replaced module that others have linked to is there now */
  constructor(private readonly arrived: (users: Instance[]) => void) {}

  get isEmpty(): boolean {
    return own.mapSize(this.known) === 0;
  }

  put(link: ModuleLink, replacement: Replacement): void {
    this.known.set(keyOf(link), new Replaced(replacement, this.arrived));
  }

  remove(link: ModuleLink): void {
    this.known.delete(keyOf(link));
  }

  /** What stands in the place of the module that a link leads to; undefined where that is itself. */
  of(link: ModuleLink): Replaced | undefined {
    return this.known.get(link.kind === 'replaced' ? link.target : keyOf(link));
  }

  /** The same for `require`. */
  required(link: ModuleLink): { value: unknown } | undefined {
    const key = keyOf(link);
    const found = key === this.behind ? undefined : this.known.get(key);
    return found && { value: found.required() };
  }

  /** Loads the module of a link as it is. */
  actual<T>(link: ModuleLink, load: () => T): T {
    const before = this.behind;
    this.behind = keyOf(link);
    try {
      return load();
    } finally {
      this.behind = before;
    }
  }

  /** All that was made is made anew. */
  forget(): void {
    this.known.forEach((one) => one.forget());
  }

  /** Leads the links of modules to what stands in the place of others, or back. */
  lead(links: ModuleLink[]): void {
    for (let i = 0; i < links.length; i++) {
      const link = links[i]!;
      const original = link.kind === 'replaced' ? (link as ReplacedLink).original : link;
      const target = keyOf(original);
      links[i] = this.known.has(target)
        ? ({ specifier: link.specifier, kind: 'replaced', target, names: [], original } as ReplacedLink)
        : original;
    }
  }
}

function keyOf({ kind, specifier, target, base }: ModuleLink): string {
  if (kind === 'local' || kind === 'replaced') return target;
  return kind === 'builtin' ? `node:${specifier.replace(/^node:/, '')}` : `${specifier}\n${base ?? ''}`;
}
