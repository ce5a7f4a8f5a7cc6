/** Our own copies of what a pad may replace, taken before its first line runs. */
const bind =
  <T, A extends unknown[], R>(method: (this: T, ...args: A) => R) =>
  (self: T, ...args: A): R =>
    Reflect.apply(method, self, args) as R;

const ReflectApply = Reflect.apply;
export const apply = ReflectApply;
export const ownKeys = Reflect.ownKeys;
export const freeze: <T>(value: T) => T = Object.freeze;
export const keys: (value: object) => string[] = Object.keys;
export const symbols = Object.getOwnPropertySymbols;
export const getDescriptor = Object.getOwnPropertyDescriptor;
export const hasOwn = bind(Object.prototype.hasOwnProperty as (this: object, key: string) => boolean);
export const { isExtensible } = Object;
export const getPrototype = Object.getPrototypeOf;
export const setPrototype = Object.setPrototypeOf;
export const defineProperty = Object.defineProperty;
export const createObject = Object.create;
const arrayCheck = Array.isArray;
/** False for a proxy that has been revoked, about which nothing can be asked. */
export function isArray(value: unknown): value is unknown[] {
  try {
    return arrayCheck(value);
  } catch {
    return false;
  }
}
export const ObjectPrototype = Object.prototype;
export const FunctionPrototype = Function.prototype;
export const MapCopy = Map;
export const ProxyCopy = Proxy;
export const SetCopy = Set;
export const WeakMapCopy = WeakMap;
export const WeakRefCopy = WeakRef;
export const weakTarget = bind(WeakRef.prototype.deref as (this: WeakRef<object>) => object | undefined);
export const ErrorCopy = Error;
export const RangeErrorCopy = RangeError;
export const TypeErrorCopy = TypeError;
export const PromiseCopy = Promise;
export interface AbortSignalLike {
  readonly aborted: boolean;
  readonly reason: unknown;
  addEventListener(type: 'abort', listener: () => void, options?: { once: boolean }): void;
}
export interface AbortControllerLike {
  readonly signal: AbortSignalLike;
  abort(reason?: unknown): void;
}
export const AbortControllerCopy = (globalThis as unknown as { AbortController: new () => AbortControllerLike })
  .AbortController;
export const promiseReject = (reason: unknown): Promise<never> =>
  ReflectApply(rejectOfPromise, PromiseCopy, [reason]) as Promise<never>;
export const promiseResolve = (value: unknown): Promise<unknown> =>
  ReflectApply(resolveOfPromise, PromiseCopy, [value]) as Promise<unknown>;
const rejectOfPromise = Promise.reject;
const resolveOfPromise = Promise.resolve;
export const promiseThen = bind(
  Promise.prototype.then as (this: Promise<unknown>, a?: unknown, b?: unknown) => Promise<unknown>,
);
export const StringCopy = String;
export const NumberCopy = Number;
export const numberText = bind(Number.prototype.toString);
export const dateISO = bind(Date.prototype.toISOString);
export const dateText = bind(Date.prototype.toString);
export const dateTime = bind(Date.prototype.getTime);
export const regexpText = (value: RegExp): string => `/${regexpSource(value)}/${regexpFlags(value)}`;
const regexpSource = bind(getDescriptor(RegExp.prototype, 'source')!.get as (this: RegExp) => string);
const regexpFlags = bind(getDescriptor(RegExp.prototype, 'flags')!.get as (this: RegExp) => string);
export const mapSize = bind(getDescriptor(Map.prototype, 'size')!.get as (this: Map<unknown, unknown>) => number);
export const setSize = bind(getDescriptor(Set.prototype, 'size')!.get as (this: Set<unknown>) => number);
export const setHas = bind(Set.prototype.has);
export const setAdd = bind(Set.prototype.add);
export const mapHas = bind(Map.prototype.has as (this: Map<unknown, unknown>, key: unknown) => boolean);
export const mapGet = bind(Map.prototype.get as (this: Map<unknown, unknown>, key: unknown) => unknown);
export const mapEntries = bind(Map.prototype.entries);
export const setValues = bind(Set.prototype.values);
const mapIteratorPrototype = getPrototype(new Map().entries()) as { next(): IteratorResult<unknown> };
const setIteratorPrototype = getPrototype(new Set().values()) as { next(): IteratorResult<unknown> };
export const mapNext = bind(mapIteratorPrototype.next as (this: unknown) => IteratorResult<[unknown, unknown]>);
export const setNext = bind(setIteratorPrototype.next as (this: unknown) => IteratorResult<unknown>);
const typedPrototype = getPrototype(Uint8Array.prototype) as object;
export const typedTag = bind(
  getDescriptor(typedPrototype, Symbol.toStringTag)!.get as (this: unknown) => string | undefined,
);
export const typedLength = bind(getDescriptor(typedPrototype, 'length')!.get as (this: unknown) => number);
export const bufferLength = bind(getDescriptor(ArrayBuffer.prototype, 'byteLength')!.get as (this: unknown) => number);
export const functionText = bind(Function.prototype.toString);
export const symbolText = bind(Symbol.prototype.toString);
export const stringValue = bind(String.prototype.valueOf);
export const numberValue = bind(Number.prototype.valueOf);
export const booleanValue = bind(Boolean.prototype.valueOf);
export const bigintValue = bind(BigInt.prototype.valueOf);
export const symbolValue = bind(Symbol.prototype.valueOf);
export const bytesOf = (value: ArrayBufferView): Uint8Array =>
  new Uint8ArrayCopy(viewBuffer(value), viewOffset(value), viewBytes(value));
const Uint8ArrayCopy = Uint8Array;
export const Uint8ArrayOwn = Uint8Array;
const Float64ArrayCopy = Float64Array;
/** Copies numbers into others, from a place on. */
export const setNumbers = bind(
  (typedPrototype as { set: unknown }).set as (this: unknown, from: ArrayLike<number>, at: number) => void,
);
/** So many numbers that are none yet. */
export function noNumbers(count: number): Float64Array {
  const numbers = new Float64ArrayCopy(count);
  for (let i = 0; i < count; i++) numbers[i] = NaN;
  return numbers;
}
const partOfData = (key: 'buffer' | 'byteOffset' | 'byteLength') =>
  bind(getDescriptor(DataView.prototype, key)!.get as (this: unknown) => unknown);
const [dataBuffer, dataOffset, dataLength] = [partOfData('buffer'), partOfData('byteOffset'), partOfData('byteLength')];
/** The bytes of a `DataView`. */
export const bytesOfView = (view: DataView): Uint8Array =>
  new Uint8ArrayOwn(dataBuffer(view) as ArrayBuffer, dataOffset(view) as number, dataLength(view) as number);
const viewBuffer = bind(getDescriptor(typedPrototype, 'buffer')!.get as (this: unknown) => ArrayBuffer);
const viewOffset = bind(getDescriptor(typedPrototype, 'byteOffset')!.get as (this: unknown) => number);
const viewBytes = bind(getDescriptor(typedPrototype, 'byteLength')!.get as (this: unknown) => number);
export const split = bind(String.prototype.split as (this: string, by: string) => string[]);
export const slice = bind(String.prototype.slice);
export const trim = bind(String.prototype.trim);
export const lower = bind(String.prototype.toLowerCase);
export const exec = bind(RegExp.prototype.exec);
export const test = bind(RegExp.prototype.test);
export const jsonText: (value: unknown) => string = JSON.stringify;
const localeText = bind(Number.prototype.toLocaleString as (this: number, locale: string) => string);
export const numberLocale = (value: number): string => localeText(value, 'en-US');
export const indexOf = bind(String.prototype.indexOf as (this: string, search: string, from?: number) => number);
export const join = bind(Array.prototype.join);
/** A table that inherits nothing. */
export const plain = <T>(table: Record<string, T>): Record<string, T> => setPrototype(table, null) as Record<string, T>;
export const construct = Reflect.construct;
const arraySlice = bind(Array.prototype.slice);
export const copyArray = (list: readonly unknown[]): unknown[] => arraySlice(list as unknown[]);
const eachOfMap = Map.prototype.forEach;
const eachOfSet = Set.prototype.forEach;
/** Calls back for what a map or set holds; does nothing for anything else. */
export function eachItem(value: object, visit: (item: unknown) => void): void {
  if (value instanceof MapCopy)
    ReflectApply(eachOfMap, value, [
      (item: unknown, key: unknown): void => {
        visit(key);
        visit(item);
      },
    ]);
  else if (value instanceof SetCopy) ReflectApply(eachOfSet, value, [visit]);
}
/** A set of texts that asks nothing of `Set.prototype`. */
export function safeSet(items: readonly string[]): { has(item: string): boolean } {
  const table = createObject(null) as Record<string, boolean>;
  for (let i = 0; i < items.length; i++) table[items[i]!] = true;
  return { has: (item) => table[item] === true };
}
export const floor = Math.floor;
export const imul = Math.imul;
export const is = Object.is;

export function isObject(value: unknown): value is object {
  return (typeof value === 'object' && value !== null) || typeof value === 'function';
}

const mapMethods = ['get', 'set', 'has', 'delete', 'values', 'forEach'] as const;

/** A map that keeps working when a pad replaces the methods of `Map.prototype`. */
export function safeMap<K, V>(): Map<K, V> {
  const map = new MapCopy<K, V>();
  for (let i = 0; i < mapMethods.length; i++)
    defineProperty(map, mapMethods[i]!, { value: mapOriginals[mapMethods[i]!] });
  return map;
}

const mapOriginals: Pick<Map<unknown, unknown>, (typeof mapMethods)[number]> = {
  get: Map.prototype.get,
  set: Map.prototype.set,
  has: Map.prototype.has,
  delete: Map.prototype.delete,
  values: Map.prototype.values,
  forEach: Map.prototype.forEach,
};

/** As {@link safeMap}, with weak keys. */
export function safeWeakMap<K extends object, V>(): WeakMap<K, V> {
  const map = new WeakMapCopy<K, V>();
  defineProperty(map, 'get', { value: weakGet });
  defineProperty(map, 'set', { value: weakSet });
  return map;
}

const weakGet = WeakMap.prototype.get;
const weakSet = WeakMap.prototype.set;

const ArrayPrototype = Array.prototype;

/** Appends without `push`, which a pad may have replaced, and without setters that it put on `Array.prototype`. */
export function append<T>(list: T[], item: T): void {
  const { length } = list;
  if (length in ArrayPrototype)
    defineProperty(list, length, { value: item, writable: true, enumerable: true, configurable: true });
  else list[length] = item;
}
