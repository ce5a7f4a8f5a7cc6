import { equalityOf, type DifferingPart, type Equality, type Inputs, type Way } from '#dist/compare/equality.js';
import { nodeInsight } from '#dist/hosts/node/introspection.js';
import { Previewer } from '#dist/runtime/preview.js';
import { valueText } from '#dist/runtime/text.js';

/** As `structuredClone`, which makes objects of another realm here. */
function copied(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(copied);
  if (value instanceof Map) return new Map([...value].map(([key, one]) => [copied(key), copied(one)]));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([key, one]) => [key, copied(one)]));
}

function compare(baseline: Way, candidate: Way, inputs: Partial<Inputs> = {}): Promise<Equality> {
  return equalityOf(
    baseline,
    candidate,
    { given: [() => undefined], most: 0, ...inputs },
    {
      previewer: new Previewer(nodeInsight),
      introspection: nodeInsight,
      copy: copied,
      now: () => performance.now(),
      patienceMs: 10_000,
    },
  );
}

class Barge {
  constructor(
    public name: string,
    public tonnes = 0,
  ) {}
}
class Lock {
  constructor(public name: string) {}
}
const cyclic = (name: string): object => {
  const made: Record<string, unknown> = { name };
  made.self = made;
  return made;
};
const shared = (): object => {
  const one = { tonnes: 4 };
  return [one, one];
};
const numbers = (...list: number[]): Float64Array => Float64Array.from(list);
const bytes = (...list: number[]): ArrayBuffer => Uint8Array.from(list).buffer;
const failing = (error: unknown): Way => {
  return () => {
    throw error;
  };
};
const gives =
  (value: unknown): Way =>
  () =>
    value;

/** Ways that give something else, or leave something else behind. */
// prettier-ignore
const DIFFERENT: [name: string, Way, Way, part?: DifferingPart, input?: unknown][] = [
  ['numbers', gives(1), gives(2)],
  ['a number and its text', gives(1), gives('1')],
  ['zeros of two signs', gives(0), gives(-0)],
  ['NaN and undefined', gives(NaN), gives(undefined)],
  ['null and undefined', gives(null), gives(undefined)],
  ['large integers', gives(10n), gives(11n)],
  ['a large integer and a number', gives(10n), gives(10)],
  ['texts', gives('Heron'), gives('heron')],
  ['texts that look the same', gives('\u00e9'), gives('e\u0301')],
  ['booleans', gives(true), gives(false)],
  ['true and 1', gives(true), gives(1)],
  ['symbols', gives(Symbol.iterator), gives(Symbol.asyncIterator)],
  ['the order of a list', gives([1, 2, 3]), gives([1, 3, 2])],
  ['one more in a list', gives([1, 2]), gives([1, 2, 3])],
  ['an undefined at its end', gives([1]), gives([1, undefined])],
  ['a list and an object like it', gives([1]), gives({ 0: 1 })],
  ['a list in a list', gives([[1], [2]]), gives([[1], [3]])],
  ['a field', gives({ name: 'Heron' }), gives({ name: 'Otter' })],
  ['a field that is missing', gives({ name: 'Heron', tonnes: undefined }), gives({ name: 'Heron' })],
  ['a field more', gives({}), gives({ lock: 'Dun' })],
  ['the order of keys', gives({ a: 1, b: 2 }), gives({ b: 2, a: 1 })],
  ['a field far down', gives({ a: { b: { c: [{ d: 1 }] } } }), gives({ a: { b: { c: [{ d: 2 }] } } })],
  ['a field named by a symbol', gives({ [Symbol.for('lock')]: 1 }), gives({ [Symbol.for('lock')]: 2 })],
  ['dates', gives(new Date(0)), gives(new Date(1))],
  ['a date and its number', gives(new Date(0)), gives(0)],
  ['a date that is none', gives(new Date(NaN)), gives(new Date(0))],
  ['patterns', gives(/lock/g), gives(/lock/i)],
  ['values of a map', gives(new Map([['Heron', 1]])), gives(new Map([['Heron', 2]]))],
  ['keys of a map', gives(new Map([['Heron', 1]])), gives(new Map([['Otter', 1]]))],
  ['the order of a map', gives(new Map([[1, 1], [2, 2]])), gives(new Map([[2, 2], [1, 1]]))],
  ['a map and an object', gives(new Map()), gives({})],
  ['values in a map of maps', gives(new Map([[1, new Map([[2, 3]])]])), gives(new Map([[1, new Map([[2, 4]])]]))],
  ['members of a set', gives(new Set([1, 2])), gives(new Set([1, 3]))],
  ['the order of a set', gives(new Set(['a', 'b'])), gives(new Set(['b', 'a']))],
  ['objects in a set', gives(new Set([{ a: 1 }])), gives(new Set([{ a: 2 }]))],
  ['typed lists', gives(numbers(1, 2)), gives(numbers(1, 3))],
  ['kinds of typed lists', gives(Uint8Array.of(1)), gives(Int8Array.of(1))],
  ['the zeros of typed lists', gives(numbers(0)), gives(numbers(-0))],
  ['bytes', gives(bytes(1, 2)), gives(bytes(1, 3))],
  ['views of bytes', gives(new DataView(bytes(1, 2))), gives(new DataView(bytes(1, 3)))],
  ['objects of two classes', gives(new Barge('Dun')), gives(new Lock('Dun'))],
  ['an object of a class and a plain one', gives(new Lock('Dun')), gives({ name: 'Dun' })],
  ['an object without a prototype', gives(Object.create(null)), gives({})],
  ['names in a ring', gives(cyclic('Dun')), gives(cyclic('Elm'))],
  ['a ring and a list of two turns', gives(cyclic('Dun')), gives({ name: 'Dun', self: cyclic('Dun') })],
  ['one object twice, and two', gives(shared()), gives([{ tonnes: 4 }, { tonnes: 4 }])],
  ['errors that are given', gives(new Error('dry')), gives(new Error('full'))],
  ['boxed numbers', gives(Object(1)), gives(Object(2))],
  ['a function and none', gives(() => 1), gives(1)],
  ['messages of what is thrown', failing(new Error('dry')), failing(new Error('full')), 'error'],
  ['kinds of what is thrown', failing(new TypeError('dry')), failing(new RangeError('dry')), 'error'],
  ['causes of what is thrown', failing(new Error('a', { cause: 1 })), failing(new Error('a', { cause: 2 })), 'error'],
  ['a text that is thrown', failing('dry'), failing('full'), 'error'],
  ['one that throws', gives(1), failing(new Error('dry')), 'error'],
  ['one that throws undefined', gives(undefined), failing(undefined), 'error'],
  ['what is given later', async () => 1, async () => 2],
  ['what fails later', async () => 1, () => Promise.reject(new Error('dry')), 'error'],
  ['a list that one has sorted', (list) => (list as number[]).length, (list) => (list as number[]).sort().length, 'input', [3, 1, 2]],
  ['a field that one has written', gives(1), (barge) => ((barge as Barge).tonnes = 1), 'input', { tonnes: 4 }],
  ['a map that one has emptied', gives(1), (map) => ((map as Map<string, number>).clear(), 1), 'input', new Map([['a', 1]])],
  ['a list that one has emptied, later', async () => 1, async (list) => (await null, (list as []).pop(), 1), 'input', [1]],
  ['a part of a large list', gives(Array.from({ length: 5_000 }, (_, i) => i)), gives(Array.from({ length: 5_000 }, (_, i) => (i === 4_321 ? -1 : i)))],
];

test('ways that differ are told apart: at least sixty kinds', () =>
  expect(DIFFERENT.length).toBeGreaterThanOrEqual(60));

test.each(DIFFERENT)('%s: they differ, whichever is the first', async (_, one, other, part = 'result', input) => {
  for (const [a, b] of [
    [one, other],
    [other, one],
  ] as const) {
    const found = await compare(a, b, { given: [() => copied(input)] });
    expect(found).toMatchObject({ tried: 1, differing: 1, smallest: { part } });
    expect(found.smallest!.differences.list.length).toBeGreaterThan(0);
  }
});

// prettier-ignore
const SAME: [name: string, make: () => unknown][] = [
  ['NaN', () => NaN],
  ['a text', () => 'Dun'],
  ['lists', () => [1, [2, { a: -0 }], undefined]],
  ['objects', () => ({ a: 1, b: { c: null } })],
  ['dates, patterns, large integers', () => [new Date(5), /a/y, 5n]],
  ['maps and sets with objects', () => [new Map<unknown, unknown>([['a', { b: 1 }]]), new Set([{ a: 1 }, 2])]],
  ['typed lists and bytes', () => [numbers(1, NaN), bytes(1, 2), new DataView(bytes(3))]],
  ['a ring', () => cyclic('Dun')],
  ['shared objects', () => shared()],
  ['objects of a class', () => [new Barge('Heron', 4), new Lock('Dun')]],
  ['classes of one name from two loads', () => new (class Keeper {
    name = 'J.';
  })()],
  ['errors', () => new RangeError('dry', { cause: { at: 1 } })],
  ['functions', () => [() => 1, function fill() {}]],
  ['nothing', () => undefined],
];

test.each(SAME)('%s, made twice, are the same: given, thrown, and later', async (_, make) => {
  const fails: Way = () => {
    throw make();
  };
  for (const [a, b] of [
    [make, () => make()],
    [fails, (input: unknown) => fails(input)],
    [async () => make(), () => Promise.resolve(make())],
  ] as const)
    expect(await compare(a, b)).toEqual({ tried: 1, differing: 0 });
});

test('what only one input in a thousand shows is found, and made small', async () => {
  const due = (boats: { tonnes: number }[]): number => boats.reduce((sum, { tonnes }) => sum + tonnes, 0);
  const wrong: Way = (boats) => due((boats as { tonnes: number }[]).filter(({ tonnes }) => tonnes !== 937));
  const found = await compare((boats) => due(boats as { tonnes: number }[]), wrong, {
    given: [],
    most: 5_000,
    generate: (random) =>
      Array.from({ length: Math.floor(random() * 3) }, () => ({ name: 'Heron', tonnes: Math.floor(random() * 1_000) })),
  });
  expect(found.tried).toBe(5_000);
  expect(found.differing).toBeGreaterThan(0);
  expect(found.differing).toBeLessThan(30);
  expect(valueText(found.smallest!.input)).toBe("[{ name: '', tonnes: 937 }]");
});

test('each way has an input of its own, and a failing generator is no difference of theirs', async () => {
  const seen = new Set<unknown>();
  const takes: Way = (input) => {
    expect(seen.has(input)).toBe(false);
    seen.add(input);
    return (input as number[]).push(1);
  };
  expect(await compare(takes, (input) => takes(input), { given: [() => [0]] })).toEqual({ tried: 1, differing: 0 });
  const failed = compare(gives(1), gives(1), {
    most: 3,
    generate: () => {
      throw new Error('no boats');
    },
  });
  await expect(failed).rejects.toThrow('no boats');
});
