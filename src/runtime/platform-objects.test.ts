import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { types } from 'node:util';
import { platformReader } from '#dist/runtime/platform-objects.js';
import { brandBySlots } from '#dist/runtime/brands.js';
import { type Introspection, Previewer } from '#dist/runtime/preview.js';
import { valueText } from '#dist/runtime/text.js';
import { root } from '../../test/harness.js';

const introspection: Introspection = {
  isProxy: types.isProxy,
  brand: (value) => brandBySlots(value, types.isProxy),
  platform: platformReader(globalThis, types.isProxy),
};
const text = (value: unknown): string => valueText(new Previewer(introspection).take(value), 400);

/** Fails when any code of it runs. */
const ran = (): never => {
  throw new Error('code of a person ran');
};

const form = new FormData();
form.append('barge', 'Heron');
form.append('barge', 'Alder');
const stopped = new AbortController();
stopped.abort('the lock is shut');

test.each<[string, unknown, string]>([
  [
    'an address',
    new URL('https://wenlow.example/locks?at=4#low'),
    "URL { href: 'https://wenlow.example/locks?at=4#low' }",
  ],
  ['its parameters', new URLSearchParams('at=4&at=5'), "URLSearchParams { at: '4', at: '5' }"],
  ['headers', new Headers({ 'Content-Type': 'text/csv' }), "Headers { 'content-type': 'text/csv' }"],
  ['a form', form, "FormData { barge: 'Heron', barge: 'Alder' }"],
  [
    'an answer',
    new Response('late', { status: 409, statusText: 'Conflict' }),
    "Response { status: 409, statusText: 'Conflict', ok: false, url: '', bodyUsed: false }",
  ],
  [
    'a request',
    new Request('https://wenlow.example/locks', { method: 'PUT' }),
    "Request { method: 'PUT', url: 'https://wenlow.example/locks', bodyUsed: false }",
  ],
  ['bytes of a file', new Blob(['abcd'], { type: 'text/csv' }), "Blob { size: 4, type: 'text/csv' }"],
  ['a signal', stopped.signal, "AbortSignal { aborted: true, reason: 'the lock is shut' }"],
  ['an event', new Event('fill'), "Event { type: 'fill', target: null }"],
  ['an error of the platform', new DOMException('shut', 'AbortError'), 'DOMException [AbortError]: shut'],
  ['… in another', { why: new DOMException('shut') }, '{ why: DOMException [Error]: shut }'],
  ['what formats numbers', new Intl.PluralRules('en').constructor === Intl.PluralRules, 'true'],
  ['a stream', new ReadableStream(), 'ReadableStream { locked: false }'],
  ['what only tells events', new EventTarget(), 'EventTarget {}'],
])('%s', (_, value, wanted) => {
  expect(text(value)).toBe(wanted);
});

test('formats tell what they came to', () => {
  expect(text(new Intl.NumberFormat('de', { style: 'percent' }))).toMatch(
    /^NumberFormat \{ locale: 'de', .*style: 'percent'/,
  );
});

test('fields that a person has added are there too, and those of a class over one', () => {
  class Passage extends URL {
    tonnes = 4;
  }
  expect(text(new Passage('https://wenlow.example/'))).toBe("Passage { href: 'https://wenlow.example/', tonnes: 4 }");
  const signal = Object.assign(new EventTarget(), { lock: 'Alder', [Symbol('kept')]: 1 });
  expect(text(signal)).toBe("EventTarget { lock: 'Alder' }");
  expect(text(Object.defineProperty(new Blob([]), 'level', { get: ran, enumerable: true }))).toBe(
    "Blob { size: 0, type: '' }",
  );
});

test('no code of a person runs: names that lie, prototypes and constructors that are proxies, what only inherits', () => {
  class Lying {
    get href(): never {
      return ran();
    }
  }
  Object.defineProperty(Lying, 'name', { value: 'URL' });
  expect(text(new Lying())).toBe('URL {}');
  expect(text(Object.create(URL.prototype))).toBe('URL {}');
  const traps = { get: ran, getOwnPropertyDescriptor: ran, getPrototypeOf: ran };
  expect(text(Object.create(new Proxy({}, traps)))).toBe('{}');
  const odd = Object.create(
    Object.create(Object.prototype, { constructor: { value: new Proxy(class {}, traps) } }),
  ) as object;
  expect(text(odd)).toBe('{}');
  // What the realm's name leads to by now is no matter.
  const given = globalThis.Headers;
  try {
    globalThis.Headers = class {
      forEach = ran;
    } as never;
    expect(text(new given({ level: '4' }))).toBe("Headers { level: '4' }");
    expect(text(new Headers())).toBe('{ forEach: ƒ ran }');
  } finally {
    globalThis.Headers = given;
  }
});

test('iterators say what they go over, boxes what they hold, namespaces and errors what they are', () => {
  function* levels(): Generator<number> {
    yield 4;
  }
  const all = [
    levels(),
    new Map().keys(),
    new Set().values(),
    [1].entries(),
    'ab'[Symbol.iterator](),
    'ab'.matchAll(/a/g),
  ];
  expect(all.map(text)).toEqual([
    'Generator',
    'Map Iterator',
    'Set Iterator',
    'Array Iterator',
    'String Iterator',
    'RegExp String Iterator',
  ]);
  expect([Object(4n), Object(Symbol('lock'))].map(text)).toEqual(['BigInt 4', 'Symbol Symbol(lock)']);
});

test('formats of a realm that has none of them, and a document that is told by its own accessors', () => {
  class Attr {
    get name(): string {
      return 'lock';
    }
    get value(): string {
      return 'Alder';
    }
  }
  class NodeList {
    get length(): number {
      return 2;
    }
  }
  class Location {
    constructor() {
      Object.defineProperty(this, 'href', { get: () => 'https://wenlow.example/', enumerable: true });
      Object.assign(this, { assign() {} });
    }
  }
  class CSSStyleDeclaration {
    get length(): number {
      return 2;
    }
    item(at: number): string {
      return ['color', 'top'][at]!;
    }
    getPropertyValue(name: string): string {
      return `${name} of it`;
    }
  }
  const scope = { Attr, NodeList, Location, CSSStyleDeclaration };
  const read = platformReader(scope, types.isProxy);
  const told = (value: unknown): string => valueText(new Previewer({ ...introspection, platform: read }).take(value));
  expect(told(new Attr())).toBe("Attr { name: 'lock', value: 'Alder' }");
  expect(told(Object.assign(new NodeList(), { 0: 'a', 1: { b: 2 } }))).toBe("NodeList ['a', { b: 2 }]");
  expect(told(new Location())).toBe("Location { href: 'https://wenlow.example/' }");
  expect(told(new CSSStyleDeclaration())).toBe("CSSStyleDeclaration { color: 'color of it', top: 'top of it' }");
  // Another realm's are only names here.
  expect(told(new URL('https://wenlow.example/'))).toBe('URL {}');
});

test('to look at a class of a person loads nothing of the platform that has the same name', () => {
  const script = `const own = Symbol.for('undici.globalDispatcher.1')
class Response { status = 4 }
const { nodeInsight } = await import(${JSON.stringify(pathToFileURL(join(root, 'dist/hosts/node/introspection.js')).href)})
const { Previewer } = await import(${JSON.stringify(pathToFileURL(join(root, 'dist/runtime/preview.js')).href)})
const { valueText } = await import(${JSON.stringify(pathToFileURL(join(root, 'dist/runtime/text.js')).href)})
const text = (value) => valueText(new Previewer(nodeInsight).take(value))
console.log(text(new Response()), own in globalThis)
console.log(text(await fetch('data:text/plain,high')), own in globalThis)
`;
  const { stdout, stderr } = spawnSync(process.execPath, ['--input-type=module', '-e', script], { encoding: 'utf8' });
  expect({ stdout, stderr }).toEqual({
    stdout:
      "Response { status: 4 } false\nResponse { status: 200, statusText: 'OK', ok: true, url: 'data:text/plain,high', bodyUsed: false } true\n",
    stderr: '',
  });
});
