/** Modules of the person, and packages, as parts of the graph. */
import type { ModuleCode } from '../../wire/modules.js';
import * as own from '../originals.js';
import type { Probes } from '../probes.js';
import { Bindings, type MakeNamespace } from './bindings.js';
import type { ModuleEngine, ScriptScope } from './engine.js';
import { type Evaluated, EvaluationState } from './evaluation.js';

/** What a module asks of its registry. */
interface InstanceOwner {
  /** Modules that it waits for. */
  requested(instance: Instance): readonly Evaluated[];
  /** Runs its body. */
  execute(instance: Instance): unknown;
}

/** A module of the person. */
export class Instance implements Evaluated {
  readonly state = new EvaluationState();
  readonly bindings: Bindings;
  instantiated = false;
  probes: Probes | undefined;
  /** What a pad that is a module has of a script; undefined while it has asked for nothing. */
  scope: ScriptScope | undefined;
  face: Record<string, unknown> | undefined;
  body: ((...args: unknown[]) => unknown) | undefined;
  /** Gives a module of a cycle its imports anew: some come later than its hoisted functions. */
  relink: ((imports: unknown[]) => void) | undefined;
  /** The body of a module in a cycle, which has registered its exports. */
  started: { next(): { value: unknown } } | undefined;

  constructor(
    readonly code: ModuleCode,
    private readonly registry: InstanceOwner,
    bindings: Bindings | undefined,
    make: MakeNamespace,
  ) {
    this.bindings = bindings ?? new Bindings(code.file, make);
  }

  get awaits(): boolean {
    return this.code.awaits && this.code.goal === 'module';
  }

  requested(): readonly Evaluated[] {
    return this.registry.requested(this);
  }

  execute(): unknown {
    return this.registry.execute(this);
  }
}

/** A package or builtin, as a leaf of the graph. */
export class Package implements Evaluated {
  readonly state = new EvaluationState();
  readonly awaits = undefined;
  namespace: Record<string, unknown> | undefined;
  readonly users: Instance[] = [];

  constructor(
    private readonly specifier: string,
    private readonly from: string,
    private readonly engine: ModuleEngine,
    private readonly arrived: (users: Instance[]) => void,
  ) {}

  requested(): readonly Evaluated[] {
    return [];
  }

  execute(): unknown {
    const found = this.engine.loadNow?.(this.specifier, this.from);
    if (found) {
      this.namespace = found;
      this.arrived(this.users);
      return undefined;
    }
    return own.promiseThen(this.engine.load(this.specifier, this.from), (namespace: Record<string, unknown>) => {
      this.namespace = namespace;
      this.arrived(this.users);
    });
  }
}
