/** What only a browser can tell the runtime, for modules that our own registry evaluates. */
import * as own from '../../../runtime/originals.js';
import type { TargetEngine } from '../../../runtime/target-engine.js';
import type { FromRelay } from '../../../wire/messages.js';
import type { Resolved } from '../../../wire/messages.js';
import { pageInsight } from '../introspection.js';
import { namespaceInPage, packageNamespace } from '../namespaces.js';
import { canvases } from './canvases.js';

export interface FrameParts {
  live: boolean;
  /** Tells files of ours, which never show in stacks. */
  isOwnFile(file: string): boolean;
  /** The top level has thrown. */
  uncaught(): void;
  send(message: DistributedOmit<FromRelay, 'id'>): void;
  resolve(specifier: string, from: string): Promise<Resolved>;
  /** Loads a package. */
  load(specifier: string, from: string): Promise<Record<string, unknown>>;
}

type DistributedOmit<Union, Key extends PropertyKey> = Union extends unknown ? Omit<Union, Key> : never;

/** The event whose listeners run now. */
function eventNow(): { kind: 'event'; name: string } | undefined {
  const { event } = globalThis as { event?: { type: string } };
  return event && { kind: 'event', name: event.type };
}

/** Call before any code of the person runs in this realm. */
export function frameEngine({ live, isOwnFile, uncaught, send, resolve, load }: FrameParts): {
  engine: TargetEngine;
  made: [object, object][];
} {
  const { setInterval: interval, clearInterval: clear, setTimeout: timeout, clearTimeout: clearTimer } = globalThis;
  const { port1, port2 } = new MessageChannel();
  const jobs: (() => void)[] = [];
  port1.onmessage = (): void => jobs.shift()?.();
  const { introspection, made } = pageInsight();
  const evaluate = globalThis.eval;
  const after = (ms: number, callback: () => void): (() => void) => {
    const timer = timeout(callback, ms);
    return () => clearTimer(timer);
  };
  const engine: TargetEngine = {
    introspection,
    now: () => performance.now(),
    later(callback) {
      jobs.push(callback);
      port2.postMessage(0);
    },
    send: (batch) => send({ type: 'batch', batch }),
    isOwnFile,
    console: live ? undefined : console,
    ...(live ? { ownConsole: console } : {}),
    every(ms, callback) {
      const timer = interval(callback, ms);
      return () => clear(timer);
    },
    compile: (code, name) => evaluate(`${code}\n//# sourceURL=${name}`) as (...args: unknown[]) => unknown,
    load,
    namespace: namespaceInPage,
    packageNamespace,
    uncaught() {
      uncaught();
      return false;
    },
    cells: (_unit, count) => new Float64Array(count),
    resolve,
    resolveSync(specifier) {
      throw new own.ErrorCopy(`require('${specifier}') would have to wait, and a page cannot: use import() there`);
    },
    urlOf: (file) => file,
    dirname: (file) => file.replace(/[\\/][^\\/]*$/, ''),
    scope: { run: (_value, work) => work(), get: () => undefined },
    timeout: after,
    // A worker has none.
    ...(typeof document === 'undefined' ? {} : { canvas: canvases() }),
    builtin(name) {
      throw new own.ErrorCopy(`${name} is a module of Node, and this is a page`);
    },
    ...(live
      ? {
          holds: {
            switched: () => undefined,
            waiters: () => [],
            after,
            uncaught: (error: unknown) => reportError(error),
          },
          tellHold: (news) => send({ type: 'holding', news }),
          entries: { around: eventNow },
        }
      : {}),
  };
  return { engine, made };
}
