/** A page as the host of a pad: each run gets a fresh document in the frame that shows it. */
import type { Host, RunHandle, RunRequest, RunSink } from '../../session/host.js';
import type { RawStop } from '../../wire/runs.js';
import { deliver, garbledStop, type Running } from '../node/delivering.js';
import type { PageFiles } from './files.js';
import type { FrameListener, PageFrame } from './frame.js';
import { mountsOf } from './kinds.js';
import type { Wanted } from './packages.js';

/** What a page host tells beside the runs. */
export interface PageEvents {
  /** A frame is there, and nothing runs in it: the page is to be executed. */
  anew(): void;
  /** A run is on the screen, or was not put there because it failed. */
  painted(id: number, shown: boolean): void;
  /** The frame is lost, and another one has to be made. */
  lost(): void;
}

export class PageHost implements Host {
  readonly kind = 'page';
  private running: Running | undefined;
  /** The last run, while nobody is there to be told of it. */
  private waiting: (() => void) | undefined;

  constructor(
    private readonly frame: PageFrame,
    private readonly files: PageFiles,
    private readonly textOf: (file: string) => string,
    private readonly events: PageEvents,
  ) {
    frame.listener = this.listener();
  }

  private listener(): FrameListener {
    return {
      told: (message) => {
        const { running } = this;
        if (!running || ('id' in message && message.id !== running.request.id)) return;
        deliver(message, running, (answer) => void (answer.type === 'resolved' && this.frame.send(answer)));
      },
      garbled: (why) => this.end(garbledStop(why)),
      painted: (id, shown) => this.events.painted(id, shown),
      came: () => {
        const { waiting } = this;
        this.waiting = undefined;
        if (waiting) waiting();
        else this.events.anew();
      },
      lost: (why, detail) => {
        this.end({ reason: why, ...(detail === undefined ? {} : { detail }) });
        this.events.lost();
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
    const { frame } = this;
    void runMessage(request, this.frame, this.files, this.textOf, false).then((message) => {
      if (this.running !== running) return;
      const send = (): void => {
        if (this.running === running && !frame.send(message)) this.waiting = send;
      };
      send();
    });
    const { id } = request;
    return {
      cancel: () => {
        if (this.running === running) this.running = undefined;
        frame.send({ type: 'cancel', id });
      },
      expire: () => this.end({ reason: 'time-limit' }),
      look: (ask, asked) => void frame.send({ type: 'look', id, ask, request: asked }),
      act: (action) => void frame.send({ type: 'act', id, action }),
      pause: (ask, asked) => void frame.send({ type: 'pause', id, ask, request: asked }),
    };
  }

  close(): Promise<void> {
    this.running = undefined;
    this.waiting = undefined;
    this.frame.listener = undefined;
    return Promise.resolve();
  }
}

/** A run as a frame takes it, with the packages that it needs. */
export async function runMessage(
  { id, entry, modules, asked }: RunRequest,
  frame: PageFrame,
  files: PageFiles,
  textOf: (file: string) => string,
  live: boolean,
): Promise<Parameters<PageFrame['send']>[0]> {
  const page = files.pageOf(textOf(entry));
  const mounts = page ? undefined : mountsOf(textOf(entry), entry);
  const wanted: Wanted[] = modules.flatMap(({ file, links, dynamic }) =>
    [...links, ...Object.values(dynamic)]
      .filter(({ kind, target }) => kind === 'package' && !/^(?:https?|data|blob):/.test(target))
      .map(({ target, base }) => ({ specifier: target, from: base ?? file })),
  );
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
      ...(mounts === undefined ? {} : { mounts }),
    },
  };
}
