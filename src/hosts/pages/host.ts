/** A page as the host of a pad: each run gets a fresh document in the frame that shows it. */
import type { Host, RunHandle, RunRequest, RunSink } from '../../session/host.js';
import type { PointedPixel, ToFrame } from '../../wire/frames.js';
import type { RawStop } from '../../wire/runs.js';
import { deliver, garbledStop, type Running } from '../../session/delivering.js';
import { packagesOf } from '../../session/linked.js';
import { LastCounts } from '../../session/last-counts.js';
import type { FrameListener, FrameWay, PageSource, Wanted } from './frame-way.js';
import { mountsOf } from './kinds.js';
import { RunWay } from './run-way.js';

/** What a page host tells beside the runs. */
export interface PageEvents {
  /** A frame is there, and nothing runs in it: the page is to be executed. */
  anew(): void;
  /** A run is on the screen, or was not put there because it failed. */
  painted(id: number, shown: boolean): void;
  /** The pointer is on a pixel of a canvas, or on none any more. */
  pointed(pixel: PointedPixel | undefined): void;
  /** The frame is lost. @returns true where another one is made, which waits for the next edit */
  lost(why: 'not-answering' | 'memory' | 'crashed'): boolean;
}

export class PageHost implements Host {
  readonly kind = 'page';
  private readonly own: FrameListener;
  private running: Running | undefined;
  private way: RunWay | undefined;
  private counted = new LastCounts();
  /** What ran was ended: it does not begin again by itself. */
  private isLost = false;

  constructor(
    private readonly frame: FrameWay,
    private readonly files: PageSource,
    private readonly textOf: (file: string) => string,
    private readonly events: PageEvents,
  ) {
    frame.listener = this.own = this.listener();
  }

  private listener(): FrameListener {
    return {
      told: (message) => {
        const { running, way } = this;
        if (!running || message.id !== way?.id) return;
        if (message.type === 'batch') this.counted.note(message.batch);
        deliver(message, running, (answer) => void (answer.type === 'resolved' && way.say(answer)));
      },
      garbled: (why) => this.end(garbledStop(why)),
      took: (id) => this.way?.took(id),
      painted: (id, shown) => this.events.painted(id, shown),
      pointed: (pixel) => this.events.pointed(pixel),
      came: () => {
        if (!this.isLost && !this.way?.tryAgain()) this.events.anew();
      },
      lost: (why, detail) => {
        if (this.way?.lost()) {
          this.events.lost(why);
          return;
        }
        this.end({ reason: why, ...(detail === undefined ? {} : { detail }), ...this.counted.stop });
        this.isLost = this.events.lost(why);
      },
    };
  }

  private end(stop: RawStop): void {
    const { running } = this;
    this.running = undefined;
    running?.sink.stopped(stop);
  }

  warm(): void {
    // The frame keeps a fresh document ready by itself.
  }

  run(request: RunRequest, sink: RunSink): RunHandle {
    const running: Running = { request, sink, told: false };
    this.running = running;
    this.counted = new LastCounts();
    this.isLost = false;
    if (this.way) this.way.isOver = true;
    const way = (this.way = new RunWay(this.frame));
    const { id } = way;
    void runMessage(request, this.frame, this.files, this.textOf, false).then((message) => way.begin(message));
    return {
      cancel: () => {
        if (this.running === running) this.running = undefined;
        way.say({ type: 'cancel', id });
      },
      expire: () => this.end({ reason: 'time-limit' }),
      look: (ask, asked) => void way.say({ type: 'look', id, ask, request: asked }),
      act: (action) => void way.say({ type: 'act', id, action }),
      pause: (ask, asked) => void way.say({ type: 'pause', id, ask, request: asked }),
    };
  }

  close(): Promise<void> {
    this.running = undefined;
    if (this.way) this.way.isOver = true;
    // Another host may have it by now.
    if (this.frame.listener === this.own) this.frame.listener = undefined;
    return Promise.resolve();
  }
}

/** A run as a frame takes it, with the packages that it needs. */
export async function runMessage(
  { id, entry, modules, asked }: RunRequest,
  frame: FrameWay,
  files: PageSource,
  textOf: (file: string) => string,
  live: boolean,
): Promise<Extract<ToFrame, { type: 'run' }>> {
  const page = files.pageOf(textOf(entry));
  const mounts = page ? undefined : mountsOf(textOf(entry), entry);
  const wanted: Wanted[] = packagesOf(modules);
  for (const specifier of mounts === 'preact' ? ['preact'] : mounts === 'react' ? ['react', 'react-dom/client'] : [])
    wanted.push({ specifier, from: entry });
  const { packages, broken } = await frame.packages.bundle(wanted);
  const { address } = frame;
  return {
    ...{ type: 'run', id, entry, modules, asked, live },
    page: {
      ...{ address, packages, broken },
      html: page?.html ?? '',
      outside: page?.outside ?? [],
      globals: files.globals,
      ...(page && files.carriedWith ? { carried: files.carriedWith(page) } : {}),
      ...(mounts === undefined ? {} : { mounts }),
    },
  };
}
