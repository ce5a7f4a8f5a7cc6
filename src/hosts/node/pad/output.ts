/** What a program writes past the console: kept in the record, or told beside being written. */
import { syncBuiltinESMExports } from 'node:module';
import type { Target } from '../../../runtime/target.js';
import type { Originals } from './originals.js';

/** Programs and environments of tests may take it away. */
const TextDecoderCopy = TextDecoder;

/** Tests may replace it. */
const microtask = queueMicrotask;

/** Text that goes past the console still belongs to the record. */
export function captureOutput(target: Target): void {
  for (const level of ['stdout', 'stderr'] as const) {
    const stream = process[level];
    const decoder = new TextDecoderCopy();
    stream.write = ((chunk: string | Uint8Array, encoding?: unknown, callback?: unknown) => {
      const text = typeof chunk === 'string' ? chunk : decoder.decode(chunk, { stream: true });
      if (text !== '') target.parts.console.write(level, text);
      const done = typeof encoding === 'function' ? encoding : callback;
      if (typeof done === 'function') microtask(() => (done as () => void)());
      return true;
    }) as typeof stream.write;
  }
}

/** The same for what is written to the descriptors of standard output and error. */
export function captureDescriptors(target: Target, originals: Originals): void {
  const fs = originals.builtin('node:fs') as { writeSync(fd: number, ...rest: unknown[]): number };
  const { writeSync: write } = fs;
  fs.writeSync = function writeSync(fd, data, ...rest) {
    if (fd !== 1 && fd !== 2) return write.call(fs, fd, data, ...rest);
    let text: string;
    let size: number;
    if (ArrayBuffer.isView(data)) {
      const given =
        typeof rest[0] === 'object' && rest[0] !== null
          ? (rest[0] as { offset?: number; length?: number })
          : { offset: rest[0] as number, length: rest[1] as number };
      const from = given.offset ?? 0;
      const bytes = Buffer.from(data.buffer, data.byteOffset, data.byteLength).subarray(
        from,
        given.length === undefined ? undefined : from + given.length,
      );
      text = bytes.toString();
      size = bytes.length;
    } else {
      text = String(data);
      size = Buffer.byteLength(text, (rest[1] as BufferEncoding | undefined) ?? 'utf8');
    }
    if (text !== '') target.parts.console.write(fd === 1 ? 'stdout' : 'stderr', text);
    return size;
  };
  target.parts.disguises.set(fs.writeSync, write);
  syncBuiltinESMExports();
}

/** Characters of output that are told at once; more of a flood is counted. */
const MOST_TOLD = 64 * 1024;

/** Tells what the program writes, beside writing it; gives what turns that on and off. */
export function teeOutput(
  tell: (stream: 'stdout' | 'stderr', text: string, omitted: number) => void,
  timers: Originals['timers'],
  record: Target['parts']['console'],
): (on: boolean) => void {
  let listening = false;
  for (const stream of ['stdout', 'stderr'] as const) {
    const target = process[stream];
    const write = target.write.bind(target) as (...args: unknown[]) => boolean;
    const decoder = new TextDecoderCopy();
    let piped = false;
    // A thread's own console tells what it writes: here it comes once more.
    target.on('pipe', (source: NodeJS.ReadableStream) => {
      if (source.constructor.name !== 'ReadableWorkerStdio') return;
      source.prependListener('data', () => (piped = true));
      source.on('data', () => (piped = false));
    });
    let text = '';
    let omitted = 0;
    let timer: NodeJS.Timeout | undefined;
    target.write = ((chunk: string | Uint8Array, ...rest: unknown[]) => {
      const part =
        !listening && !record.listening
          ? ''
          : typeof chunk === 'string'
            ? chunk
            : decoder.decode(chunk, { stream: true });
      record.write(stream, part, piped ? 'piped' : 'write');
      if (listening) {
        if (text.length + part.length <= MOST_TOLD) text += part;
        else omitted += part.length;
        timer ??= timers.setTimeout(() => {
          timer = undefined;
          const told = text;
          const left = omitted;
          text = '';
          omitted = 0;
          tell(stream, told, left);
        }, 20);
        timer.unref();
      }
      return write(chunk, ...rest);
    }) as typeof target.write;
  }
  return (on) => {
    listening = on;
  };
}
