/** Text files that the program reads while a call from outside is on its way. */
import fs from 'node:fs';
import { createRequire, syncBuiltinESMExports } from 'node:module';
import { resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { EntryTaker, ExchangeNote } from '../../../runtime/entries/engine.js';

type Read = (this: unknown, ...args: unknown[]) => unknown;

/** Whoever called is told nothing of it: functions of `node:fs` are others while this watches. */
export function readFiles(taker: EntryTaker): () => void {
  const promises = createRequire(import.meta.url)('node:fs/promises') as typeof fs.promises;
  const noted = (path: unknown): ExchangeNote | undefined => {
    const text = pathOf(path);
    return text === undefined || /[\\/]node_modules[\\/]/.test(text) ? undefined : taker.exchange('file', text);
  };
  const ends = [
    replace(fs, 'readFileSync', (original) => (self, args) => {
      const note = noted(args[0]);
      try {
        const given = Reflect.apply(original, self, args);
        note?.end({ failed: false });
        return given;
      } catch (error) {
        note?.end({ failed: true, answer: (error as Error).message });
        throw error;
      }
    }),
    replace(promises, 'readFile', (original) => (self, args) => {
      const note = noted(args[0]);
      const given = Reflect.apply(original, self, args) as Promise<unknown>;
      if (note)
        given.then(
          () => note.end({ failed: false }),
          (error: Error) => note.end({ failed: true, answer: error.message }),
        );
      return given;
    }),
    replace(fs, 'readFile', (original) => (self, args) => {
      noted(args[0])?.end({ failed: false });
      return Reflect.apply(original, self, args);
    }),
    replace(fs, 'createReadStream', (original) => (self, args) => {
      noted(args[0])?.end({ failed: false });
      return Reflect.apply(original, self, args);
    }),
  ];
  syncBuiltinESMExports();
  return () => {
    for (const end of ends) end();
    syncBuiltinESMExports();
  };
}

function replace<Name extends string>(
  module: Record<Name, unknown> | object,
  name: Name,
  make: (original: Read) => (self: unknown, args: unknown[]) => unknown,
): () => void {
  const table = module as Record<string, unknown>;
  const original = table[name] as Read;
  const does = make(original);
  const made = {
    [name](this: unknown, ...args: unknown[]): unknown {
      return does(this, args);
    },
  }[name]!;
  Object.defineProperty(made, 'length', { value: original.length });
  // What is a property of it is one of this too.
  Object.setPrototypeOf(made, original);
  table[name] = made;
  return () => {
    // Somebody else may have replaced it meanwhile.
    if (table[name] === made) table[name] = original;
  };
}

function pathOf(path: unknown): string | undefined {
  try {
    if (typeof path === 'string') return resolve(path);
    return path instanceof URL ? fileURLToPath(path) : undefined;
  } catch {
    return undefined;
  }
}
