/** What a page tells of values without running code of the person. */
import { elementReader } from '../../runtime/elements.js';
import { platformReader } from '../../runtime/platform-objects.js';
import { brandBySlots } from '../../runtime/brands.js';
import type { Introspection } from '../../runtime/preview.js';

/**
 * Call before any code of the page: a browser does not tell which objects are proxies, so those that are made are
 * noted.
 *
 * @returns `made`: what replaces the engine's own, and the function whose text it is to show
 */
export function pageInsight(): { introspection: Introspection; made: [object, object][] } {
  const proxies = new WeakSet<object>();
  const native = globalThis.Proxy;
  const { revocable } = {
    revocable(target: object, handler: ProxyHandler<object>): { proxy: object; revoke: () => void } {
      const made = native.revocable(target, handler);
      proxies.add(made.proxy);
      return made;
    },
  };
  const noting = new native(native, {
    construct(target, args, made) {
      const proxy = Reflect.construct(target, args, made) as object;
      proxies.add(proxy);
      return proxy;
    },
    get: (target, key) => (key === 'revocable' ? revocable : (Reflect.get(target, key) as unknown)),
  });
  globalThis.Proxy = noting;
  const isProxy = (value: object): boolean => proxies.has(value);
  return {
    introspection: {
      isProxy,
      brand: (value) => brandBySlots(value, isProxy),
      element: elementReader(globalThis),
      platform: platformReader(globalThis, isProxy),
    },
    made: [
      [noting, native],
      [revocable, native.revocable],
    ],
  };
}
