/** Where servers of this process listen. */
import { Server } from 'node:http';
import { Server as SecureServer } from 'node:https';

/** Servers of HTTP that listen at a port of this machine. */
export function listeningPorts(): { port: number; secure: boolean }[] {
  // The engine knows its open handles, and gives them no other way.
  const { _getActiveHandles: handles } = process as unknown as { _getActiveHandles?: () => unknown[] };
  const found: { port: number; secure: boolean }[] = [];
  for (const handle of handles?.call(process) ?? []) {
    const secure = handle instanceof SecureServer;
    if (!secure && !(handle instanceof Server)) continue;
    const address = handle.address();
    if (typeof address === 'object' && address !== null) found.push({ port: address.port, secure });
  }
  return found;
}
