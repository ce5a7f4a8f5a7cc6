/** The engine's own debugger: stops at places of a program, and tells what variables hold there. */
import { spawn } from 'node:child_process';
import { WebSocket } from 'ws';

export interface Stop {
  /** Zero-based, as the engine has it. */
  line: number;
  column: number;
  /** What is in scope and not of the whole program, as texts; functions are left out. */
  variables: Record<string, string>;
}

interface Scope {
  type: string;
  object: { objectId?: string };
}

/** What a value is, as text; runs in the program. Getters are not called. */
const TELL = `function () {
  const text = (value, depth) => {
    if (value === null) return 'null';
    switch (typeof value) {
      case 'string': return JSON.stringify(value);
      case 'number': return Object.is(value, -0) ? '-0' : String(value);
      case 'bigint': return value + 'n';
      case 'symbol': return String(value);
      case 'function': return 'function';
      case 'object': {
        if (Array.isArray(value)) return depth === 0 ? '[…]' : '[' + Array.from({ length: Math.min(value.length, 6) }, (_, i) => i in value ? text(Object.getOwnPropertyDescriptor(value, i).value, depth - 1) : 'empty').join() + ']' + value.length;
        if (value instanceof Map || value instanceof Set || value instanceof Promise || value instanceof Error) return value.constructor.name;
        const name = Object.getPrototypeOf(value)?.constructor?.name ?? 'null';
        if (depth === 0) return name;
        return name + '{' + Object.keys(value).slice(0, 6).map((key) => { const d = Object.getOwnPropertyDescriptor(value, key); return key + ':' + ('value' in d ? text(d.value, depth - 1) : 'getter') }).join() + '}';
      }
      default: return String(value);
    }
  };
  const found = {};
  for (const key of Object.keys(this)) { try { found[key] = text(this[key], 1) } catch { found[key] = '?' } }
  return found;
}`;

/**
 * Runs a program and stops at places of it.
 *
 * @param places zero-based lines and columns
 * @returns the places where the engine stops for each, in their order, and every stop
 */
export async function stopsOf(
  file: string,
  places: readonly { line: number; column: number }[],
): Promise<{ at: ({ line: number; column: number } | undefined)[]; stops: Stop[] }> {
  const child = spawn(process.execPath, ['--inspect-brk=127.0.0.1:0', file], { stdio: ['ignore', 'ignore', 'pipe'] });
  const address = await new Promise<string>((resolve, reject) => {
    let said = '';
    child.stderr.on('data', (data: Buffer) => {
      said += String(data);
      const found = /ws:\/\/\S+/.exec(said);
      if (found) resolve(found[0]);
    });
    child.on('exit', () => reject(new Error(said)));
  });
  const socket = new WebSocket(address);
  await new Promise((resolve, reject) => socket.on('open', resolve).on('error', reject));
  const waiting = new Map<number, (answer: Record<string, unknown>) => void>();
  const heard: ((event: { method: string; params: Record<string, unknown> }) => void)[] = [];
  let last = 0;
  const ask = (method: string, params: object = {}): Promise<Record<string, unknown>> =>
    new Promise((resolve) => {
      waiting.set(++last, resolve);
      socket.send(JSON.stringify({ id: last, method, params }));
    });
  socket.on('message', (data) => {
    const message = JSON.parse(String(data as Buffer)) as { id?: number; result?: object; method?: string };
    if (message.id !== undefined) waiting.get(message.id)?.((message.result ?? {}) as Record<string, unknown>);
    else for (const one of heard) one(message as never);
  });
  const stops: Stop[] = [];
  const at: ({ line: number; column: number } | undefined)[] = [];
  const done = new Promise<void>((resolve) => {
    child.on('exit', () => resolve());
    socket.on('close', () => resolve());
    let first = true;
    heard.push(({ method, params }) => {
      if (method === 'Runtime.executionContextDestroyed') {
        socket.close();
        resolve();
      }
      if (method !== 'Debugger.paused') return;
      void (async () => {
        if (first) {
          first = false;
          for (const { line, column } of places) {
            const { locations } = (await ask('Debugger.setBreakpointByUrl', {
              urlRegex: `${file.replace(/.*\//, '').replace(/\./g, '\\.')}$`,
              lineNumber: line,
              columnNumber: column,
            })) as { locations?: { lineNumber: number; columnNumber: number }[] };
            const found = locations?.[0];
            at.push(found && { line: found.lineNumber, column: found.columnNumber });
          }
        }
        const [frame] = params.callFrames as {
          location: { lineNumber: number; columnNumber: number };
          scopeChain: Scope[];
          this: { objectId?: string };
        }[];
        // Stops of its own accord: `debugger` statements, the first line.
        if ((params.hitBreakpoints as unknown[] | undefined)?.length) {
          const asked = frame!.scopeChain
            .filter(({ type, object }) => type !== 'global' && object.objectId !== undefined)
            .map(({ object: { objectId } }) =>
              ask('Runtime.callFunctionOn', { objectId, functionDeclaration: TELL, returnByValue: true }),
            );
          // Sent at once: each answer that is waited for takes the engine's sockets tens of milliseconds.
          void ask('Debugger.resume');
          const variables: Record<string, string> = {};
          stops.push({ line: frame!.location.lineNumber, column: frame!.location.columnNumber, variables });
          for (const answer of await Promise.all(asked)) {
            const { result } = answer as { result?: { value?: Record<string, string> } };
            for (const [name, text] of Object.entries(result?.value ?? {})) variables[name] ??= text;
          }
          return;
        }
        await ask('Debugger.resume');
      })();
    });
  });
  await ask('Runtime.enable');
  await ask('Debugger.enable');
  await ask('Runtime.runIfWaitingForDebugger');
  const limit = setTimeout(() => child.kill('SIGKILL'), 60_000);
  await done;
  clearTimeout(limit);
  child.kill('SIGKILL');
  return { at, stops };
}
