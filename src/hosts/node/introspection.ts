/** What Node tells of values without running code of the person. */
import { Session } from 'node:inspector';
import * as util from 'node:util';
import { indexOf, plain } from '../../runtime/originals.js';
import { type LaterInterfaces, platformReader } from '../../runtime/platform-objects.js';
import type { Introspection } from '../../runtime/preview.js';

const { types } = util;

const FETCHES = Symbol.for('undici.globalDispatcher.1');

/** What Node loads with `fetch`, and streams that compress and encode. */
const LATER: LaterInterfaces = {
  names: plain({
    ...{ FormData: true, Headers: true, Request: true, Response: true, MessageEvent: true, CloseEvent: true },
    ...{ TransformStream: true, CompressionStream: true, DecompressionStream: true },
    ...{ TextDecoderStream: true, TextEncoderStream: true },
  } as const),
  areThere: () => FETCHES in globalThis,
  isOwn: (text) => indexOf(text, 'webidl.brandCheck(') >= 0,
};

export const nodeInsight: Introspection = {
  isProxy: types.isProxy,
  brand,
  platform: platformReader(globalThis, types.isProxy, LATER),
  privates,
  settled,
  promise: (value) => {
    // The engine tells a promise's state only through its printed form.
    const text = util.inspect(value, {
      depth: 0,
      customInspect: false,
      breakLength: Infinity,
      compact: true,
      maxStringLength: 0,
      maxArrayLength: 0,
    });
    return {
      state: /^[^{]*\{\s*<pending>/.test(text)
        ? 'pending'
        : /^[^{]*\{\s*<rejected>/.test(text)
          ? 'rejected'
          : 'fulfilled',
    };
  },
};

let inspector: Session | undefined;

/**
 * Private fields and results of promises, which only the engine's debugger can
 * read. It is asked when a person opens an object, never while a pad runs.
 */
function privates(value: object): { key: string; value: unknown }[] {
  // Only instances of classes have any.
  const prototype = Object.getPrototypeOf(value) as object | null;
  if (prototype === null || prototype === Object.prototype || Array.isArray(value) || brand(value) !== undefined)
    return [];
  return debuggerProperties(value, 'privateProperties');
}

function settled(value: object): { result: unknown } | undefined {
  const found = debuggerProperties(value, 'internalProperties').find((one) => one.key === '[[PromiseResult]]');
  return found && { result: found.value };
}

interface RemoteProperty {
  name: string;
  value?: { objectId?: string; value?: unknown; unserializableValue?: string };
}

function debuggerProperties(
  value: object,
  list: 'privateProperties' | 'internalProperties',
): { key: string; value: unknown }[] {
  const place = Symbol.for('usher-anvil/opened@1');
  const holder = globalThis as unknown as Record<symbol, unknown>;
  const found: { key: string; value: unknown }[] = [];
  try {
    if (!inspector) {
      inspector = new Session();
      inspector.connect();
    }
    const session = inspector;
    holder[place] = { value, found: [] as unknown[] };
    const read = `globalThis[Symbol.for('usher-anvil/opened@1')]`;
    session.post('Runtime.evaluate', { expression: `${read}.value` }, (_error, evaluated) => {
      const objectId = evaluated?.result.objectId;
      if (!objectId) return;
      session.post('Runtime.getProperties', { objectId, ownProperties: true }, (_failed, properties) => {
        const all = ((properties as unknown as Record<string, RemoteProperty[]> | undefined)?.[list] ?? []).filter(
          (one) => one.name !== '[[Prototype]]',
        );
        for (const { name, value: remote } of all) {
          if (!remote) continue;
          if (remote.objectId === undefined) {
            const special = remote.unserializableValue;
            found.push({
              key: name,
              value:
                special === undefined
                  ? remote.value
                  : special.endsWith('n')
                    ? BigInt(special.slice(0, -1))
                    : Number(special),
            });
            continue;
          }
          session.post(
            'Runtime.callFunctionOn',
            { objectId: remote.objectId, functionDeclaration: `function () { ${read}.found.push(this) }` },
            () => {
              found.push({ key: name, value: (holder[place] as { found: unknown[] }).found.pop() });
            },
          );
        }
      });
    });
  } catch {
    // No debugger here: what only it can read stays closed.
  } finally {
    delete holder[place];
  }
  return found;
}

function brand(value: object): string | undefined {
  if (types.isMap(value)) return 'Map';
  if (types.isSet(value)) return 'Set';
  if (types.isDate(value)) return 'Date';
  if (types.isRegExp(value)) return 'RegExp';
  if (types.isNativeError(value)) return 'Error';
  if (types.isPromise(value)) return 'Promise';
  if (types.isTypedArray(value)) return 'Typed';
  if (types.isAnyArrayBuffer(value)) return 'Buffer';
  if (types.isWeakMap(value) || types.isWeakSet(value)) return 'Weak';
  if (types.isMapIterator(value) || types.isSetIterator(value) || types.isGeneratorObject(value)) return 'Iterator';
  if (types.isBoxedPrimitive(value)) return 'Boxed';
  if (types.isModuleNamespaceObject(value)) return 'Module';
  return value instanceof WeakRef ? 'Weak' : undefined;
}
