/** Functions of the platform as they were before the pad could replace them. */
import { readFileSync, writeSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { MessagePort } from 'node:worker_threads';
import type { FromPad } from '../../../wire/messages.js';

export interface Originals {
  exit(code?: number): never;
  reallyExit(code?: number): never;
  kill: typeof process.kill;
  abort(): never;
  /** Milliseconds. */
  now(): number;
  later: typeof setImmediate;
  wait: typeof Atomics.wait;
  load: typeof Atomics.load;
  send(message: FromPad, transfer?: ArrayBuffer[]): void;
  timers: {
    setTimeout: typeof setTimeout;
    clearTimeout: typeof clearTimeout;
    setInterval: typeof setInterval;
    clearInterval: typeof clearInterval;
  };
  /** Writes to standard error at once. */
  stderr(text: string): void;
  builtin: NodeJS.Require;
  readFile: typeof readFileSync;
}

/** @param port leads to the relay */
export function takeOriginals(port: MessagePort): Originals {
  const post = port.postMessage.bind(port);
  return {
    exit: process.exit.bind(process) as (code?: number) => never,
    reallyExit: (process as unknown as { reallyExit(code?: number): never }).reallyExit.bind(process),
    kill: process.kill.bind(process),
    abort: process.abort.bind(process),
    now: performance.now.bind(performance),
    later: setImmediate,
    wait: Atomics.wait.bind(Atomics),
    load: Atomics.load.bind(Atomics),
    send: (message, transfer) => post(message, transfer ?? []),
    timers: { setTimeout, clearTimeout, setInterval, clearInterval },
    stderr: (text) => void writeSync(2, text),
    builtin: createRequire(import.meta.url),
    readFile: readFileSync,
  };
}
