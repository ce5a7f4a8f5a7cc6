import { executionAsyncId, executionAsyncResource } from 'node:async_hooks';

/**
 * A loop that calls itself again with `setTimeout` ends for good when an error
 * comes before that call. Such a callback is remembered, and called again
 * after the next change.
 */
export function stoppedLoops(): { note(): void; resume(): string[] } {
  const list: { name: string; again: () => void }[] = [];
  // The job that made a timer last: a callback that did so goes on by itself.
  let madeIn = -1;
  const timeout = setTimeout;
  for (const name of ['setTimeout', 'setImmediate'] as const) {
    const original = globalThis[name] as (...args: unknown[]) => unknown;
    const replacement = {
      [name](this: unknown, ...args: unknown[]): unknown {
        madeIn = executionAsyncId();
        return Reflect.apply(original, this, args);
      },
    }[name]!;
    Object.defineProperties(replacement, Object.getOwnPropertyDescriptors(original));
    Object.defineProperty(globalThis, name, {
      value: replacement,
      writable: true,
      enumerable: true,
      configurable: true,
    });
  }
  return {
    note() {
      if (madeIn === executionAsyncId() || list.length >= 100) return;
      const timer = executionAsyncResource() as {
        _onTimeout?: (...args: unknown[]) => void;
        _repeat?: number | null;
        _idleTimeout?: number;
        _timerArgs?: unknown[];
      };
      const { _onTimeout: callback } = timer;
      if (typeof callback !== 'function' || timer._repeat !== null) return;
      list.push({
        name: callback.name || 'a timer',
        again: () => void timeout(callback, timer._idleTimeout ?? 1, ...(timer._timerArgs ?? [])),
      });
    },
    resume() {
      const names = list.map(({ name, again }) => {
        again();
        return name;
      });
      list.length = 0;
      return names;
    },
  };
}
