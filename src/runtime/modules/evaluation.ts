/**
 * Evaluates a graph of modules in the order of the language: each after what it
 * imports, cycles once, modules that wait at their top level beside each other.
 * The algorithms are those of ECMA-262, section 16.2.1.6 (Cyclic Module Records),
 * under their names there.
 */
import * as own from '../originals.js';

/** A module as far as its evaluation goes. */
export interface Evaluated {
  /** Modules that it imports, in order. */
  requested(): readonly Evaluated[];
  /** Runs its body. A promise where the body waits. */
  execute(): unknown;
  /** The body waits at its top level; undefined where only executing it tells. */
  readonly awaits: boolean | undefined;
  readonly state: EvaluationState;
}

/** What the algorithms note of a module. */
export class EvaluationState {
  status: 'new' | 'evaluating' | 'waiting' | 'done' = 'new';
  error: { thrown: unknown } | undefined;
  index = -1;
  ancestor = -1;
  root: Evaluated | undefined;
  /** Where it came in the order of modules that wait; -1 where it does not, or no longer. */
  order = -1;
  pending = 0;
  parents: Evaluated[] = [];
  capability: Capability | undefined;
}

class Capability {
  promise: Promise<void> | undefined;
  settled: 'no' | 'resolved' | 'rejected' = 'no';
  error: unknown;
  private resolvePromise: (() => void) | undefined;
  private rejectPromise: ((error: unknown) => void) | undefined;

  /** Made only where somebody waits: most graphs are over when {@link evaluate} returns. */
  wait(): Promise<void> {
    return (this.promise ??= new own.PromiseCopy<void>((resolve, reject) => {
      this.resolvePromise = resolve;
      this.rejectPromise = reject;
    }));
  }

  resolve(): void {
    this.settled = 'resolved';
    this.resolvePromise?.();
  }

  reject(error: unknown): void {
    this.settled = 'rejected';
    this.error = error;
    this.rejectPromise?.(error);
  }
}

let orders = 0;

/**
 * Evaluate().
 *
 * @returns a promise where something in the graph waits; undefined where all is done
 * @throws what a module threw, also when it had thrown before
 */
export function evaluate(module: Evaluated): Promise<void> | undefined {
  let at = module;
  if (at.state.status === 'waiting' || at.state.status === 'done') at = at.state.root ?? at;
  // One that is being evaluated has asked for itself: whoever waits for it waits for the same end.
  let { capability } = at.state;
  if (capability === undefined) {
    capability = at.state.capability = new Capability();
    const stack: Evaluated[] = [];
    try {
      inner(at, stack, 0);
      if (at.state.order < 0) capability.resolve();
    } catch (error) {
      for (let i = 0; i < stack.length; i++) {
        const { state } = stack[i]!;
        state.status = 'done';
        state.error = { thrown: error };
      }
      capability.reject(error);
    }
  }
  if (capability.settled === 'resolved') return undefined;
  if (capability.settled === 'rejected') throw capability.error;
  return capability.wait();
}

/** InnerModuleEvaluation(). */
function inner(module: Evaluated, stack: Evaluated[], from: number): number {
  const { state } = module;
  if (state.status === 'waiting' || state.status === 'done') {
    if (state.error) throw state.error.thrown;
    return from;
  }
  if (state.status === 'evaluating') return from;
  state.status = 'evaluating';
  state.index = state.ancestor = from;
  state.pending = 0;
  let index = from + 1;
  own.append(stack, module);
  const requested = module.requested();
  for (let i = 0; i < requested.length; i++) {
    let other = requested[i]!;
    index = inner(other, stack, index);
    if (other.state.status === 'evaluating') {
      if (other.state.ancestor < state.ancestor) state.ancestor = other.state.ancestor;
    } else {
      other = other.state.root ?? other;
      if (other.state.error) throw other.state.error.thrown;
    }
    if (other.state.order >= 0) {
      state.pending++;
      own.append(other.state.parents, module);
    }
  }
  if (state.pending > 0 || module.awaits === true) {
    state.order = orders++;
    if (state.pending === 0) executeAsync(module);
  } else {
    const result = module.execute();
    if (module.awaits === undefined && result !== undefined) {
      state.order = orders++;
      follow(module, result);
    }
  }
  if (state.ancestor === state.index) {
    for (let i = stack.length - 1; i >= 0; i--) {
      const popped = stack[i]!;
      stack.length = i;
      popped.state.status = popped.state.order >= 0 ? 'waiting' : 'done';
      popped.state.root = module;
      if (popped === module) break;
    }
  }
  return index;
}

/** ExecuteAsyncModule(). */
function executeAsync(module: Evaluated): void {
  let result: unknown;
  try {
    result = module.execute();
  } catch (error) {
    result = own.promiseReject(error);
  }
  follow(module, result);
}

function follow(module: Evaluated, result: unknown): void {
  own.promiseThen(
    own.promiseResolve(result),
    () => fulfilled(module),
    (error: unknown) => rejected(module, error),
  );
}

/** AsyncModuleExecutionFulfilled(). */
function fulfilled(module: Evaluated): void {
  const { state } = module;
  if (state.status === 'done') return;
  state.order = -1;
  state.status = 'done';
  state.capability?.resolve();
  const ready: Evaluated[] = [];
  gather(module, ready);
  // By the order in which they came to wait; the lists are short.
  for (let i = 1; i < ready.length; i++) {
    const one = ready[i]!;
    let at = i;
    for (; at > 0 && ready[at - 1]!.state.order > one.state.order; at--) ready[at] = ready[at - 1]!;
    ready[at] = one;
  }
  for (let i = 0; i < ready.length; i++) {
    const one = ready[i]!;
    if (one.state.status === 'done') continue;
    if (one.awaits === true) {
      executeAsync(one);
      continue;
    }
    try {
      const result = one.execute();
      if (one.awaits === undefined && result !== undefined) {
        follow(one, result);
        continue;
      }
    } catch (error) {
      rejected(one, error);
      continue;
    }
    one.state.order = -1;
    one.state.status = 'done';
    one.state.capability?.resolve();
  }
}

/** GatherAvailableAncestors(). */
function gather(module: Evaluated, ready: Evaluated[]): void {
  const { parents } = module.state;
  for (let i = 0; i < parents.length; i++) {
    const parent = parents[i]!;
    let known = false;
    for (let k = 0; k < ready.length; k++) if (ready[k] === parent) known = true;
    if (known || (parent.state.root ?? parent).state.error) continue;
    if (--parent.state.pending > 0) continue;
    own.append(ready, parent);
    if (parent.awaits === false) gather(parent, ready);
  }
}

/** AsyncModuleExecutionRejected(). */
function rejected(module: Evaluated, error: unknown): void {
  const { state } = module;
  if (state.status === 'done') return;
  state.status = 'done';
  state.error = { thrown: error };
  state.order = -1;
  const { parents } = state;
  for (let i = 0; i < parents.length; i++) rejected(parents[i]!, error);
  state.capability?.reject(error);
}
