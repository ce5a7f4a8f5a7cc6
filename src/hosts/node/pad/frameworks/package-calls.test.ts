import { askedBefore, notingHooks, standIn, whileLoading } from '#dist/hosts/node/pad/frameworks/package-calls.js';

interface Hooks {
  afterEach?: ((hook: () => void, ms?: number) => unknown) | undefined;
}

const scope = globalThis as Hooks;
const done: string[] = [];
const { afterEach: own } = scope;

afterEach(() => {
  done.length = 0;
});
afterAll(() => {
  scope.afterEach = own;
});

test('hooks that a package asks for while it is loaded are asked for again, those of tests are not', async () => {
  const given = notingHooks({ afterEach: (hook: () => void) => void done.push(`hook ${hook.name}`), expect: 1 }) as {
    afterEach(hook: () => void): void;
    expect: number;
  };
  expect(given.expect).toBe(1);
  const before = askedBefore();
  whileLoading(() => given.afterEach(function cleanup() {}));
  given.afterEach(function ofTheTest() {});
  await whileLoading(async () => {
    await null;
    given.afterEach(function later() {});
  });
  expect(() =>
    whileLoading(() => {
      throw new Error('no package');
    }),
  ).toThrow('no package');
  given.afterEach(function again() {});
  expect(done).toEqual(['hook cleanup', 'hook ofTheTest', 'hook later', 'hook again']);
  done.length = 0;
  // What was asked for before this run began, and not in it.
  scope.afterEach = (hook) => done.push(hook.name);
  before();
  expect(done).toEqual([]);
  askedBefore()();
  scope.afterEach = own;
  expect(done).toEqual(['cleanup', 'later']);
});

test('packages that are loaded before there is a framework find what they look for, until it is taken away', () => {
  const takeAway = standIn({ expect: 'theirs' });
  const { afterEach: hook, expect: found } = globalThis as unknown as {
    afterEach(fn: () => void): void;
    expect: unknown;
  };
  hook(function early() {});
  takeAway();
  const gone = [scope.afterEach, (globalThis as { expect?: unknown }).expect];
  scope.afterEach = (one) => done.push(one.name);
  askedBefore()();
  const asked = done.at(-1);
  scope.afterEach = own;
  process.nextTick(() => undefined);
  expect2([found, gone, asked], ['theirs', [undefined, undefined], 'early']);
});

/** `expect` was taken away from under this test. */
function expect2(received: unknown, wanted: unknown): void {
  if (JSON.stringify(received) !== JSON.stringify(wanted)) throw new Error(JSON.stringify(received));
}
