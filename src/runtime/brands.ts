/** What objects are by their internal slots and prototypes, where an engine tells no more: in pages. */
import * as own from './originals.js';

/** A tag, or undefined for what is none of these. Runs no code of the person. */
export function brandBySlots(value: object, isProxy: (value: object) => boolean = () => false): string | undefined {
  if (own.typedTag(value) !== undefined) return 'Typed';
  if (own.isArray(value) || typeof value === 'function') return undefined;
  // Most objects are plain: what no known prototype stands behind is not probed.
  let at = own.getPrototype(value) as object | null;
  if (at === own.ObjectPrototype) return undefined;
  if (at === null) return isModule(value) ? 'Module' : told?.(value) ? 'Error' : undefined;
  for (let i = 0; at !== null && i < 20 && !isProxy(at); i++) {
    for (let k = 0; k < BRANDED.length; k++) {
      const { prototype, brand, read } = BRANDED[k]!;
      if (at === prototype) return read === undefined || probe(read, value) ? brand : undefined;
    }
    at = own.getPrototype(at) as object | null;
  }
  return undefined;
}

/** Told by what only namespace objects of modules are made to be. */
function isModule(value: object): boolean {
  const tag = own.getDescriptor(value, Symbol.toStringTag);
  return tag?.value === 'Module' && !tag.writable && !tag.configurable && !own.isExtensible(value);
}

interface Branded {
  prototype: object;
  brand: string;
  read?: (value: never) => unknown;
}

const GeneratorPrototype = own.getPrototype(function* () {}.prototype as object) as object;
const AsyncGeneratorPrototype = own.getPrototype(async function* () {}.prototype as object) as object;

/** Where the language tells which objects are errors. */
const told = (Error as { isError?(value: unknown): boolean }).isError;

/** @throws TypeError for what only inherits from one */
function isError(value: object): void {
  if (told && !told(value)) throw new own.TypeErrorCopy('no error');
}

const BRANDED: Branded[] = [
  { prototype: Map.prototype, brand: 'Map', read: own.mapSize as (value: never) => unknown },
  { prototype: Set.prototype, brand: 'Set', read: own.setSize as (value: never) => unknown },
  { prototype: Date.prototype, brand: 'Date', read: own.dateTime as (value: never) => unknown },
  { prototype: RegExp.prototype, brand: 'RegExp', read: own.regexpText as (value: never) => unknown },
  { prototype: Error.prototype, brand: 'Error', read: isError },
  { prototype: Promise.prototype, brand: 'Promise' },
  { prototype: ArrayBuffer.prototype, brand: 'Buffer', read: own.bufferLength as (value: never) => unknown },
  { prototype: WeakMap.prototype, brand: 'Weak' },
  { prototype: WeakSet.prototype, brand: 'Weak' },
  { prototype: WeakRef.prototype, brand: 'Weak' },
  { prototype: Number.prototype, brand: 'Boxed', read: own.numberValue as (value: never) => unknown },
  { prototype: String.prototype, brand: 'Boxed', read: own.stringValue as (value: never) => unknown },
  { prototype: Boolean.prototype, brand: 'Boxed', read: own.booleanValue as (value: never) => unknown },
  { prototype: BigInt.prototype, brand: 'Boxed', read: own.bigintValue as (value: never) => unknown },
  { prototype: Symbol.prototype, brand: 'Boxed', read: own.symbolValue as (value: never) => unknown },
  { prototype: GeneratorPrototype, brand: 'Iterator' },
  { prototype: AsyncGeneratorPrototype, brand: 'Iterator' },
  { prototype: own.getPrototype(new Map().keys()) as object, brand: 'Iterator' },
  { prototype: own.getPrototype(new Set().keys()) as object, brand: 'Iterator' },
];

function probe(read: (value: never) => unknown, value: object): boolean {
  try {
    read(value as never);
    return true;
  } catch {
    return false;
  }
}
