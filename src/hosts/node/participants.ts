/**
 * Threads and processes that a live program starts: they come to a local socket
 * of its session, are given instrumented modules there, and take changes.
 */
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import type { LiveSession, ParticipantAnswer, ParticipantChange, Served } from '../../session/live.js';
import { Channel } from './channel.js';
import { NodeFiles } from './files.js';
import { INVITATION } from './messages.js';
import { patchName } from '../../runtime/stacks.js';

/** From a participant: first `join` with the token, on each of its two connections. */
export type FromParticipant =
  | { type: 'join'; token: string; id: string; label: string; role: 'program' | 'loader' }
  | { type: 'executed'; file: string; version: number }
  | { type: 'changed'; ask: number; answer: ParticipantAnswer }
  | { type: 'undone' }
  | { type: 'error'; name: string; message: string; stack: string }
  | { type: 'code'; ask: number; url: string }
  | { type: 'resolve'; ask: number; specifier: string; from: string };

export type ToParticipant =
  | { type: 'change'; ask: number; change: ParticipantChange }
  | { type: 'code'; ask: number; served: Served | undefined }
  | { type: 'resolved'; ask: number; url: string | undefined };

/** Milliseconds in which a participant has to answer: a thread that is busy for longer is told of as failed. */
const PATIENCE_MS = 5_000;

const OWN = fileURLToPath(new URL('../../', import.meta.url));

export class Participants {
  private readonly folder = mkdtempSync(join(tmpdir(), 'usher-anvil-'));
  private readonly path = join(this.folder, 'live.sock');
  private readonly token = randomBytes(24).toString('base64url');
  private readonly server: Server;
  private readonly asks = new Map<number, (answer: ParticipantAnswer) => void>();
  private readonly files = new NodeFiles();
  private readonly sockets = new Set<Socket>();
  private last = 0;

  constructor(private readonly session: () => LiveSession) {
    this.server = createServer((socket) => this.receive(socket));
    this.server.on('error', () => undefined);
    this.server.listen(this.path);
    this.server.unref();
  }

  /** Environment and flags for the program, by which what it starts finds the way here. */
  get invitation(): { env: Record<string, string>; flags: string[] } {
    return {
      env: { [INVITATION]: JSON.stringify({ path: this.path, token: this.token }) },
      flags: [`--import=${pathToFileURL(fileURLToPath(new URL('./participant.js', import.meta.url))).href}`],
    };
  }

  close(): void {
    for (const socket of this.sockets) socket.destroy();
    this.server.close();
    rmSync(this.folder, { recursive: true, force: true });
  }

  private receive(socket: Socket): void {
    this.sockets.add(socket);
    socket.unref();
    let id: string | undefined;
    let role: 'program' | 'loader' = 'loader';
    const channel: Channel = new Channel(socket, (data) => {
      const message = data as FromParticipant;
      if (id === undefined) {
        if (message.type !== 'join' || !same(message.token, this.token)) {
          socket.destroy();
          return;
        }
        ({ id, role } = message);
        if (role === 'program') this.session().join({ id, label: message.label, change: (change) => this.change(channel, socket, change) });
        return;
      }
      switch (message.type) {
        case 'executed':
          this.session().executed(id, message.file, message.version);
          break;
        case 'changed':
          this.asks.get(message.ask)?.(message.answer);
          break;
        case 'error':
          this.session().failedIn(id, message, framesOf(message.stack));
          break;
        case 'undone':
          this.session().stoppedIn(id);
          break;
        case 'code':
          channel.send({ type: 'code', ask: message.ask, served: this.serve(id, message.url) } satisfies ToParticipant);
          break;
        case 'resolve':
          channel.send({ type: 'resolved', ask: message.ask, url: this.resolve(message.specifier, message.from) } satisfies ToParticipant);
          break;
      }
    });
    socket.on('close', () => {
      this.sockets.delete(socket);
      if (id !== undefined && role === 'program') this.session().leave(id);
    });
  }

  private serve(id: string, url: string): Served | undefined {
    try {
      const file = fileURLToPath(url);
      return file.startsWith(OWN) || file.includes('/node_modules/') ? undefined : this.session().serve(id, file);
    } catch {
      // What cannot be read or compiled the engine loads, and says why not.
      return undefined;
    }
  }

  private resolve(specifier: string, from: string): string | undefined {
    try {
      const found = this.files.resolve(specifier, fileURLToPath(from));
      return found.kind === 'local' ? pathToFileURL(found.file).href : undefined;
    } catch {
      return undefined;
    }
  }

  private change(channel: Channel, socket: Socket, change: ParticipantChange): Promise<ParticipantAnswer> {
    const ask = ++this.last;
    return new Promise((resolve) => {
      const finish = (answer: ParticipantAnswer): void => {
        clearTimeout(timer);
        socket.off('close', gone);
        this.asks.delete(ask);
        resolve(answer);
      };
      const timer = setTimeout(
        () => finish({ failed: { step: -1, name: '', message: `it did not answer within ${PATIENCE_MS / 1_000} s` }, objects: 0 }),
        PATIENCE_MS,
      );
      // One that has ended meanwhile has nothing to be changed.
      const gone = (): void => finish({ objects: 0 });
      socket.once('close', gone);
      this.asks.set(ask, finish);
      channel.send({ type: 'change', ask, change } satisfies ToParticipant);
    });
  }
}

/** Local frames of a stack, the innermost first; lines count from 0. */
function framesOf(stack: string): { file: string; line: number; name: string }[] {
  return stack.split('\n').flatMap((text) => {
    const found = /^\s*at (?:(?:async )?(.*?) \()?(file:\/\/)?(\/[^()]*?):(\d+):\d+\)?$/.exec(text);
    if (!found) return [];
    const [, name = '', url, path, line] = found;
    const patch = patchName(path!);
    const file = patch ? patch.file : url === undefined ? path! : fileURLToPath(`file://${path!}`);
    return file.startsWith(OWN) || file.includes('/node_modules/') ? [] : [{ file, line: patch ? patch.lineOf(Number(line) - 1) : Number(line) - 1, name }];
  });
}

function same(given: unknown, token: string): boolean {
  const a = Buffer.from(String(given));
  const b = Buffer.from(token);
  return a.length === b.length && timingSafeEqual(a, b);
}
