import { automocked } from '#dist/hosts/node/pad/frameworks/automock.js';

type Fn = (...args: unknown[]) => unknown;

/** Functions that note their calls, and do nothing else, or what the original does. */
const noted: unknown[][] = [];
const make = (original: Fn | undefined): Fn =>
  function (this: unknown, ...args: unknown[]) {
    noted.push(args);
    return original?.apply(this, args);
  };

class Gauge {
  static made = 0;
  static make(): Gauge {
    return new Gauge();
  }
  level = 3;
  read(): number {
    return this.level;
  }
}
class Deep extends Gauge {
  deep(): string {
    return 'deep';
  }
}
const gauge = new Deep();
const module = {
  toll: (length: number) => length,
  Gauge: Deep,
  gauge,
  list: [1, 2],
  map: new Map([[1, 2]]),
  unit: 'm',
  nested: { open: () => true, none: null, self: undefined as unknown },
};
module.nested.self = module.nested;

beforeEach(() => {
  noted.length = 0;
});

test('a copy has functions that do nothing, empty lists, and values as they are', () => {
  const copy = automocked(module, make as never, false) as typeof module;
  expect(copy.toll(3)).toBeUndefined();
  expect(noted).toEqual([[3]]);
  expect(copy.toll.name).toBe('toll');
  expect(copy.list).toEqual([]);
  expect(copy.unit).toBe('m');
  expect(copy.map).toBe(module.map);
  expect(copy.nested.open()).toBeUndefined();
  expect(copy.nested.none).toBeNull();
  expect(copy.nested.self).toBe(copy.nested);
  expect(module.nested.open()).toBe(true);
});

test('classes and their objects have all of their methods, those from above too', () => {
  const copy = automocked(module, make as never, false) as typeof module;
  const made = new copy.Gauge();
  expect([made.read(), made.deep()]).toEqual([undefined, undefined]);
  expect(copy.gauge.read()).toBeUndefined();
  expect(copy.gauge.level).toBe(3);
  expect(copy.gauge).toBeInstanceOf(Deep);
  expect(new Deep().read()).toBe(3);
});

test('what is watched does what it did', () => {
  const copy = automocked(module, make as never, true) as typeof module;
  expect(copy.toll(4)).toBe(4);
  expect(copy.gauge.read()).toBe(3);
  expect(copy.list).toEqual([1, 2]);
  expect(noted).toEqual([[4], []]);
});
