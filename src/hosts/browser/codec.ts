/** Messages as JSON text, with the arrays of numbers that they hold. */

const ARRAYS = { Int32Array, Float64Array, Uint8Array } as const;

interface Packed {
  $array: keyof typeof ARRAYS;
  bytes: string;
}

/** A message as text. */
export function encode(message: unknown): string {
  return JSON.stringify(message, (_key, value: unknown) => {
    if (!ArrayBuffer.isView(value)) return value;
    // By its name: it may come from another frame.
    const name = (value as { [Symbol.toStringTag]?: string })[Symbol.toStringTag] as keyof typeof ARRAYS;
    if (!Object.hasOwn(ARRAYS, name)) throw new TypeError('no such array goes over the wire');
    return {
      $array: name,
      bytes: toBase64(new Uint8Array(value.buffer, value.byteOffset, value.byteLength)),
    } satisfies Packed;
  });
}

/** The message behind a text. */
export function decode(text: string): unknown {
  return JSON.parse(text, (_key, value: unknown) => {
    if (typeof value !== 'object' || value === null || !('$array' in value)) return value;
    const { $array: name, bytes } = value as Packed;
    const made = fromBase64(bytes);
    return name === 'Uint8Array' ? made : new ARRAYS[name](made.buffer);
  });
}

function toBase64(bytes: Uint8Array): string {
  let text = '';
  // In pieces: a call takes only so many arguments.
  for (let from = 0; from < bytes.length; from += 8_192)
    text += String.fromCharCode(...bytes.subarray(from, from + 8_192));
  return btoa(text);
}

function fromBase64(text: string): Uint8Array<ArrayBuffer> {
  const binary = atob(text);
  const bytes = new Uint8Array(binary.length);
  for (let i = 0; i < binary.length; i++) bytes[i] = binary.charCodeAt(i);
  return bytes;
}
