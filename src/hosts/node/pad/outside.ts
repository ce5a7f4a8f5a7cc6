/** What a pad takes from outside comes out of its journal, or goes into it: what Node alone has of that. */
import { syncBuiltinESMExports } from 'node:module';
import type { Journal } from '../../../runtime/outside/journal.js';
import { type Disguise, givenRandom, installClocks, replace } from '../../../runtime/outside/clocks.js';
import { givenFetch } from '../../../runtime/outside/fetches.js';
import { Turns } from '../../../runtime/outside/turns.js';
import type { Target } from '../../../runtime/target.js';
import { Taken } from '../../../wire/taken.js';
import { answerFetch } from '../requests.js';
import type { Originals } from './originals.js';

/** From here on the journal of a target's steps is what its program reads. */
export function installOutside(target: Target, originals: Originals, disguise: Disguise): void {
  const { asked } = target.parts.reporter;
  const teller = asked.steps!;
  const { journal } = teller;
  const global = globalThis as unknown as Record<string, unknown>;
  installClocks(global, journal, disguise);
  installHighResolution(journal, disguise);
  installRandomBytes(journal, originals, disguise);
  const requests = { begins: false };
  const turns = new Turns(journal, {
    steps: () => teller.steps,
    isProgram: () => teller.isActive && !requests.begins,
    now: originals.now,
    later: (callback) => void originals.later(callback),
    every(ms, callback) {
      const timer = originals.timers.setInterval(callback, ms);
      timer.unref();
      return () => originals.timers.clearInterval(timer);
    },
    isOver: (handle) => (handle as { _destroyed?: boolean } | undefined)?._destroyed === true,
  });
  turns.install(global, disguise);
  const timers = originals.builtin('node:timers') as Record<string, unknown>;
  for (const name of ['setTimeout', 'setInterval', 'setImmediate', 'clearImmediate']) timers[name] = global[name];
  const fetches = givenFetch(turns, (call) => {
    requests.begins = true;
    try {
      return call();
    } finally {
      requests.begins = false;
    }
  });
  answerFetch((original) => fetches(original as never) as typeof original);
  syncBuiltinESMExports();
}

function installHighResolution(journal: Journal, disguise: Disguise): void {
  const { hrtime } = process;
  const read = (): number => journal.take(Taken.Clock, () => Number(hrtime.bigint()));
  replace(
    process,
    'hrtime',
    disguise,
    () =>
      ((since?: [number, number]): [number, number] => {
        const all = read();
        const [seconds, rest] = [Math.floor(all / 1e9), all % 1e9];
        if (since === undefined) return [seconds, rest];
        const ns = (seconds - since[0]) * 1e9 + rest - since[1];
        return [Math.floor(ns / 1e9), ((ns % 1e9) + 1e9) % 1e9];
      }) as never,
  );
  replace(process.hrtime, 'bigint', disguise, () => () => BigInt(read()));
}

function installRandomBytes(journal: Journal, { builtin }: Originals, disguise: Disguise): void {
  const crypto = builtin('node:crypto') as typeof import('node:crypto');
  const { randomBytes } = crypto;
  const { bytes, uuid, fill } = givenRandom(journal, (size) => new Uint8Array(randomBytes(size)));
  replace(
    crypto,
    'randomBytes',
    disguise,
    (original) =>
      ((size: number, callback?: unknown): unknown =>
        callback === undefined
          ? Buffer.from(bytes(size))
          : Reflect.apply(original as never, crypto, [size, callback] as never)) as never,
  );
  for (const holder of [crypto, crypto.webcrypto, Object.getPrototypeOf(crypto.webcrypto) as object]) {
    replace(holder, 'randomUUID', disguise, () => uuid);
    replace(holder, 'getRandomValues', disguise, () => fill as never);
  }
  replace(
    crypto,
    'randomFillSync',
    disguise,
    (original) =>
      ((view: ArrayBufferView, ...rest: unknown[]): unknown =>
        rest.length === 0 ? fill(view) : Reflect.apply(original as never, crypto, [view, ...rest] as never)) as never,
  );
}
