/**
 * A careful run: what changes something outside of the pad is held as a closed gate at its line, and named by what it
 * would do. Held are writes to files, connections (of databases too), requests that change things, processes and
 * threads that are started or ended, and the loading of native code, of which nothing can be held afterwards.
 */
import { syncBuiltinESMExports } from 'node:module';
import type { Originals } from '../pad/originals.js';
import { holdFiles } from './files.js';
import type { Holding } from './hold.js';
import { wrapAs, wrapClass, wrapNow, wrapPromise, type Functions } from './wrap.js';

/** Methods of requests that change nothing by themselves. */
const SAFE = /^(GET|HEAD|OPTIONS|TRACE)$/i;
/** Connections that carry a request which has been looked at: made by the platform's own clients. */
const OWN_CLIENTS = /\(node:(?:_http_agent|_http_client|https|internal\/deps\/undici)/;
/** Characters of what would be done that are shown. */
const LONGEST = 160;

const cut = (text: string): string => (text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text);

/** @param startsHere false in a worker, where a pad that starts processes gets one of its own first */
export function holdCalls(
  holding: Holding,
  originals: Originals,
  startsHere: boolean,
  disguise: (made: object, original: object) => void,
): void {
  wrapAs(disguise);
  const builtin = (name: string): Functions => originals.builtin(name) as Functions;
  holdFiles(builtin('node:fs') as Parameters<typeof holdFiles>[0], holding);
  if (startsHere) holdProcesses(builtin('node:child_process'), holding);
  wrapClass(builtin('node:worker_threads'), 'Worker', holding, ([file]) => cut(`start a thread of ${String(file)}`));
  const own = process as unknown as Functions;
  wrapNow(own, 'kill', holding, ([pid, signal]) =>
    pid === process.pid || signal === 0 ? undefined : `send ${String(signal ?? 'SIGTERM')} to process ${String(pid)}`,
  );
  wrapNow(own, 'dlopen', holding, ([, file]) => cut(`load native code, of which nothing can be held: ${String(file)}`));
  holdRequests(builtin, holding);
  holdConnections(builtin, holding);
  holdDatabases(originals, holding);
  syncBuiltinESMExports();
}

function holdProcesses(processes: Functions, holding: Holding): void {
  const started = ([file, args]: unknown[]): string =>
    cut(`start ${String(file)}${Array.isArray(args) ? ` ${args.map(String).join(' ')}` : ''}`);
  for (const name of ['spawn', 'spawnSync', 'exec', 'execSync', 'execFile', 'execFileSync', 'fork'])
    wrapNow(processes, name, holding, started);
}

function holdRequests(builtin: (name: string) => Functions, holding: Holding): void {
  const asked = (input: unknown, init: unknown): { method: string; url: string } => {
    const options = (typeof init === 'object' && init !== null ? init : {}) as Record<string, unknown>;
    const given = (typeof input === 'object' && input !== null ? input : {}) as Record<string, unknown>;
    const method = options.method ?? given.method ?? 'GET';
    const port = given.port ?? options.port;
    const name = given.hostname ?? given.host ?? options.hostname ?? options.host ?? 'localhost';
    const host = port && !String(name).endsWith(`:${String(port)}`) ? `${String(name)}:${String(port)}` : String(name);
    const url =
      given.url ??
      given.href ??
      (typeof input === 'string' ? input : `${host}${String(given.path ?? options.path ?? '/')}`);
    return { method: String(method).toUpperCase(), url: String(url) };
  };
  const describe = ([input, init]: unknown[]): string | undefined => {
    const { method, url } = asked(input, init);
    // A request that becomes a socket, by which anything can be asked for.
    if (upgrades(input) || upgrades(init)) return cut(`open a socket to ${url}`);
    return SAFE.test(method) ? undefined : cut(`${method} ${url}`);
  };
  for (const name of ['node:http', 'node:https'])
    for (const method of ['request', 'get']) wrapNow(builtin(name), method, holding, describe);
  const scope = globalThis as unknown as Functions;
  wrapPromise(scope, 'fetch', holding, describe);
  wrapClass(scope, 'WebSocket', holding, ([url]) => cut(`open a socket to ${String(url)}`));
}

/** Whether the options of a request ask for another protocol on its connection. */
function upgrades(options: unknown): boolean {
  const headers = (options as { headers?: unknown } | null | undefined)?.headers;
  if (typeof headers !== 'object' || headers === null) return false;
  return Object.keys(headers).some((name) => name.toLowerCase() === 'upgrade');
}

function holdConnections(builtin: (name: string) => Functions, holding: Holding): void {
  const { prototype } = builtin('node:net').Socket as { prototype: Functions };
  wrapNow(prototype, 'connect', holding, ([first, second]) => {
    const own = new Error('where it comes from');
    if (OWN_CLIENTS.test(own.stack ?? '')) return undefined;
    const given: unknown = Array.isArray(first) ? first[0] : first;
    if (typeof given === 'object' && given !== null) {
      const { path, port, host } = given as { path?: unknown; port?: unknown; host?: unknown };
      return cut(
        `connect to ${path !== undefined && path !== null ? String(path) : `${String(host ?? 'localhost')}:${String(port)}`}`,
      );
    }
    const host = typeof second === 'string' ? second : 'localhost';
    return cut(`connect to ${/^\d+$/.test(String(given)) ? `${host}:` : ''}${String(given)}`);
  });
  const datagrams = builtin('node:dgram').Socket as { prototype: Functions };
  wrapNow(datagrams.prototype, 'send', holding, (args) => {
    const port = args.find((one, index) => index > 0 && typeof one === 'number');
    const host = args.find((one, index) => index > 1 && typeof one === 'string') ?? 'localhost';
    return cut(`send to ${String(host)}:${String(port)}`);
  });
}

/** The platform's own database, where this version has it; others are reached by connections or native code. */
function holdDatabases(originals: Originals, holding: Holding): void {
  const { emitWarning } = process;
  process.emitWarning = () => undefined;
  try {
    wrapClass(originals.builtin('node:sqlite') as Functions, 'DatabaseSync', holding, ([path, options]) => {
      const { readOnly } = (options ?? {}) as { readOnly?: boolean };
      return readOnly === true || path === ':memory:'
        ? undefined
        : cut(`open the database ${String(path)} for writing`);
    });
  } catch {
    // This version has none.
  }
  process.emitWarning = emitWarning;
}
