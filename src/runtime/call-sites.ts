/** The engine's call sites, as a program with a formatter of its own sees them: at their places in its own text. */
import * as own from './originals.js';

/** V8's call site objects. */
export interface CallSite {
  getFileName(): string | null | undefined;
  getScriptNameOrSourceURL?(): string | null | undefined;
  getLineNumber(): number | null;
  getColumnNumber(): number | null;
  getFunctionName(): string | null;
  getTypeName(): string | null;
  getMethodName(): string | null;
  isAsync?(): boolean;
  isConstructor(): boolean;
  toString(): string;
}

const METHODS = [
  'getColumnNumber',
  'getEnclosingColumnNumber',
  'getEnclosingLineNumber',
  'getEvalOrigin',
  'getFileName',
  'getFunction',
  'getFunctionName',
  'getLineNumber',
  'getMethodName',
  'getPosition',
  'getPromiseIndex',
  'getScriptHash',
  'getScriptNameOrSourceURL',
  'getThis',
  'getTypeName',
  'isAsync',
  'isConstructor',
  'isEval',
  'isNative',
  'isPromiseAll',
  'isToplevel',
  'toString',
] as const;

/** A call site that says another line and column (both from 1). */
export function movedSite(site: CallSite, line: number, column: number, text: string): CallSite {
  const moved = own.createObject(own.getPrototype(site) as object) as Record<string, unknown>;
  for (let i = 0; i < METHODS.length; i++) {
    const name = METHODS[i]!;
    const method = (site as unknown as Record<string, unknown>)[name];
    if (typeof method !== 'function') continue;
    const value =
      name === 'getLineNumber'
        ? () => line
        : name === 'getColumnNumber'
          ? () => column
          : name === 'toString'
            ? () => text
            : () => own.apply(method, site, []) as unknown;
    own.defineProperty(moved, name, { value, writable: true, enumerable: false, configurable: true });
  }
  return moved as unknown as CallSite;
}
