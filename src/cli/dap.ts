/** `usher-anvil dap`: walks through runs for clients of the Debug Adapter Protocol. */
import { createServer } from 'node:net';
import type { ProtocolServer } from '@vscode/debugadapter/lib/protocol.js';
import { WalkSession } from '../adapter/session.js';
import { AnvilError } from '../syntax/problems.js';
import { joinProgram } from './dap-program.js';
import { outlive } from './outlive.js';

export interface DapOptions {
  port?: string;
  token?: string;
}

/**
 * Serves one client over standard input and output, or any number over a port of this machine; resolves with the exit
 * code when the client is gone.
 *
 * @throws AnvilError `E_OPTION` for a port that is none, `E_PORT` for one that is taken
 */
export function dapCommand({ port, token }: DapOptions): Promise<number> {
  // What anything prints must not come between messages.
  console.log = console.error;
  console.info = console.error;
  outlive((error) => console.error(error));
  if (port !== undefined) return servePort(port, token);
  return new Promise((resolve) => {
    const session = new WalkSession(undefined, joinProgram);
    session.on('close', () => resolve(0));
    session.on('error', () => resolve(1));
    (session as ProtocolServer).start(process.stdin, process.stdout);
    process.stdin.on('end', () => resolve(0));
  });
}

function servePort(given: string, token: string | undefined): Promise<number> {
  const port = Number(given);
  if (!Number.isInteger(port) || port < 0 || port > 65_535)
    throw new AnvilError('E_OPTION', `--port is "${given}". Give a number from 0 to 65535; 0 takes a free one.`);
  return new Promise((resolve, reject) => {
    const server = createServer((socket) => {
      socket.on('error', () => socket.destroy());
      socket.once('data', (first: Buffer) => {
        // A page of a browser can send requests here, and no other first line than that of a request.
        if (!/^Content-Length:/i.test(first.toString('latin1', 0, 15))) {
          socket.destroy();
          return;
        }
        const session = new WalkSession(token, joinProgram);
        session.setRunAsServer(true);
        (session as ProtocolServer).start(socket, socket);
        socket.unshift(first);
      });
    });
    server.on('error', (error: NodeJS.ErrnoException) =>
      reject(
        error.code === 'EADDRINUSE'
          ? new AnvilError('E_PORT', `Port ${port} is taken. Give another, or 0 for a free one.`)
          : error,
      ),
    );
    // This machine alone: a client can have code executed.
    server.listen(port, '127.0.0.1', () => {
      const address = server.address();
      if (address !== null && typeof address === 'object')
        process.stderr.write(`Debug Adapter Protocol on 127.0.0.1:${address.port}\n`);
    });
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => resolve(0));
  });
}
