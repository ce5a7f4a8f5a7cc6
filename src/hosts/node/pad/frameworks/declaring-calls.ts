/** Where tests are declared: each call that declares some notes its place for as long as it lasts. */
import type { ReportedTests } from '../../../../runtime/tests/reported.js';
import type { Fn } from './parts.js';

export class DeclaringCalls {
  /** Site of the innermost call that declares just now, or -1. */
  current = -1;

  /** @param made called with what a declaring call gave, its site, and whether it was given a body */
  constructor(
    private readonly reported: ReportedTests,
    private readonly made: (made: unknown, site: number, hasBody: boolean) => void = () => undefined,
  ) {}

  /**
   * What declares as before, and notes where; so does what it has and gives: `test.only`, `test.each(…)`.
   *
   * @param holder the object that it is called on
   */
  noting<F extends Fn>(declare: F, holder?: unknown): F {
    return new Proxy(declare, {
      apply: (target, self: unknown, args: never[]) => {
        const site = this.reported.takeSite();
        const outer = this.current;
        this.current = site;
        try {
          const given: unknown = Reflect.apply(target, holder ?? self, args);
          this.made(
            given,
            site,
            args.some((one) => typeof one === 'function'),
          );
          return typeof given === 'function' ? this.noting(given as Fn) : given;
        } finally {
          this.current = outer;
        }
      },
      get: (target, name) => {
        const member: unknown = Reflect.get(target, name);
        return typeof member === 'function' && typeof name === 'string' && name !== 'prototype'
          ? this.noting(member as Fn, target)
          : member;
      },
    });
  }
}
