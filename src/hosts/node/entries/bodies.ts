/** Bodies as they are told. */
import { brotliDecompressSync, gunzipSync, inflateSync } from 'node:zlib';
import type { EntryBody, HeaderPairs } from '../../../wire/entries.js';

/** Bytes of a body that are told. */
export const MOST_BODY = 64 * 1024;

/** A body that gathers, up to what is told of one. */
export class GatheredBody {
  private readonly chunks: Buffer[] = [];
  private kept = 0;
  private size = 0;

  add(chunk: unknown, encoding?: unknown): void {
    if (typeof chunk !== 'string' && !(chunk instanceof Uint8Array)) return;
    const bytes =
      typeof chunk === 'string'
        ? Buffer.from(chunk, typeof encoding === 'string' ? (encoding as BufferEncoding) : 'utf8')
        : chunk;
    this.size += bytes.length;
    if (this.kept >= MOST_BODY) return;
    // A copy: the program may write into its buffer again.
    const part = Buffer.from(bytes.subarray(0, MOST_BODY - this.kept));
    this.kept += part.length;
    this.chunks.push(part);
  }

  told(headers: HeaderPairs): EntryBody | undefined {
    return this.size === 0 ? undefined : toldBody(Buffer.concat(this.chunks), this.size, headers);
  }
}

/** @param size bytes in all, of which these may be the first */
export function toldBody(bytes: Buffer, size: number, headers: HeaderPairs): EntryBody {
  const isCut = size > bytes.length;
  const value = (name: string): string => headers.find(([key]) => key.toLowerCase() === name)?.[1] ?? '';
  const plain = isCut ? bytes : unpacked(bytes, value('content-encoding'));
  const isText = isTextType(value('content-type')) && (plain !== bytes || value('content-encoding') === '');
  return {
    text: plain.toString(isText ? 'utf8' : 'base64'),
    ...(isText ? {} : { base64: true as const }),
    size,
    ...(isCut ? { isCut: true as const } : {}),
  };
}

/** By its type: text, so that a person can read it. */
export function isTextType(type: string): boolean {
  return type === '' || /^text\/|json|xml|javascript|urlencoded|graphql|svg/i.test(type);
}

function unpacked(bytes: Buffer, encoding: string): Buffer {
  try {
    if (encoding === 'gzip') return gunzipSync(bytes);
    if (encoding === 'br') return brotliDecompressSync(bytes);
    if (encoding === 'deflate') return inflateSync(bytes);
  } catch {
    // Not what it says: told as bytes.
  }
  return bytes;
}

export function pairsOf(headers: Readonly<Record<string, unknown>>): HeaderPairs {
  return Object.entries(headers).map(([name, value]) => [
    name,
    Array.isArray(value) ? value.map(String).join(', ') : String(value),
  ]);
}
