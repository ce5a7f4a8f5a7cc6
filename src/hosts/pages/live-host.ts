/** A page as the host of a program that goes on: it is executed once, and then patched. */
import type { LiveHandle, LiveHost, LiveSink } from '../../session/live/events.js';
import type { RunRequest } from '../../session/host.js';
import type { HoldAnswer } from '../../wire/holding.js';
import type { LookAnswer } from '../../wire/looking.js';
import type { PauseAnswer } from '../../wire/pausing.js';
import type { RawStop } from '../../wire/runs.js';
import { endedAnswer, LiveReplies } from '../node/live-replies.js';
import type { PageFiles } from './files.js';
import type { PageFrame } from './frame.js';
import type { FrameListener } from './frame-way.js';
import { runMessage, type PageEvents } from './host.js';
import { RunWay } from './run-way.js';

const GONE = 'the page is gone';

export class PageLiveHost implements LiveHost {
  readonly kind = 'page';
  private readonly replies = new LiveReplies();
  private isOver = false;
  /** It was ended: it does not begin again by itself. */
  private isLost = false;
  private own: FrameListener | undefined;

  constructor(
    private readonly frame: PageFrame,
    private readonly files: PageFiles,
    private readonly textOf: (file: string) => string,
    private readonly events: PageEvents,
  ) {}

  start(request: RunRequest, sink: LiveSink): LiveHandle {
    const { frame } = this;
    const way = new RunWay(frame);
    const { id } = way;
    const end = (stop: RawStop): void => {
      if (this.isOver) return;
      this.isOver = true;
      way.isOver = true;
      this.replies.end(GONE);
      sink.stopped(stop);
    };
    frame.listener = this.own = {
      told: (message) => {
        if (message.id === id)
          this.replies.take(message, sink, (ask, answer) => void way.say({ type: 'resolved', id, ask, answer }));
      },
      garbled: (why) => end({ reason: 'garbled', detail: why }),
      took: (run) => way.took(run),
      painted: (run, shown) => this.events.painted(run, shown),
      pointed: (pixel) => this.events.pointed(pixel),
      came: () => {
        if (this.isLost || way.tryAgain()) return;
        // Another frame has the page from now on, or it was loaded anew: nothing of it is left.
        end({ reason: 'crashed', detail: 'the page was loaded anew' });
        this.events.anew();
      },
      lost: (why, detail) => {
        if (way.lost()) {
          this.events.lost(why);
          return;
        }
        end({ reason: why, ...(detail === undefined ? {} : { detail }) });
        this.isLost = this.events.lost(why);
      },
    };
    void runMessage(request, frame, this.files, this.textOf, true).then((message) => way.begin(message));
    const tell = way.say.bind(way);
    return {
      cancel: () => end({ reason: 'cancelled' }),
      expire: () => end({ reason: 'time-limit' }),
      look: (request) =>
        this.replies.looks.ask<LookAnswer>((ask) => tell({ type: 'look', id, ask, request }), {
          is: 'gone',
          why: GONE,
        }),
      change: (change) =>
        this.replies.changes.ask((ask) => tell({ type: 'change', id, ask, change }), endedAnswer(GONE)),
      pause: (request) =>
        this.replies.pauses.ask<PauseAnswer>((ask) => tell({ type: 'pause', id, ask, request }), {
          is: 'cannot',
          why: GONE,
        }),
      hold: (request) =>
        this.replies.holds.ask<HoldAnswer>((ask) => tell({ type: 'hold', id, ask, request }), {
          is: 'cannot',
          why: GONE,
        }),
    };
  }

  close(): Promise<void> {
    this.isOver = true;
    this.replies.end(GONE);
    if (this.frame.listener === this.own) this.frame.listener = undefined;
    return Promise.resolve();
  }
}
