/** Names that can be written behind a value, for completing what is entered. */
import type { LookAnswer, NameFound } from '../wire/looking.js';
import { describe, isIndex, objectOf } from './opener-text.js';
import * as own from './originals.js';
import type { Budget, Introspection, Previewer } from './preview.js';
import { valueText } from './text.js';

const BRIEF: Budget = { depth: 1, entries: 3, text: 40, values: 6 };

/** Names that are told at once. */
const MOST_NAMES = 1_000;

/** What only host and registry can tell of an object. */
export interface OpenerEngine {
  introspection: Introspection;
  now(): number;
  /** Where the person wrote a function, and its own text. */
  sourceOf(value: object): { file: string; line: number; character: number; text: string } | undefined;
  /** Own text of any function. */
  textOf(value: object): string;
}

/** Names of what is reached along data properties; no getter and no trap of a proxy is run. */
export function namesReached(
  root: unknown,
  path: readonly string[],
  prefix: string,
  engine: OpenerEngine,
  previewer: Previewer,
): LookAnswer {
  const names: NameFound[] = [];
  const found = own.createObject(null) as Record<string, true>;
  const { introspection } = engine;
  let value = root;
  for (const key of path) {
    const descriptor = describe(value, key, introspection);
    if (!descriptor || !('value' in descriptor)) return { is: 'names', names };
    value = descriptor.value;
  }
  let depth = 0;
  for (let at = objectOf(value); at && names.length < MOST_NAMES; at = own.getPrototype(at), depth++) {
    if (introspection.isProxy(at)) break;
    const constructed = depth === 0 ? undefined : own.getDescriptor(at, 'constructor');
    const from =
      constructed && typeof constructed.value === 'function'
        ? String(own.getDescriptor(constructed.value as object, 'name')?.value ?? '')
        : '';
    const keys = own.ownKeys(at);
    for (let i = 0; i < keys.length && names.length < MOST_NAMES; i++) {
      const key = keys[i]!;
      if (typeof key !== 'string' || own.slice(key, 0, prefix.length) !== prefix || isIndex(key, 2 ** 32) || found[key])
        continue;
      found[key] = true;
      const descriptor = own.getDescriptor(at, key)!;
      const accessor = !('value' in descriptor);
      const given = descriptor.value as unknown;
      const isClass = typeof given === 'function' && own.slice(engine.textOf(given), 0, 5) === 'class';
      own.append(names, {
        name: key,
        kind: accessor ? 'accessor' : isClass ? 'class' : typeof given === 'function' ? 'function' : 'value',
        text: accessor ? '' : valueText(previewer.take(given, BRIEF), 60),
        ...(depth > 0 ? { from: from || 'its prototype' } : {}),
      });
    }
  }
  return { is: 'names', names };
}
