/** What a pad takes from outside comes out of its journal, or goes into it: what a worker of a page has of that. */
import { type Disguise, givenRandom, installClocks, replace } from '../../runtime/outside/clocks.js';
import { givenFetch } from '../../runtime/outside/fetches.js';
import { Turns } from '../../runtime/outside/turns.js';
import type { StepTeller } from '../../runtime/reports/step-teller.js';

/** As they are before a program runs. */
const { setInterval: interval, clearInterval: clear } = globalThis;
const { getRandomValues: fill } = Crypto.prototype;

/** What it needs of the engine. */
export interface OutsideEngine {
  now(): number;
  later(callback: () => void): void;
}

/** From here on the journal of a run's steps is what its program reads. */
export function installOutside(teller: StepTeller, { now, later }: OutsideEngine, disguise: Disguise): void {
  const { journal } = teller;
  const scope = globalThis as unknown as Record<string, unknown>;
  installClocks(scope, journal, disguise);
  const random = givenRandom(journal, (size) => Reflect.apply(fill, crypto, [new Uint8Array(size)]) as Uint8Array);
  replace(Crypto.prototype, 'randomUUID', disguise, () => random.uuid);
  replace(Crypto.prototype, 'getRandomValues', disguise, () => random.fill as never);
  let begins = false;
  const turns = new Turns(journal, {
    steps: () => teller.steps,
    isProgram: () => teller.isActive && !begins,
    now,
    later,
    every(ms, callback) {
      const timer = interval(callback, ms);
      return () => clear(timer);
    },
    // A timer that was cleared is never due.
    isOver: () => false,
  });
  turns.install(scope, disguise);
  replace(
    scope,
    'fetch',
    disguise,
    givenFetch(turns, (call) => {
      begins = true;
      try {
        return call();
      } finally {
        begins = false;
      }
    }),
  );
}
