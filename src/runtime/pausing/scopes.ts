/** The variables of a frame of a stopped thread, without those that are ours. */
import type { PauseScope, PauseVariable } from '../../wire/pausing.js';
import * as own from '../originals.js';
import type { StoppedThread } from './engine.js';

/** Variables of one scope that are told; the others are counted. */
const MOST = 300;
/** Names of ours, and the object by which later versions reach the names around them. */
const OURS = /^\$ua/;
/** What a module is given. */
const MODULE = /^\$ua_*m$/;
const REACHED = /^\$ua_*K$/;
const SLOT = /^f\d+_\w+$/;
const KEPT = /^_(.*)$/s;

/** @param show takes a value, and gives what is told of it */
export function scopesOf(
  thread: StoppedThread,
  frame: number,
  show: (value: unknown) => Pick<PauseVariable, 'value' | 'part'>,
): PauseScope[] | { why: string } {
  const given = thread.scopes(frame);
  if ('why' in given) return given;
  const { scopes, self } = given;
  const told: PauseScope[] = [];
  if (self !== undefined && !isSlot(self))
    own.append(told, { kind: 'this', variables: [{ name: 'this', ...show(self) }], more: 0 });
  const seen = own.safeMap<string, true>();
  for (let i = 0; i < scopes.length; i++) {
    const { kind, object } = scopes[i]!;
    const isModule = isAroundModule(object);
    const variables: PauseVariable[] = [];
    const outer: PauseVariable[] = [];
    let more = 0;
    eachVariable(object, (name, value) => {
      if (own.test(REACHED, name) && typeof value === 'object' && value !== null) {
        eachVariable(
          own.getPrototype(value) as object,
          (kept, read) => {
            const found = own.exec(KEPT, kept)?.[1];
            if (found === undefined || seen.has(found)) return;
            seen.set(found, true);
            own.append(outer, { name: found, isReached: true, ...show(read) });
          },
          value,
        );
        return;
      }
      // What is further in hides it; and the arguments of what is around are those of our own function.
      if (own.test(OURS, name) || (name === 'arguments' && (kind !== 'local' || isModule)) || seen.has(name)) return;
      seen.set(name, true);
      if (variables.length >= MOST) more++;
      else own.append(variables, { name, ...show(value) });
    });
    if (variables.length > 0) own.append(told, { kind, variables, more });
    if (outer.length > 0) own.append(told, { kind: 'closure', variables: outer, more: 0 });
  }
  return told;
}

/** Around a module stands a function of ours, whose arguments are no program's. */
function isAroundModule(scope: object): boolean {
  const names = own.ownKeys(scope);
  for (let i = 0; i < names.length; i++)
    if (typeof names[i] === 'string' && own.test(MODULE, names[i] as string)) return true;
  return false;
}

/** An arrow function that a patch point has called: its receiver is where the version was found. */
function isSlot(self: unknown): boolean {
  if (typeof self !== 'object' || self === null) return false;
  const keys = own.ownKeys(self);
  return keys.length === 1 && typeof keys[0] === 'string' && own.test(SLOT, keys[0]);
}

/** Accessors are ours alone here: the engine shows scopes as data, and what later versions reach is behind accessors. */
function eachVariable(scope: object, tell: (name: string, value: unknown) => void, of = scope): void {
  const keys = own.ownKeys(scope);
  for (let k = 0; k < keys.length; k++) {
    const name = keys[k]!;
    if (typeof name !== 'string') continue;
    let value: unknown;
    try {
      const descriptor = own.getDescriptor(scope, name);
      if (!descriptor) continue;
      value = descriptor.get ? own.apply(descriptor.get, of, []) : descriptor.value;
    } catch {
      // Not declared yet.
      continue;
    }
    tell(name, value);
  }
}
