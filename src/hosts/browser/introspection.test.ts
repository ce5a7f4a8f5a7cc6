import { pageInsight } from '#dist/hosts/browser/introspection.js';

const native = Proxy;
const { introspection, made } = pageInsight();

test('proxies that are made from now on are known, however they are made', () => {
  const target = { level: 1 };
  const traps: ProxyHandler<object> = {
    get: () => {
      throw new Error('a trap ran');
    },
    ownKeys: () => {
      throw new Error('a trap ran');
    },
  };
  const { proxy, revoke } = Proxy.revocable(target, traps);
  const all = [new Proxy(target, traps), Reflect.construct(Proxy, [target, traps]) as object, proxy];
  expect(all.map((one) => introspection.isProxy(one))).toEqual([true, true, true]);
  expect([target, Proxy, []].map((one) => introspection.isProxy(one))).toEqual([false, false, false]);
  expect(introspection.isProxy(new native(target, {}))).toBe(false);
  revoke();
  expect(introspection.isProxy(proxy)).toBe(true);
});

test('the constructor behaves as the engine’s own', () => {
  expect([Proxy.name, Proxy.length, typeof Proxy.revocable]).toEqual(['Proxy', 2, 'function']);
  expect(new Proxy({ depth: 2 }, {})).toEqual({ depth: 2 });
  // As the engine's own, it has no prototype that a class could extend.
  expect(() => class extends (Proxy as unknown as new () => object) {}).toThrow(
    'does not have valid prototype property',
  );
  expect(() => (Proxy as unknown as () => void)()).toThrow(TypeError);
  expect(() => new Proxy(1 as never, {})).toThrow(TypeError);
  expect(Proxy.revocable({ depth: 3 }, {}).proxy).toEqual({ depth: 3 });
  // What stands in for the engine's own is told, for its source text.
  expect(
    made.map(([stand, original]) => [
      stand === Proxy || stand === Proxy.revocable,
      original === native || original === native.revocable,
    ]),
  ).toEqual([
    [true, true],
    [true, true],
  ]);
});

test('kinds of objects are told by what they hold, not by what they say', () => {
  class Lying {
    get [Symbol.toStringTag](): string {
      throw new Error('a getter ran');
    }
  }
  const kinds: [unknown, string | undefined][] = [
    [new Map(), 'Map'],
    [new Set(), 'Set'],
    [new Date(0), 'Date'],
    [/x/, 'RegExp'],
    [new RangeError('x'), 'Error'],
    [Promise.resolve(), 'Promise'],
    [new Uint8Array(2), 'Typed'],
    [new ArrayBuffer(2), 'Buffer'],
    [new WeakMap(), 'Weak'],
    [Object(1), 'Boxed'],
    [Object('x'), 'Boxed'],
    [Object(true), 'Boxed'],
    [{}, undefined],
    [[], undefined],
    [Object.create(null), undefined],
    [new Lying(), undefined],
    // Inherits, and is none.
    [Object.create(Map.prototype), undefined],
    [Object.create(Date.prototype), undefined],
    [Object.create(new Proxy({}, {})), undefined],
  ];
  expect(kinds.map(([value]) => introspection.brand(value as object))).toEqual(kinds.map(([, kind]) => kind));
});
