/** Whether a value can be held over re-executions: as a copy, in another thread, with nothing lost. */
import * as own from './originals.js';
import type { Introspection } from './preview.js';

/** Objects looked through before a value counts as too large. */
const MOST = 2_000_000;

/** Why a value cannot be kept; undefined when it can. */
export function whyNotKept(value: unknown, introspection: Introspection): string | undefined {
  const seen = new own.SetCopy<object>();
  own.defineProperty(seen, 'has', { value: own.SetCopy.prototype.has });
  const open: { value: unknown; path: string }[] = [{ value, path: 'it' }];
  let count = 0;
  while (open.length > 0) {
    const { value: item, path } = open[open.length - 1]!;
    open.length--;
    if (typeof item === 'function') return `${path} is a function, and functions are made anew at each run`;
    if (typeof item === 'symbol') return `${path} is a symbol`;
    if (typeof item !== 'object' || item === null || own.setHas(seen, item)) continue;
    own.setAdd(seen, item);
    if (++count > MOST) return `it holds more than ${own.numberLocale(MOST)} objects`;
    if (introspection.isProxy(item)) return `${path} is a proxy`;
    const brand = introspection.brand(item);
    switch (brand) {
      case 'Map': {
        const cursor = own.mapEntries(item as Map<unknown, unknown>);
        for (let step = own.mapNext(cursor); !step.done; step = own.mapNext(cursor)) {
          own.append(open, { value: step.value[0], path: `a key of ${path}` });
          own.append(open, { value: step.value[1], path: `a value of ${path}` });
        }
        break;
      }
      case 'Set': {
        const cursor = own.setValues(item as Set<unknown>);
        for (let step = own.setNext(cursor); !step.done; step = own.setNext(cursor))
          own.append(open, { value: step.value, path: `a member of ${path}` });
        break;
      }
      case 'Date':
      case 'RegExp':
      case 'Buffer':
      case 'Boxed':
      case 'Typed':
        continue;
      case 'Error':
      case undefined:
        break;
      default:
        return `${path} is a ${brand === 'Weak' ? 'weak reference' : brand === 'Promise' ? 'promise: keep what it gives, with await' : brand.toLowerCase()}`;
    }
    const prototype = own.getPrototype(item) as object | null;
    if (brand === undefined && prototype !== null && !own.isArray(item) && prototype !== own.ObjectPrototype) {
      const constructed = own.getDescriptor(prototype, 'constructor')?.value as { name?: string } | undefined;
      return `${path} is an instance of ${constructed?.name ?? 'a class'}, whose class is made anew at each run`;
    }
    const keys = own.ownKeys(item);
    for (let i = 0; i < keys.length; i++) {
      const key = keys[i]!;
      const descriptor = own.getDescriptor(item, key);
      if (!descriptor || (own.isArray(item) && key === 'length')) continue;
      if (typeof key === 'symbol') return `${path} has a symbol as key`;
      if (brand === 'Error' && (key === 'stack' || key === 'message' || key === 'cause')) continue;
      if (!('value' in descriptor)) return `${path}.${key} is a getter`;
      if (!descriptor.enumerable) return `${path}.${key} is not enumerable`;
      own.append(open, { value: descriptor.value, path: own.isArray(item) ? `${path}[${key}]` : `${path}.${key}` });
    }
  }
  return undefined;
}
