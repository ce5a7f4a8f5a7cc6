/** CommonJS of a participant. */
import { readFileSync } from 'node:fs';
import { Module as NodeModule } from 'node:module';
import { pathToFileURL } from 'node:url';
import { receiveMessageOnPort, type MessagePort } from 'node:worker_threads';
import { isLocalFile } from './modules/commonjs.js';
import { OWN_PATH } from './own-files.js';
import type { ScriptAsk } from './participant-hooks.js';

/** Scripts of the person are compiled from what the session has of them, in the engine's own loader. */
export function serveScripts(port: MessagePort): void {
  // This file is nothing of the program.
  const cache = (NodeModule as unknown as { _cache: Record<string, unknown> })._cache;
  for (const file of Object.keys(cache)) delete cache[file];
  const prototype = NodeModule.prototype as unknown as {
    _compile(code: string, file: string, ...rest: unknown[]): unknown;
  };
  const { _compile: compile } = prototype;
  const { wait } = Atomics;
  const ask = (file: string): string | undefined => {
    const wake = new Int32Array(new SharedArrayBuffer(4));
    port.postMessage({ url: pathToFileURL(file).href, wake } satisfies ScriptAsk);
    if (wait(wake, 0, 0, PATIENCE_MS) === 'timed-out') return undefined;
    return (receiveMessageOnPort(port) as { message: string | undefined } | undefined)?.message;
  };
  prototype._compile = function _compile(code, file, ...rest) {
    const served =
      rest[0] !== 'module' && isLocalFile(file, OWN_PATH) && !file.endsWith('.json') && isAsItStands(file, code)
        ? ask(file)
        : undefined;
    return compile.call(this, served ?? code, file, ...rest);
  };
}

/** Milliseconds in which the session has to give the code of a script. */
const PATIENCE_MS = 5_000;

/** What is to be compiled is what the file holds: nothing else has changed it on the way. */
function isAsItStands(file: string, code: string): boolean {
  try {
    return readFileSync(file, 'utf8').replace(/^\uFEFF/, '') === code || /\.[cm]?tsx?$/i.test(file);
  } catch {
    return false;
  }
}
