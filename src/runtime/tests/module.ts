/** The module `node:test` as a pad imports it. */
import * as own from '../originals.js';
import type { Fn, HookKind, Options } from './options.js';

/** What its functions do. */
export interface Declarations {
  declare(suite: boolean, args: unknown[], preset: Options): Promise<void>;
  hook(kind: HookKind, fn: Fn, options?: Options): void;
  /** A module of the platform. */
  builtin(name: string): Record<string, unknown>;
}

/** The module that a pad gets for `node:test`. */
export function testModule(runner: Declarations): Record<string, unknown> {
  const verb = (suite: boolean): Record<string, unknown> => {
    const declare =
      (preset: Options) =>
      (...args: unknown[]): Promise<void> =>
        runner.declare(suite, args, preset);
    return Object.assign(declare({}), {
      skip: declare({ skip: true }),
      todo: declare({ todo: true }),
      only: declare({ only: true }),
    }) as unknown as Record<string, unknown>;
  };
  const hook = (kind: HookKind) => (fn: Fn, options?: Options) => {
    runner.hook(kind, fn, options);
  };
  const test = verb(false);
  const suite = verb(true);
  const face: Record<string, unknown> = {
    test,
    it: test,
    describe: suite,
    suite,
    before: hook('before'),
    after: hook('after'),
    beforeEach: hook('beforeEach'),
    afterEach: hook('afterEach'),
  };
  for (const target of [test, face])
    for (const name of ['mock', 'run'])
      own.defineProperty(target, name, {
        get: () => runner.builtin('node:test')[name],
        enumerable: true,
        configurable: true,
      });
  for (const name of own.keys(face))
    if (name !== 'mock' && name !== 'run')
      own.defineProperty(test, name, { value: face[name], writable: true, enumerable: true, configurable: true });
  own.defineProperty(face, 'default', { value: test, enumerable: true });
  return face;
}
