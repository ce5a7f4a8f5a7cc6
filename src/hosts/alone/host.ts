/** A worker of the page as the host of a pad: each run gets a fresh one, and is ended with it. */
import { deliver, garbledStop, type Running } from '../../session/delivering.js';
import { LastCounts } from '../../session/last-counts.js';
import type { Host, RunHandle, RunRequest, RunSink } from '../../session/host.js';
import { checkFromRelay } from '../../wire/messages.js';
import type { ModuleCode } from '../../wire/modules.js';
import type { RawStop, Warmed } from '../../wire/runs.js';
import type { ToThread } from './messages.js';

/** Milliseconds between two questions whether it answers. */
const BEAT_MS = 250;
/** Milliseconds after which the next worker gets ready beside one that goes on. */
const SPARE_MS = 60;

/** A worker with the runtime in it. */
export interface PadWorker {
  say(message: ToThread): void;
  end(): void;
  onsaid?: (message: unknown) => void;
  onfail?: (why: string) => void;
}

/** What a page host is given. */
export interface AloneParts {
  worker(): PadWorker;
  /** One did not answer: what is around it may be lost as well, and is made anew. */
  renew(): void;
  /** A script that declares the packages of the pad. */
  packages: string;
  /** A script that gives the worker what parses separated values. */
  tables(): string;
  /** The bytes of a file that was published with the pad. */
  bytesOf(file: string): Uint8Array;
}

export class AloneHost implements Host {
  readonly kind = 'worker';
  private readonly parts: AloneParts;
  private spare: PadWorker | undefined;
  private ends: (() => void) | undefined;
  private rehearsal: ModuleCode[] = [];
  private isClosed = false;

  constructor(parts: AloneParts) {
    this.parts = parts;
  }

  warm(_packages: readonly Warmed[], rehearsal: ModuleCode[]): void {
    this.rehearsal = rehearsal;
    this.getReady();
  }

  /** The next worker, in which our own functions are compiled before a pad comes. */
  private getReady(): void {
    if (this.spare || this.isClosed) return;
    this.spare = this.parts.worker();
    this.spare.say({ type: 'rehearse', modules: this.rehearsal });
  }

  run(request: RunRequest, sink: RunSink): RunHandle {
    this.ends?.();
    const worker = this.spare ?? this.parts.worker();
    this.spare = undefined;
    // Two of them that begin at once are both late.
    setTimeout(() => this.getReady(), SPARE_MS);
    const running: Running = { request, sink, told: false };
    const { id, entry, modules, hangMs } = request;
    const counted = new LastCounts();
    let answeredAt = performance.now();
    let isOver = false;
    const say = (message: ToThread): void => {
      if (!isOver) worker.say(message);
    };
    const end = (stop?: RawStop): void => {
      if (isOver) return;
      isOver = true;
      clearInterval(beat);
      worker.end();
      if (stop) sink.stopped(stop);
    };
    this.ends = () => end();
    const beat = setInterval(() => {
      if (performance.now() - answeredAt > hangMs) {
        end({ reason: 'not-answering', ...counted.stop });
        this.spare = undefined;
        this.parts.renew();
        this.getReady();
      } else say({ type: 'ping' });
    }, BEAT_MS);
    worker.onsaid = (data) => {
      const { type } = data as { type?: unknown };
      if (isOver || type === 'here') return;
      if (type === 'pong') {
        answeredAt = performance.now();
        return;
      }
      const checked = checkFromRelay(data);
      if (!checked.ok) {
        end(garbledStop(checked.why));
        return;
      }
      const { message } = checked;
      if (message.type === 'settled') this.getReady();
      if (message.type === 'started' || message.type === 'ready') return;
      if (message.type === 'batch') counted.note(message.batch);
      deliver(message, running, (answer) => void (answer.type === 'resolved' && say(answer)));
    };
    worker.onfail = (why) => end({ reason: 'crashed', detail: why });
    const { input } = request.asked;
    const asked =
      input && 'file' in input
        ? { ...request.asked, input: { name: input.name, bytes: this.parts.bytesOf(input.file) } }
        : request.asked;
    const tables = input === undefined ? '' : this.parts.tables();
    say({ type: 'run', id, entry, modules, asked, packages: this.parts.packages, tables });
    return {
      cancel: () => end(),
      expire: () => end({ reason: 'time-limit', ...counted.stop }),
      look: (ask, asked) => say({ type: 'look', id, ask, request: asked }),
      act: (action) => say({ type: 'act', action }),
      pause: (ask, asked) => say({ type: 'pause', id, ask, request: asked }),
    };
  }

  close(): Promise<void> {
    this.isClosed = true;
    this.ends?.();
    this.spare?.end();
    this.spare = undefined;
    return Promise.resolve();
  }
}
