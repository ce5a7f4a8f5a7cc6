import { types } from 'node:util';
import { brandBySlots } from '#dist/runtime/brands.js';
import { DEEP, Previewer, SHALLOW } from '#dist/runtime/preview.js';
import { quote, valueText } from '#dist/runtime/text.js';

const previewer = new Previewer({
  isProxy: types.isProxy,
  // As in a page, which tells the least.
  brand: (value) => brandBySlots(value, types.isProxy),
});
const text = (value: unknown, limit = 400): string => valueText(previewer.take(value), limit);

class Barge {
  constructor(
    readonly name: string,
    readonly cargo: unknown[] = [],
  ) {}
}

describe('a value in one line', () => {
  const circular: { self?: unknown; name: string } = { name: 'Alder' };
  circular.self = circular;
  const sparse = [1, , , 4];
  test.each<[string, unknown, string]>([
    ['undefined', undefined, 'undefined'],
    ['null', null, 'null'],
    ['negative zero', -0, '-0'],
    ['not a number', NaN, 'NaN'],
    ['a fraction', 4.2, '4.2'],
    ['a bigint', 2n ** 70n, '1180591620717411303424n'],
    ['a string with quotes and lines', 'it\'s\n"so"', "'it\\'s\\n\"so\"'"],
    ['a symbol', Symbol('lock'), 'Symbol(lock)'],
    ['a function', function fill() {}, 'ƒ fill'],
    ['a class', Barge, 'class Barge'],
    ['an array', [1, 'two', [3]], "[1, 'two', [3]]"],
    ['an empty array and object', [[], {}], '[[], {}]'],
    ['a sparse array', sparse, '[1, empty × 2, 4]'],
    ['an instance', new Barge('Heron'), "Barge { name: 'Heron', cargo: [] }"],
    ['keys that are no names', { 'a b': 1, [Symbol('s')]: 2 }, "{ 'a b': 1, [Symbol(s)]: 2 }"],
    ['a null prototype', Object.assign(Object.create(null) as object, { a: 1 }), 'null prototype { a: 1 }'],
    [
      'a map',
      new Map<unknown, unknown>([
        ['k', 1],
        [{ a: 1 }, 2],
      ]),
      "Map(2) { 'k' → 1, object → 2 }",
    ],
    ['a set', new Set([1, 'b']), "Set(2) { 1, 'b' }"],
    ['typed numbers', new Float32Array([1.5, 2]), 'Float32Array(2) [1.5, 2]'],
    ['a buffer', new ArrayBuffer(8), 'ArrayBuffer(8)'],
    ['a date', new Date(0), '1970-01-01T00:00:00.000Z'],
    ['a date that is none', new Date(NaN), 'Invalid Date'],
    ['a regular expression', /a+/gi, '/a+/gi'],
    ['an error with its cause', new RangeError('draft', { cause: 4 }), 'RangeError: draft'],
    ['a boxed number', Object(4), 'Number 4'],
    ['a cycle', circular, "{ name: 'Alder', self: (circular) }"],
    ['a proxy', new Proxy({}, {}), 'Proxy'],
  ])('%s', (_name, value, expected) => {
    expect(text(value)).toBe(expected);
  });

  test('is cut to its limit, and long lists say what is left out', () => {
    expect(text(Array.from({ length: 1000 }, (_, i) => i))).toBe('[0, 1, 2, 3, 4, 5, 6, 7, … 992 more]');
    expect(text('x'.repeat(5000), 20)).toHaveLength(20);
    expect(quote('\u0000\t')).toBe("'\\u0000\\t'");
  });
});

describe('a preview', () => {
  test('is as of its moment: later changes do not reach it', () => {
    const lock = { level: 1, gates: [true] };
    const preview = previewer.take(lock);
    lock.level = 2;
    lock.gates.push(false);
    expect(valueText(preview)).toBe('{ level: 1, gates: [true] }');
  });

  test('runs no code of the person', () => {
    let ran = 0;
    const bump = (): never => {
      ran++;
      throw new Error('ran');
    };
    const mean = Object.defineProperty(
      {
        toString: bump,
        toJSON: bump,
        [Symbol.toPrimitive]: bump,
        get level() {
          return bump();
        },
      },
      Symbol.toStringTag,
      { get: bump },
    );
    class Sneaky extends Map<unknown, unknown> {
      override get size(): number {
        return bump();
      }
      override entries(): never {
        return bump();
      }
      override [Symbol.iterator](): never {
        return bump();
      }
    }
    const traps = new Proxy(
      {},
      Object.fromEntries(
        ['get', 'has', 'ownKeys', 'getPrototypeOf', 'getOwnPropertyDescriptor'].map((trap) => [trap, bump]),
      ),
    );
    const child = Object.create(traps) as object;
    for (const value of [mean, new Sneaky(), traps, child, [mean, traps]]) expect(typeof text(value)).toBe('string');
    expect(ran).toBe(0);
    expect(text(mean)).toContain('level: (getter)');
  });

  test('stays within its budget, however big the value', () => {
    const count = (value: { entries?: { value: never }[] }): number =>
      1 + (value.entries ?? []).reduce((sum, entry) => sum + count(entry.value), 0);
    const deep = (depth: number): unknown => (depth === 0 ? 0 : Array.from({ length: 50 }, () => deep(depth - 1)));
    for (const budget of [SHALLOW, DEEP])
      expect(count(previewer.take(deep(3), budget) as never)).toBeLessThanOrEqual(budget.values + 2 * budget.entries);
    const million = Array.from({ length: 1_000_000 }, (_, i) => i);
    expect(previewer.take(million)).toMatchObject({ size: 1_000_000, more: 999_992 });
    expect(previewer.take(new Array(2 ** 32 - 1))).toMatchObject({ size: 2 ** 32 - 1 });
  });
});
