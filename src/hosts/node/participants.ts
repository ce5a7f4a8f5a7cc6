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
import {
  checkFromParticipant,
  type FromParticipant,
  type ServedCode,
  type ToGuest,
  type ToLoader,
} from '../../wire/guests.js';
import type { HoldAnswer, HoldRequest } from '../../wire/holding.js';
import type { PauseAnswer, PauseRequest } from '../../wire/pausing.js';
import type { LookAnswer, LookRequest, NamesRequest } from '../../wire/looking.js';
import type { LiveAnswer } from '../../wire/messages.js';
import type { LiveChange } from '../../wire/modules.js';
import type { ModuleCode } from '../../wire/modules.js';
import { takeNews } from '../../session/live/guest-news.js';
import type { Guest } from '../../session/live/target-state.js';
import type { LiveSession } from '../../session/live/session.js';
import { Channel } from './channel.js';
import { NodeFiles } from './files.js';
import { INVITATION } from '../../wire/constants.js';
import { Replies } from '../../wire/replies.js';
import { entryUrl } from './entries.js';

/** Milliseconds in which a participant has to answer: a thread that is busy for longer is told of as failed. */
const PATIENCE_MS = 5_000;

const OWN = fileURLToPath(new URL('../../', import.meta.url));

export class Participants {
  private readonly folder = mkdtempSync(join(tmpdir(), 'usher-anvil-'));
  private readonly path = join(this.folder, 'live.sock');
  private readonly token = randomBytes(24).toString('base64url');
  private readonly server: Server;
  private readonly files = new NodeFiles();
  private readonly sockets = new Set<Socket>();
  private readonly guests = new Map<string, SocketGuest>();

  /** @param takesPart tells whether a file of theirs is one of the program; by default all outside of `node_modules` */
  constructor(
    private readonly session: () => LiveSession,
    private readonly takesPart: (file: string) => boolean = () => true,
  ) {
    this.server = createServer((socket) => this.receive(socket));
    this.server.on('error', () => undefined);
    this.server.listen(this.path);
    this.server.unref();
  }

  /** Environment and flags for the program, by which what it starts finds the way here. */
  get invitation(): { env: Record<string, string>; flags: string[] } {
    return {
      env: { [INVITATION]: JSON.stringify({ path: this.path, token: this.token }) },
      flags: [`--require=${fileURLToPath(entryUrl('participant', 'cjs'))}`],
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
    let guest: SocketGuest | undefined;
    const channel: Channel = new Channel(socket, (data) => {
      const checked = checkFromParticipant(data);
      // Whoever says what is no message of ours has nothing to say any more.
      if (!checked.ok) {
        socket.destroy();
        return;
      }
      const { message } = checked;
      if (id === undefined) {
        if (message.type !== 'join' || !same(message.token, this.token)) {
          socket.destroy();
          return;
        }
        ({ id } = message);
        guest = this.join(message, channel);
        return;
      }
      switch (message.type) {
        case 'code':
          channel.send({ type: 'code', ask: message.ask, served: this.serve(message.url) } satisfies ToLoader);
          break;
        case 'resolve':
          channel.send({
            type: 'resolved',
            ask: message.ask,
            url: this.resolve(message.specifier, message.from),
          } satisfies ToLoader);
          break;
        case 'join':
          break;
        default:
          takeNews(this.session(), id, message, (ask, answer) => guest?.answered(ask, answer));
      }
    });
    socket.on('close', () => {
      this.sockets.delete(socket);
      if (guest?.closes(channel)) return;
      if (id === undefined) return;
      this.guests.delete(id);
      this.session().leave(id);
    });
  }

  /** One of the two connections of a thread or process; that of its loader is there first, for it has a thread of its own. */
  private join({ id, label, role }: Extract<FromParticipant, { type: 'join' }>, channel: Channel): SocketGuest {
    const known = this.guests.get(id);
    const guest = known ?? new SocketGuest(id, label);
    guest.comes(channel, role);
    if (known) return known;
    this.guests.set(id, guest);
    this.session().join(guest);
    return guest;
  }

  private serve(url: string): ServedCode | undefined {
    try {
      const file = fileURLToPath(url);
      const isOthers = file.startsWith(OWN) || file.includes('/node_modules/') || !this.takesPart(file);
      const served = isOthers ? undefined : this.session().serve(file);
      return served && { code: served.code, format: served.format, waits: this.session().asksFirst(file) };
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
}

/** One thread or process, at the other end of a socket. */
class SocketGuest implements Guest {
  private readonly replies = new Replies<unknown>();
  /** The ways to it. By the thread of its loader it can be heard while it stands still. */
  private readonly ways: { channel: Channel; role: 'program' | 'loader' }[] = [];

  constructor(
    readonly id: string,
    readonly label: string,
  ) {}

  comes(channel: Channel, role: 'program' | 'loader'): void {
    this.ways.push({ channel, role });
  }

  /** @returns there is another way to it */
  closes(channel: Channel): boolean {
    this.ways.splice(
      this.ways.findIndex((way) => way.channel === channel),
      1,
    );
    // One that has ended meanwhile has nothing to be changed.
    if (this.ways.length === 0) this.replies.end();
    return this.ways.length > 0;
  }

  change(change: LiveChange): Promise<LiveAnswer> {
    const nothing: LiveAnswer = { objects: 0, resumed: [], pauseMs: 0 };
    // What a person enters may wait for as long as it likes.
    const patience = change.do === 'evaluate' ? Infinity : PATIENCE_MS;
    const silent: LiveAnswer = {
      ...nothing,
      failed: {
        step: -1,
        error: {
          kind: 'thrown',
          moment: 0,
          name: '',
          message: `it did not answer within ${PATIENCE_MS / 1_000} s`,
          frames: [],
        },
      },
    };
    return this.ask((ask) => ({ type: 'change', ask, change }), patience, silent, nothing);
  }

  look(request: LookRequest | NamesRequest): Promise<LookAnswer> {
    return this.ask(
      (ask) => ({ type: 'look', ask, request }),
      PATIENCE_MS,
      { is: 'gone', why: `It did not answer within ${PATIENCE_MS / 1_000} s.` },
      { is: 'gone', why: 'It has ended.' },
    );
  }

  hold(request: HoldRequest): Promise<HoldAnswer> {
    const gone = { is: 'cannot', why: 'it has ended' } as const;
    return this.ask<HoldAnswer>((ask) => ({ type: 'hold', ask, request }), PATIENCE_MS, gone, gone);
  }

  pause(request: PauseRequest): Promise<PauseAnswer> {
    const silent = { is: 'cannot', why: `it did not answer within ${PATIENCE_MS / 1_000} s` } as const;
    return this.ask<PauseAnswer>(
      (ask) => ({ type: 'pause', ask, request }),
      // Code that is evaluated has as long as that itself.
      PATIENCE_MS * 2,
      silent,
      { is: 'cannot', why: 'it has ended' },
    );
  }

  goOn(): void {
    this.tell({ type: 'goes-on' });
  }

  know(code: ModuleCode): void {
    this.tell({ type: 'known', code });
  }

  answered(ask: number, answer: unknown): void {
    this.replies.answer(ask, answer);
  }

  private tell(message: ToGuest): void {
    const way = this.ways.find(({ role }) => role === 'loader') ?? this.ways[0];
    way?.channel.send(message);
  }

  private async ask<T>(message: (ask: number) => ToGuest, patience: number, silent: T, ended: T): Promise<T> {
    let timer: NodeJS.Timeout | undefined;
    const answer = await this.replies.ask((ask) => {
      if (patience !== Infinity) timer = setTimeout(() => this.replies.answer(ask, silent), patience);
      this.tell(message(ask));
    }, ended);
    clearTimeout(timer);
    return answer;
  }
}

function same(given: unknown, token: string): boolean {
  const a = Buffer.from(String(given));
  const b = Buffer.from(token);
  return a.length === b.length && timingSafeEqual(a, b);
}
