/**
 * The engine's own objects as a thread had them before a pad came: what a program has left behind is seen, and what we
 * have put there ourselves can be taken away again, so that one more run may begin in the thread.
 */
import { syncBuiltinESMExports } from 'node:module';
import type { Originals } from './originals.js';

type Descriptors = Map<PropertyKey, PropertyDescriptor>;

const { getOwnPropertyDescriptor: descriptorOf, defineProperty, getPrototypeOf } = Object;
const { ownKeys } = Reflect;

/** Streams keep under symbols what is on its way; ours are no one's business, and the first script is told anew. */
function keysOf(object: object): PropertyKey[] {
  const isStream = object === process.stdout || object === process.stderr;
  return ownKeys(object).filter((key) =>
    typeof key === 'symbol'
      ? // Packages keep their own state under symbols that nobody else has; the platform keeps what fetches under one.
        !(object === globalThis && Symbol.keyFor(key) === undefined) &&
        !isStream &&
        !/^Symbol\((?:usher-anvil\/|undici\.)/.test(String(key))
      : key !== 'mainModule' || object !== process,
  );
}

export class Ground {
  private readonly objects: object[];
  private readonly before: ReadonlyMap<object, Descriptors>;
  /** With all that we have put there. */
  private ours: ReadonlyMap<object, Descriptors> = new Map();
  /** With what loading packages has done too, which it would do in any thread. */
  private loaded: ReadonlyMap<object, Descriptors> = new Map();
  /** What of that is ours. */
  private installed: { object: object; key: PropertyKey }[] | undefined;
  private around = '';
  private globals: readonly string[] = [];

  constructor(originals: Originals) {
    this.objects = watchedObjects(originals);
    this.before = this.take();
  }

  /** All of ours is in place. */
  settle(): void {
    this.ours = this.take();
    // The first time nothing else has come yet.
    this.installed ??= this.objects.flatMap((object) => {
      const before = this.before.get(object)!;
      return [...this.ours.get(object)!].flatMap(([key, descriptor]) => {
        const then = before.get(key);
        return then && isSame(then, descriptor) ? [] : [{ object, key }];
      });
    });
    this.ready();
  }

  /** The thread waits for its program, with its packages. */
  ready(): void {
    this.loaded = this.take();
    this.around = surroundings();
  }

  /**
   * A program has left something behind.
   *
   * @param globals names that are known to have come to the global object, and are taken away by {@link restore}
   */
  isTouched(globals: readonly string[]): boolean {
    this.globals = globals;
    if (surroundings() !== this.around) return true;
    return this.objects.some((object) => {
      const known = this.loaded.get(object)!;
      const keys = keysOf(object).filter((key) => object !== globalThis || !globals.includes(key as string));
      if (keys.length !== known.size) return true;
      return keys.some((key) => {
        const then = known.get(key);
        const now = descriptorOf(object, key);
        return !then || !now || !(isSame(then, now) || isLazy(object, then, now));
      });
    });
  }

  /** Takes away what is ours. */
  restore(): void {
    for (const name of this.globals) Reflect.deleteProperty(globalThis, name);
    for (const { object, key } of this.installed ?? []) {
      const then = this.before.get(object)!.get(key);
      const ours = this.ours.get(object)!.get(key);
      const now = descriptorOf(object, key);
      // Changed once more by a package: it stays, and works with what was there before.
      if (!now || !ours || !isSame(now, ours)) continue;
      if (then) defineProperty(object, key, then);
      else Reflect.deleteProperty(object, key);
    }
    process.exitCode = undefined;
    // It was told of its exit, and would put nothing off any more.
    (process as unknown as { _exiting: boolean })._exiting = false;
    syncBuiltinESMExports();
  }

  private take(): Map<object, Descriptors> {
    return new Map(
      this.objects.map((object) => [object, new Map(keysOf(object).map((key) => [key, descriptorOf(object, key)!]))]),
    );
  }
}

function isSame(a: PropertyDescriptor, b: PropertyDescriptor): boolean {
  return Object.is(a.value, b.value) && a.get === b.get && a.set === b.set && a.writable === b.writable;
}

/** The engine puts some globals there when they are first asked for. */
function isLazy(object: object, then: PropertyDescriptor, now: PropertyDescriptor): boolean {
  return object === globalThis && then.get !== undefined && now.get === undefined;
}

/** What is set around a program beside the engine's objects. */
function surroundings(): string {
  const listeners = process.eventNames().map((name) => `${String(name)} ${process.listenerCount(name)}`);
  return JSON.stringify([process.env, listeners.sort()]);
}

/** Globals, what they make, and the modules of the platform that we or programs change. */
function watchedObjects({ builtin }: Originals): object[] {
  const objects = new Set<object>([globalThis, console, process, getPrototypeOf(process) as object]);
  objects.add(process.stdout);
  objects.add(process.stderr);
  for (const key of ownKeys(globalThis)) {
    const value: unknown = descriptorOf(globalThis, key)?.value;
    if (typeof value === 'function') {
      objects.add(value);
      const { prototype } = value as { prototype?: unknown };
      if (typeof prototype === 'object' && prototype !== null) objects.add(prototype);
    } else if (typeof value === 'object' && value !== null && /^(?:Math|JSON|Reflect|Atomics|Intl)$/.test(String(key)))
      objects.add(value);
  }
  objects.add(Function.prototype);
  for (const made of [[][Symbol.iterator](), new Map().entries(), (function* () {})(), (async () => {})()])
    objects.add(getPrototypeOf(made) as object);
  const started = builtin('node:child_process') as { ChildProcess: { prototype: object } };
  const modules = builtin('node:module') as { prototype: object; _extensions: object };
  for (const one of [started, started.ChildProcess.prototype, modules, modules.prototype, modules._extensions])
    objects.add(one);
  for (const name of ['node:fs', 'node:timers', 'node:events', 'node:util', 'node:path'])
    objects.add(builtin(name) as object);
  return [...objects];
}
