/** Typed arrays are told by their tag: each realm has classes of its own. */

interface Arrays {
  Uint8Array: Uint8Array;
  Int32Array: Int32Array;
  Float64Array: Float64Array;
}

/** True for a typed array of a kind. */
export function isArray<Kind extends keyof Arrays>(kind: Kind, given: unknown): given is Arrays[Kind] {
  return ArrayBuffer.isView(given) && Object.prototype.toString.call(given) === `[object ${kind}]`;
}
