/** What a page answers for `node:assert` takes for equal, and refuses, what Node takes and refuses. */
import nodeAssert from 'node:assert';
import { assertModule } from '#dist/hosts/alone/assert-module.js';

type Assert = Record<string, (...args: unknown[]) => unknown>;

const bare = (given: object): object => Object.assign(Object.create(null) as object, given);
const around = (): object => {
  const made: { self?: object; tonnes: number } = { tonnes: 4 };
  made.self = made;
  return made;
};
class Barge {
  constructor(readonly tonnes: number) {}
}
class Tug {
  constructor(readonly tonnes: number) {}
}

/** Each is made twice, so that what is equal is not the same. */
const VALUES: readonly (() => unknown)[] = [
  ...[() => undefined, () => null, () => 0, () => -0, () => 1, () => '1', () => '', () => NaN, () => true, () => 4n],
  ...[() => 'Alder', () => Symbol.iterator, () => [], () => [1], () => ['1'], () => [1, undefined], () => [[]]],
  ...[() => ({}), () => ({ tonnes: 4 }), () => ({ tonnes: '4' }), () => bare({ tonnes: 4 }), () => bare({})],
  ...[() => ({ tonnes: 4, at: undefined }), () => new Barge(4), () => new Tug(4), around],
  ...[() => ({ [Symbol.for('lock')]: 1 }), () => Object.defineProperty({}, 'hidden', { value: 1 })],
  ...[
    () => new Date(0),
    () => new Date(1),
    () => /lock/g,
    () => /lock/,
    () => new Error('dry'),
    () => new TypeError('dry'),
  ],
  ...[() => new Map([['a', 1]]), () => new Map([['a', '1']]), () => new Map([[{ a: 1 }, { b: 2 }]]), () => new Map()],
  ...[() => new Set([1, 2]), () => new Set(['1', 2]), () => new Set([{ a: 1 }]), () => new Set([[1], [2]])],
  ...[() => new Uint8Array([1, 2]), () => new Int8Array([1, 2]), () => new Uint8Array([1, 3]).buffer],
  ...[() => Object(1) as object, () => Object('1') as object, () => Object(2) as object, () => new Array(2)],
];

/** The code of what is thrown; empty where nothing is. */
function thrown(work: () => unknown): string {
  try {
    work();
    return '';
  } catch (error) {
    return `${(error as { code?: string }).code ?? (error as Error).name} ${(error as { operator?: string }).operator ?? ''}`;
  }
}

const METHODS = ['equal', 'notEqual', 'strictEqual', 'notStrictEqual', 'deepEqual', 'notDeepEqual', 'deepStrictEqual'];

test.each([
  ['node:assert', assertModule(), nodeAssert],
  ['node:assert/strict', assertModule(true), nodeAssert.strict],
  ['its strict', assertModule().strict, nodeAssert.strict],
])('%s: every value with every other', (_name, ours, theirs) => {
  const different: string[] = [];
  for (const method of [...METHODS, 'notDeepStrictEqual'])
    for (const [i, one] of VALUES.entries())
      for (const [j, other] of VALUES.entries()) {
        const [a, b] = [one(), other()];
        const expected = thrown(() => (theirs as unknown as Assert)[method]!(a, b));
        const given = thrown(() => (ours as Assert)[method]!(a, b));
        if (given !== expected)
          different.push(`${method} ${i} ${j}: ${given || 'passes'}, Node: ${expected || 'passes'}`);
      }
  expect(different).toEqual([]);
});

test('the others pass and fail as they do in Node', async () => {
  const dry = (): never => {
    throw new TypeError('the reach is dry');
  };
  const wet = (): number => 4;
  const cases: ((assert: Assert) => unknown)[] = [
    ...[0, '', null, undefined, NaN, 1, 'a', {}].map((value) => (assert: Assert) => assert.ok!(value)),
    ...[undefined, null, 0, new Error('x'), 'said'].map((value) => (assert: Assert) => assert.ifError!(value)),
    ...['reach', 'lock', 4].map((text) => (assert: Assert) => assert.match!(text, /rea/)),
    ...['reach', 'lock'].map((text) => (assert: Assert) => assert.doesNotMatch!(text, /rea/)),
    ...[dry, wet].flatMap((work) => [
      (assert: Assert) => assert.throws!(work),
      (assert: Assert) => assert.throws!(work, TypeError),
      (assert: Assert) => assert.throws!(work, RangeError),
      (assert: Assert) => assert.throws!(work, /dry/),
      (assert: Assert) => assert.throws!(work, /wet/),
      (assert: Assert) => assert.throws!(work, { message: 'the reach is dry', name: 'TypeError' }),
      (assert: Assert) => assert.throws!(work, { message: /wet/ }),
      (assert: Assert) => assert.throws!(work, (error: Error) => error.message === 'the reach is dry'),
      (assert: Assert) => assert.throws!(work, () => false),
      (assert: Assert) => assert.doesNotThrow!(work),
    ]),
    (assert) => assert.fail!(),
    (assert) => assert.fail!('it ends here'),
  ];
  const waiting: ((assert: Assert) => unknown)[] = [
    (assert) => assert.rejects!(() => Promise.reject(new Error('x'))),
    (assert) => assert.rejects!(Promise.resolve(4)),
    (assert) => assert.rejects!(Promise.reject(new Error('x')), /y/),
    (assert) => assert.doesNotReject!(Promise.resolve(4)),
    (assert) => assert.doesNotReject!(() => Promise.reject(new Error('x'))),
  ];
  const [ours, theirs] = [assertModule() as Assert, nodeAssert as unknown as Assert];
  expect(cases.map((one) => thrown(() => one(ours)))).toEqual(cases.map((one) => thrown(() => one(theirs))));
  const settled = (assert: Assert): Promise<string[]> =>
    Promise.all(
      waiting.map(async (one) => {
        try {
          await one(assert);
          return '';
        } catch (error) {
          return thrown(() => {
            throw error;
          });
        }
      }),
    );
  expect(await settled(ours)).toEqual(await settled(theirs));
});
