/**
 * What objects of the platform hold: addresses, answers, events, rectangles. They keep it behind accessors of their
 * prototypes, where own fields show nothing, or what the platform keeps for itself. Read with what the realm gave before
 * any code of the person.
 */
import * as own from './originals.js';

type Getter = (this: unknown) => unknown;

interface Field {
  key: string;
  value: unknown;
}

export interface PlatformFacts {
  fields: readonly Field[];
  /** It is a list of so many, which are its own fields. */
  length?: number;
  /** What it has of its own tells nothing. */
  isClosed?: boolean;
  /** It is an error, though the language has not made it. */
  error?: { name: string; message: string };
}

/** An interface: names of its accessors, or how it is read. */
type Interface = readonly string[] | 'pairs' | 'options' | 'error' | 'list' | 'styles';

/** Their own fields are the platform's. */
const CLOSED = own.plain({ Window: true, Location: true, Document: true, HTMLDocument: true, XMLDocument: true });
/** Declarations of a style that are told. */
const MOST_STYLES = 100;

const EVENT = ['type', 'target'];
const POINTED = [...EVENT, 'clientX', 'clientY', 'button', 'buttons'];
const BOX = ['x', 'y', 'width', 'height'];
const POINT = ['x', 'y', 'z', 'w'];
const MATRIX = ['a', 'b', 'c', 'd', 'e', 'f'];
const ENTRY = ['name', 'entryType', 'startTime', 'duration'];

const INTERFACES: Record<string, Interface | undefined> = own.plain({
  URL: ['href'],
  ...{ URLSearchParams: 'pairs', Headers: 'pairs', FormData: 'pairs' },
  ...{ Blob: ['size', 'type'], File: ['name', 'size', 'type'] },
  Response: ['status', 'statusText', 'ok', 'url', 'bodyUsed'],
  Request: ['method', 'url', 'bodyUsed'],
  ...{ AbortController: ['signal'], AbortSignal: ['aborted', 'reason'] },
  DOMException: 'error',
  ...{ TextEncoder: ['encoding'], TextDecoder: ['encoding'] },
  ...{ ReadableStream: ['locked'], WritableStream: ['locked'], TransformStream: [] },
  ...{
    CompressionStream: [],
    DecompressionStream: [],
    TextDecoderStream: ['encoding'],
    TextEncoderStream: ['encoding'],
  },
  ...{ EventTarget: [], MessagePort: [], MessageChannel: ['port1', 'port2'], BroadcastChannel: ['name'] },
  ...{ Event: EVENT, CustomEvent: [...EVENT, 'detail'], UIEvent: EVENT },
  ...{ MouseEvent: POINTED, DragEvent: POINTED, WheelEvent: [...POINTED, 'deltaX', 'deltaY'] },
  PointerEvent: [...POINTED, 'pointerId', 'pointerType', 'pressure'],
  KeyboardEvent: [...EVENT, 'key', 'code', 'repeat', 'shiftKey', 'ctrlKey', 'altKey', 'metaKey'],
  InputEvent: [...EVENT, 'data', 'inputType'],
  MessageEvent: ['type', 'data', 'origin'],
  ErrorEvent: ['type', 'message', 'error'],
  PromiseRejectionEvent: ['type', 'reason'],
  CloseEvent: ['type', 'code', 'reason'],
  ProgressEvent: [...EVENT, 'loaded', 'total'],
  StorageEvent: ['type', 'key', 'oldValue', 'newValue'],
  SubmitEvent: [...EVENT, 'submitter'],
  FocusEvent: [...EVENT, 'relatedTarget'],
  Touch: ['identifier', 'clientX', 'clientY'],
  ...{ DOMRect: BOX, DOMRectReadOnly: BOX, DOMPoint: POINT, DOMPointReadOnly: POINT },
  ...{ DOMMatrix: MATRIX, DOMMatrixReadOnly: MATRIX },
  ...{ ImageData: ['width', 'height'], ImageBitmap: ['width', 'height'], TextMetrics: ['width'] },
  MediaQueryList: ['media', 'matches'],
  ...{ Window: [], Location: ['href'], Document: ['URL', 'title'], HTMLDocument: ['URL', 'title'] },
  ...{ XMLDocument: ['URL'], Attr: ['name', 'value'], Text: ['data'], Comment: ['data'] },
  ...{ NodeList: 'list', RadioNodeList: 'list', HTMLCollection: 'list', HTMLOptionsCollection: 'list' },
  ...{ HTMLFormControlsCollection: 'list', DOMTokenList: 'list', NamedNodeMap: 'list', DOMRectList: 'list' },
  ...{ FileList: 'list', TouchList: 'list', StyleSheetList: 'list', CSSRuleList: 'list' },
  ...{ CSSStyleDeclaration: 'styles', CSSStyleProperties: 'styles', CSSStyleRule: ['selectorText'] },
  Range: ['startOffset', 'endOffset', 'collapsed'],
  CanvasRenderingContext2D: ['fillStyle', 'strokeStyle', 'lineWidth', 'font', 'globalAlpha'],
  ...{ Animation: ['playState', 'currentTime'], AudioBuffer: ['duration', 'sampleRate', 'numberOfChannels'] },
  IntersectionObserverEntry: ['isIntersecting', 'intersectionRatio', 'target'],
  ResizeObserverEntry: ['contentRect', 'target'],
  MutationRecord: ['type', 'target', 'addedNodes', 'removedNodes', 'attributeName'],
  ...{ PerformanceEntry: ENTRY, PerformanceMark: [...ENTRY, 'detail'], PerformanceMeasure: [...ENTRY, 'detail'] },
} satisfies Record<string, Interface>);

/** Interfaces of `Intl`. */
const OF_INTL = ['NumberFormat', 'DateTimeFormat', 'Collator', 'PluralRules', 'ListFormat', 'RelativeTimeFormat'];

/** Interfaces that a realm loads when their names are looked at, which takes it long. */
export interface LaterInterfaces {
  names: Record<string, true | undefined>;
  /** They have been loaded: before, no object is of them. */
  areThere(): boolean;
  /** By the text of a function: by then, code of the person may have put others in their place. */
  isOwn(text: string): boolean;
}

interface Resolved {
  prototype: object;
  /** A function of the platform that reads it. */
  reads: unknown;
  read(value: object): PlatformFacts;
}

/**
 * Makes what reads them.
 *
 * @param scope the global object of a realm. What it makes when it is first asked for is made when the first such object
 * is looked at, and not before.
 * @returns undefined for what is no such object. Runs no code of the person
 */
export function platformReader(
  scope: object,
  isProxy: (value: object) => boolean,
  later?: LaterInterfaces,
): (value: object) => PlatformFacts | undefined {
  const names = own.keys(INTERFACES);
  const given = own.safeMap<string, PropertyDescriptor>();
  for (let i = 0; i < names.length; i++) {
    const descriptor = later?.names[names[i]!] ? undefined : own.getDescriptor(scope, names[i]!);
    if (descriptor) given.set(names[i]!, descriptor);
  }
  const { Intl: intl } = scope as { Intl?: object };
  for (let i = 0; intl !== undefined && i < OF_INTL.length; i++) {
    const descriptor = own.getDescriptor(intl, OF_INTL[i]!);
    if (descriptor) given.set(OF_INTL[i]!, descriptor);
  }
  const resolved = own.safeMap<string, Resolved | null>();

  const resolve = (name: string): Resolved | null => {
    let found = resolved.get(name);
    if (found !== undefined) return found;
    const comesLater = later?.names[name] === true;
    if (comesLater && !later!.areThere()) return null;
    try {
      const descriptor = comesLater ? own.getDescriptor(scope, name) : given.get(name);
      found = descriptor ? interfaceOf(name, descriptor, scope) : null;
      if (comesLater && found && !later!.isOwn(own.functionText(found.reads as never))) found = null;
    } catch {
      found = null;
    }
    resolved.set(name, found);
    return found;
  };

  /** The nearest interface that a prototype stands for, or inherits from. */
  const nearest = (prototype: object): Resolved | null => {
    let at: object | null = prototype;
    for (let i = 0; at !== null && at !== own.ObjectPrototype && i < 10 && !isProxy(at); i++) {
      const name = nameOf(at, isProxy);
      const found = name === undefined || !(given.has(name) || later?.names[name]) ? null : resolve(name);
      if (found?.prototype === at) return found;
      at = own.getPrototype(at) as object | null;
    }
    return null;
  };
  // Programs have many objects of few classes.
  const known = own.safeWeakMap<object, Resolved | null>();

  return (value) => {
    const prototype = own.getPrototype(value) as object | null;
    if (prototype === null || prototype === own.ObjectPrototype) return undefined;
    let found = known.get(prototype);
    if (found === undefined) {
      found = nearest(prototype);
      known.set(prototype, found);
    }
    try {
      return found?.read(value);
    } catch {
      // It only inherits from one.
      return undefined;
    }
  };
}

/** What a prototype calls its constructor. */
function nameOf(prototype: object, isProxy: (value: object) => boolean): string | undefined {
  const constructor: unknown = own.getDescriptor(prototype, 'constructor')?.value;
  if (typeof constructor !== 'function' || isProxy(constructor)) return undefined;
  const name: unknown = own.getDescriptor(constructor, 'name')?.value;
  return typeof name === 'string' ? name : undefined;
}

function interfaceOf(name: string, { get, value }: PropertyDescriptor, scope: object): Resolved | null {
  const constructor = (get ? own.apply(get as never, scope as never, []) : value) as { prototype: object } | undefined;
  if (typeof constructor !== 'function') return null;
  const prototype = (own.getDescriptor(constructor, 'prototype')?.value ?? null) as object | null;
  if (prototype === null) return null;
  const kind = INTERFACES[name] ?? 'options';
  const call = (fn: unknown, of: object, given: unknown[] = []): unknown =>
    own.apply(fn as never, of as never, given as never);
  switch (kind) {
    case 'pairs': {
      const forEach: unknown = own.getDescriptor(prototype, 'forEach')?.value;
      return {
        prototype,
        reads: forEach,
        read(object) {
          const fields: Field[] = [];
          call(forEach, object, [(held: unknown, key: string) => void own.append(fields, { key, value: held })]);
          return { fields };
        },
      };
    }
    case 'list': {
      const length = getterOf(prototype, 'length');
      return length
        ? { prototype, reads: length, read: (object) => ({ fields: [], length: call(length, object) as number }) }
        : null;
    }
    case 'styles': {
      const [length, item, valueOf] = [
        getterOf(prototype, 'length'),
        methodOf(prototype, 'item'),
        methodOf(prototype, 'getPropertyValue'),
      ];
      if (!length) return null;
      return {
        prototype,
        reads: length,
        read(object) {
          const fields: Field[] = [];
          const count = call(length, object) as number;
          for (let i = 0; i < count && i < MOST_STYLES; i++) {
            const key = call(item, object, [i]) as string;
            own.append(fields, { key, value: call(valueOf, object, [key]) });
          }
          return { fields, isClosed: true };
        },
      };
    }
    case 'options': {
      const options: unknown = own.getDescriptor(prototype, 'resolvedOptions')?.value;
      return {
        prototype,
        reads: options,
        read(object) {
          const told = call(options, object) as Record<string, unknown>;
          const keys = own.keys(told);
          const fields: Field[] = [];
          for (let i = 0; i < keys.length; i++) own.append(fields, { key: keys[i]!, value: told[keys[i]!] });
          return { fields };
        },
      };
    }
    case 'error': {
      const [called, message] = [getterOf(prototype, 'name'), getterOf(prototype, 'message')];
      if (!called || !message) return null;
      return {
        prototype,
        reads: message,
        read: (object) => ({
          fields: [],
          error: { name: own.StringCopy(call(called, object)), message: own.StringCopy(call(message, object)) },
        }),
      };
    }
    default: {
      const getters: { key: string; getter: Getter | undefined }[] = [];
      for (let i = 0; i < kind.length; i++)
        own.append(getters, { key: kind[i]!, getter: getterOf(prototype, kind[i]!) });
      return {
        prototype,
        reads: getters[0]?.getter,
        read(object) {
          const fields: Field[] = [];
          for (let i = 0; i < getters.length; i++) {
            const { key } = getters[i]!;
            const getter = getters[i]!.getter ?? fixedGetter(object, key);
            if (getter) own.append(fields, { key, value: call(getter, object) });
          }
          return CLOSED[name] ? { fields, isClosed: true } : { fields };
        },
      };
    }
  }
}

/** The platform's own accessor of one object, which nobody can replace. */
function fixedGetter(object: object, key: string): Getter | undefined {
  const found = own.getDescriptor(object, key);
  return found && !found.configurable ? (found.get as Getter | undefined) : undefined;
}

/** A field of a prototype, or of one that it inherits from. */
function fieldOf(prototype: object, name: string): PropertyDescriptor | undefined {
  for (let at: object | null = prototype, i = 0; at !== null && i < 10; i++) {
    const found = own.getDescriptor(at, name);
    if (found) return found;
    at = own.getPrototype(at) as object | null;
  }
  return undefined;
}

function methodOf(prototype: object, name: string): unknown {
  return fieldOf(prototype, name)?.value;
}

function getterOf(prototype: object, name: string): Getter | undefined {
  return fieldOf(prototype, name)?.get as Getter | undefined;
}
