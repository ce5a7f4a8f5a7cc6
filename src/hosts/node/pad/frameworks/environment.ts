/** The environment that a project's tests have around them: a document, and what comes with it, as globals. */
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { elementReader } from '../../../../runtime/elements.js';
import type { FrameworkSettings } from '../../../../wire/runs.js';
import { nodeInsight } from '../../introspection.js';
import { standIn } from './package-calls.js';
import { imported, required, type Fn, type FrameworkParts, type Loose } from './parts.js';
import { emptier } from './window.js';

/** Of a browser, where the platform has something of the same name. */
const OVER = new Set([
  ...['Event', 'EventTarget', 'CustomEvent', 'AbortController', 'AbortSignal', 'FormData', 'Blob', 'File', 'URL'],
  ...['URLSearchParams', 'MessageEvent', 'DOMException', 'navigator', 'Storage', 'localStorage', 'sessionStorage'],
  ...['WebSocket', 'CloseEvent', 'Headers', 'EventSource'],
]);
/** Of the platform, and not there where the window of a test has none. */
const ONLY_WITH_WINDOW = new Set([
  ...['fetch', 'Request', 'Response', 'Headers', 'TextEncoder', 'TextDecoder', 'structuredClone', 'BroadcastChannel'],
  ...['MessageChannel', 'MessagePort', 'ReadableStream', 'WritableStream', 'TransformStream', 'CompressionStream'],
  ...['DecompressionStream', 'TextEncoderStream', 'TextDecoderStream', 'WebSocket', 'CloseEvent'],
]);

/** Variables that frameworks set for what they run. */
const VARIABLES: Partial<Record<FrameworkParts['framework'], Record<string, string>>> = {
  jest: { NODE_ENV: 'test', JEST_WORKER_ID: '1' },
  vitest: { NODE_ENV: 'test', VITEST: 'true', TEST: 'true', VITEST_WORKER_ID: '1', VITEST_POOL_ID: '1' },
};

type Descriptors = Record<PropertyKey, PropertyDescriptor>;

/** The environment that was put up before a run, and stays in the thread. */
let standing: { key: string; empty: () => void; absent: readonly string[]; takeDown(): Promise<void> } | undefined;

function keyOf({ framework, settings }: EnvironmentParts): string {
  return JSON.stringify([framework, settings?.environment]);
}

/**
 * Puts up the environment of tests that are to come, before the packages that look for it are loaded, and gives these
 * what they ask of the framework; returns what takes the latter away.
 *
 * @throws whatever its package throws while it is loaded
 */
export async function putUp(parts: EnvironmentParts): Promise<() => void> {
  await leaveOther(parts);
  if (parts.settings?.environment && standing === undefined) {
    const before = globals();
    const { end, absent } = await environmentAround(parts, parts.settings);
    standing = {
      ...{ key: keyOf(parts), empty: emptier(), absent },
      async takeDown() {
        await end();
        putAllBack(before);
      },
    };
  }
  const given: Loose = {};
  if (parts.framework === 'vitest' && parts.settings?.config.globals === true)
    given.expect = (await imported(parts, 'vitest')).expect;
  else if (parts.framework === 'jest' && parts.packages.some(({ specifier }) => specifier === '@jest/expect'))
    given.expect = required(parts, '@jest/expect').jestExpect;
  return standIn(given);
}

/**
 * Puts around the tests what the framework would: variables, globals of the project's settings, and the environment, by
 * the framework's own means.
 *
 * @returns takes all of it away
 * @throws whatever the environment's package throws while it is loaded
 */
export async function putAround(parts: FrameworkParts): Promise<() => Promise<void>> {
  const { settings } = parts;
  await leaveOther(parts);
  const before = globals();
  const putVariablesBack = putVariables(parts);
  for (const [name, value] of Object.entries(settings?.globals ?? {}))
    Object.defineProperty(globalThis, name, { value, writable: true, configurable: true, enumerable: true });
  const isStanding = standing !== undefined && standing.key === keyOf(parts);
  let end: () => unknown = () => undefined;
  let absent: readonly string[] = [];
  if (isStanding) ({ empty: end, absent } = standing!);
  else if (settings?.environment) ({ end, absent } = await environmentAround(parts, settings));
  for (const name of absent) Reflect.deleteProperty(globalThis, name);
  return async () => {
    await end();
    putVariablesBack();
    for (const name of [...Object.keys(settings?.globals ?? {}), ...absent]) putGlobalBack(name, before);
    if (isStanding) leaveOutEmpty(before);
    else if (settings?.environment) putAllBack(before);
  };
}

/** Takes down an environment that is not the one of these tests: their file, or its settings, ask for another now. */
async function leaveOther(parts: EnvironmentParts): Promise<void> {
  if (standing === undefined || standing.key === keyOf(parts)) return;
  const { takeDown } = standing;
  standing = undefined;
  nodeInsight.element = undefined;
  await takeDown();
}

function globals(): Descriptors {
  return Object.getOwnPropertyDescriptors(globalThis) as unknown as Descriptors;
}

function putGlobalBack(name: PropertyKey, before: Descriptors): void {
  const now = Object.getOwnPropertyDescriptor(globalThis, name);
  const then = before[name];
  if (now?.configurable === false) return;
  if (!then) Reflect.deleteProperty(globalThis, name);
  else if (!now || now.value !== then.value || now.get !== then.get) Object.defineProperty(globalThis, name, then);
}

function putAllBack(before: Descriptors): void {
  for (const name of new Set([...Reflect.ownKeys(globalThis), ...Reflect.ownKeys(before)])) putGlobalBack(name, before);
}

/** Libraries put flags into the window for their time, and leave them there without a value. */
function leaveOutEmpty(before: Descriptors): void {
  for (const name of Object.keys(globalThis))
    if (!(name in before) && Object.getOwnPropertyDescriptor(globalThis, name)?.value === undefined)
      Reflect.deleteProperty(globalThis, name);
}

/** Sets the variables of a framework; returns what puts them back. */
function putVariables({ framework, settings }: FrameworkParts): () => void {
  const before = { ...process.env };
  for (const [name, value] of Object.entries(VARIABLES[framework] ?? {})) process.env[name] ??= value;
  for (const [name, value] of Object.entries(settings?.env ?? {}))
    process.env[name] ??= typeof value === 'boolean' ? (value ? '1' : '') : String(value);
  return () => {
    for (const name of Object.keys(process.env)) if (!(name in before)) Reflect.deleteProperty(process.env, name);
    for (const [name, value] of Object.entries(before)) if (process.env[name] !== value) process.env[name] = value;
  };
}

/** What of the parts an environment takes. */
type EnvironmentParts = Pick<FrameworkParts, 'file' | 'framework' | 'settings' | 'packages' | 'importer'>;

interface Environment {
  end(): unknown;
  /** What the platform has and the environment has not: it is away for the time of the tests. */
  absent: readonly string[];
}

async function environmentAround(parts: EnvironmentParts, settings: FrameworkSettings): Promise<Environment> {
  const made = await (parts.framework === 'vitest' ? vitestAround(parts, settings) : jestAround(parts, settings));
  nodeInsight.element = elementReader(globalThis);
  return made;
}

/** What `import.meta.env` is in files of tests of this framework; undefined where there is none. */
export function metaEnvOf({ framework }: Pick<FrameworkParts, 'framework'>): object | undefined {
  if (framework !== 'vitest') return undefined;
  const isKind = (name: string | symbol): boolean => name === 'DEV' || name === 'PROD' || name === 'SSR';
  return new Proxy(process.env, {
    get: (env, name) => (isKind(name) ? Boolean(env[name as string]) : (Reflect.get(env, name) as unknown)),
    set: (env, name, value: unknown) => Reflect.set(env, name, isKind(name) ? (value ? '1' : '') : value),
  });
}

interface VitestEnvironment {
  setup(global: object, options: Loose): Promise<{ teardown(global: object): unknown }>;
}

async function vitestAround(parts: EnvironmentParts, { environment }: FrameworkSettings): Promise<Environment> {
  const { name, options } = environment!;
  const { from } = parts.packages.find(({ specifier }) => specifier === 'vitest')!;
  let given: Loose;
  try {
    given = await parts.importer(from)('vitest/runtime');
  } catch {
    given = await parts.importer(from)('vitest/environments');
  }
  const { builtinEnvironments } = given as { builtinEnvironments: Record<string, VitestEnvironment> };
  const { teardown } = await builtinEnvironments[name]!.setup(globalThis, { [name]: options, happyDOM: options });
  return { end: () => teardown(globalThis), absent: [] };
}

interface JestEnvironment {
  global: Loose;
  setup(): Promise<void>;
  teardown(): Promise<void>;
}

async function jestAround(
  { file, settings }: EnvironmentParts,
  { environment }: FrameworkSettings,
): Promise<Environment> {
  const require = createRequire(file);
  const { module = `jest-environment-${environment!.name}`, options } = environment!;
  const given = require(module) as Loose & { default?: unknown; TestEnvironment?: unknown };
  const Environment = (given.TestEnvironment ?? given.default ?? given) as new (
    config: Loose,
    context: Loose,
  ) => JestEnvironment;
  const config: Loose = {
    rootDir: file,
    globals: {},
    fakeTimers: {},
    ...settings?.config,
    testEnvironmentOptions: options,
  };
  // Until 27 the first argument was the configuration itself.
  const made = new Environment(
    { ...config, projectConfig: config, globalConfig: config },
    { console, docblockPragmas: {}, testPath: file },
  );
  await made.setup();
  spread(made.global);
  const absent = [...ONLY_WITH_WINDOW].filter((name) => name in globalThis && !(name in made.global));
  return { end: () => made.teardown(), absent };
}

/** Names that a browser has in its global object. */
function documentNames(): string[] {
  try {
    const types = readFileSync(createRequire(import.meta.url).resolve('typescript/lib/lib.dom.d.ts'), 'utf8');
    return [...types.matchAll(/^declare (?:var|function) (\w+)/gm)].map(([, name]) => name!);
  } catch {
    return [...OVER];
  }
}

/** Names of a window, as globals here: what tests write is theirs, what they read is the window's. */
function spread(window: Loose): void {
  const written = new Map<string, unknown>();
  const bound = new Map<unknown, unknown>();
  // The global object of a context does not list what it has that is not enumerable.
  const names = new Set(documentNames().filter((name) => name in window));
  // The last of its chain is its own `Object.prototype`.
  for (let at: object = window, next; (next = Object.getPrototypeOf(at) as object | null) !== null; at = next)
    for (const name of Object.getOwnPropertyNames(at)) names.add(name);
  const there = new Set(Object.getOwnPropertyNames(globalThis));
  for (const name of names) {
    if (name === 'constructor' || name.startsWith('_') || (there.has(name) && !OVER.has(name))) continue;
    Object.defineProperty(globalThis, name, {
      get(): unknown {
        return written.has(name) ? written.get(name) : boundTo(window, window[name], bound);
      },
      set(value: unknown) {
        written.set(name, value);
      },
      enumerable: true,
      configurable: true,
    });
  }
  for (const name of ['window', 'self', 'top', 'parent', 'frames'])
    Object.defineProperty(globalThis, name, {
      value: globalThis,
      writable: true,
      enumerable: true,
      configurable: true,
    });
}

/** Functions of a window ask for it; classes do not. */
function boundTo(window: Loose, value: unknown, bound: Map<unknown, unknown>): unknown {
  if (typeof value !== 'function' || /^class\b/.test(String(value)) || /^[A-Z]/.test(value.name)) return value;
  let made = bound.get(value);
  if (made === undefined) bound.set(value, (made = Object.assign((value as Fn).bind(window), value)));
  return made;
}
