/** The variables at a place whose version has handed over what evaluates code there. */
import * as own from '../originals.js';
import type { EngineScope, There } from './engine.js';

export function scopesAt({ evaluate, names }: There): { scopes: EngineScope[]; self: unknown } {
  const object = {};
  for (let from = 0; from < names.length;) {
    const next = own.indexOf(names, ',', from);
    const name = own.slice(names, from, next < 0 ? names.length : next);
    from = next < 0 ? names.length : next + 1;
    try {
      const value = evaluate(name);
      own.defineProperty(object, name, { value, enumerable: true, configurable: true });
    } catch {
      // Not declared yet, or no name of this code.
    }
  }
  let self: unknown;
  try {
    self = evaluate('this');
  } catch {
    // A constructor that has not called `super`.
  }
  return { scopes: [{ kind: 'local', object }], self };
}
