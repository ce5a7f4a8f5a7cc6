/** One page of a development server, at the other end of the server's own socket. */
import { decode, encode } from '../hosts/browser/codec.js';
import { EVENTS } from '../hosts/browser/page.js';
import { checkFromGuest, type ToGuest } from '../wire/guests.js';
import type { HoldAnswer, HoldRequest } from '../wire/holding.js';
import type { LookAnswer, LookRequest, NamesRequest } from '../wire/looking.js';
import type { PauseAnswer, PauseRequest } from '../wire/pausing.js';
import type { LiveAnswer } from '../wire/messages.js';
import type { LiveChange } from '../wire/modules.js';
import type { ModuleCode, ModuleLink } from '../wire/modules.js';
import { Replies } from '../wire/replies.js';
import { takeNews } from '../session/live/guest-news.js';
import type { LiveSession } from '../session/live/session.js';
import { Collecting } from './collecting.js';
import { StandingGuest } from './standing-guest.js';
import type { Guest } from '../session/live/target-state.js';

/** Milliseconds after which a page that does not answer is given up. */
const SILENT_MS = 5_000;
/** Milliseconds that a page may be without its socket. */
const AWAY_MS = 300;

/** What a page has of its server. */
export interface PageServer {
  /** Where it loads a module that is imported only now. */
  resolve(specifier: string, from: string): Promise<{ url: string; target?: string } | undefined>;
  /** A module as the page has it. */
  printed(code: ModuleCode): Promise<ModuleCode>;
  /** It is gone. */
  left(): void;
}

export interface PageSocket {
  send(event: string, data?: unknown): void;
}

let count = 0;

export class PageGuest implements Guest {
  readonly label = `page ${++count}`;
  readonly console = true;
  readonly atPoints = true;
  private readonly replies = new Replies<unknown>();
  private leaving: NodeJS.Timeout | undefined;
  /** What it is told while it waits. */
  readonly collecting = new Collecting();
  private readonly unsent: ToGuest[] = [];
  private readonly standing = new StandingGuest();

  constructor(
    readonly id: string,
    /** Undefined until it is there: a page may begin before. */
    private socket: PageSocket | undefined,
    private readonly server: PageServer,
  ) {}

  get client(): PageSocket | undefined {
    return this.socket;
  }

  /** It is back, perhaps with another socket. */
  set client(socket: PageSocket | undefined) {
    clearTimeout(this.leaving);
    this.socket = socket;
    for (const message of this.unsent.splice(0)) this.tell(message);
  }

  /** Its socket is closed: it comes back, or is gone. */
  away(): void {
    clearTimeout(this.leaving);
    this.leaving = setTimeout(() => this.leave(), AWAY_MS);
    this.leaving.unref();
  }

  private leave(): void {
    this.replies.end();
    // One that stands still asks again, and goes on: nobody knows it any more.
    this.standing.leave();
    this.server.left();
  }

  /** A message of the page. */
  receive(text: string, session: LiveSession): void {
    const checked = checkFromGuest(decode(text));
    // A page that says what is no message of ours is not believed.
    if (!checked.ok) return;
    const { message } = checked;
    takeNews(session, this.id, message, (ask, answer) => {
      this.standing.answered(ask);
      this.replies.answer(ask, answer);
    });
    if (message.type === 'pausing' && message.news.is === 'went-on')
      for (const one of this.standing.end()) this.tell(one);
  }

  /** A message that came by the socket. */
  receiveSent(text: string, session: LiveSession): void {
    this.receive(text, session);
    this.standing.received();
  }

  /**
   * It stands still, and waits to be told something.
   *
   * @param sent so many of its messages went by the socket before
   * @param answer takes what it is told; nothing may be told, and it asks again then
   */
  async waits(
    sent: number,
    texts: readonly string[],
    session: LiveSession,
    answer: (messages: ToGuest[]) => void,
  ): Promise<void> {
    await this.standing.begin(sent);
    for (const text of texts) this.receive(text, session);
    this.standing.wait(answer);
  }

  /** A request in which it waited has been closed. */
  waitsNoLonger(answer: (messages: ToGuest[]) => void): void {
    this.standing.closed(answer);
  }

  async resolve(specifier: string, from: string): Promise<ModuleLink> {
    const found = await this.server.resolve(specifier, from);
    if (!found) return { specifier, kind: 'missing', target: 'it leads nowhere', names: [] };
    return {
      specifier: found.url,
      kind: found.target === undefined ? 'package' : 'local',
      target: found.target ?? found.url,
      names: [],
    };
  }

  change(change: LiveChange): Promise<LiveAnswer> {
    const nothing: LiveAnswer = { objects: 0, resumed: [], pauseMs: 0 };
    // What a person enters may wait for as long as it likes.
    return this.ask(
      (ask) => ({ type: 'change', ask, change }),
      change.do === 'evaluate' ? Infinity : SILENT_MS,
      nothing,
    );
  }

  look(request: LookRequest | NamesRequest): Promise<LookAnswer> {
    return this.ask<LookAnswer>((ask) => ({ type: 'look', ask, request }), SILENT_MS, {
      is: 'gone',
      why: 'The page has been closed.',
    });
  }

  hold(request: HoldRequest): Promise<HoldAnswer> {
    return this.ask<HoldAnswer>((ask) => ({ type: 'hold', ask, request }), SILENT_MS, {
      is: 'cannot',
      why: 'the page has been closed',
    });
  }

  pause(request: PauseRequest): Promise<PauseAnswer> {
    return this.ask<PauseAnswer>((ask) => ({ type: 'pause', ask, request }), SILENT_MS, {
      is: 'cannot',
      why: 'the page has been closed',
    });
  }

  know(code: ModuleCode): void {
    // The server prints what it is given anew: places are those of what it serves.
    void this.server.printed(code).then((printed) => this.tell({ type: 'known', code: printed }));
  }

  reload(reason: string): void {
    this.socket?.send(EVENTS.reload, { page: this.id, reason });
    this.leave();
  }

  private tell(message: ToGuest): void {
    if (this.collecting.take(message) || this.standing.take(message)) return;
    if (!this.socket) this.unsent.push(message);
    else this.socket.send(EVENTS.to, { page: this.id, message: encode(message) });
  }

  /** A page that does not answer is as one that was closed: nothing of it holds up the others. */
  private async ask<T>(message: (ask: number) => ToGuest, patience: number, gone: T): Promise<T> {
    const timer = patience === Infinity ? undefined : setTimeout(() => this.leave(), patience);
    const answer = await this.replies.ask((ask) => {
      const asked = message(ask);
      this.standing.asked(ask, asked);
      this.tell(asked);
    }, gone);
    clearTimeout(timer);
    return answer;
  }
}
