/** The process of a live program, and the way to it. */
import { resolve } from 'node:path';
import type { RunRequest } from '../../session/host.js';
import type { LiveHandle, LiveHost, LiveSink } from '../../session/live/events.js';
import type { LookAnswer, LookRequest, NamesRequest } from '../../wire/looking.js';
import type { FromRelay, LiveAnswer, PadData } from '../../wire/messages.js';
import type { LiveChange } from '../../wire/modules.js';
import type { HoldAnswer, HoldRequest } from '../../wire/holding.js';
import type { PauseAnswer, PauseRequest } from '../../wire/pausing.js';
import type { RawError } from '../../wire/reports.js';
import type { RawStop } from '../../wire/runs.js';
import { PadProcess } from './host.js';
import { endedAnswer, LiveReplies } from './live-replies.js';
import type { Participants } from './participants.js';

export interface LiveOptions {
  /** First file of the program. */
  file: string;
  argv?: readonly string[];
  cwd?: string;
  env?: NodeJS.ProcessEnv;
  /** `inherit`: the program has this process's input and output. `pipe`: output goes to `onOutput`. */
  stdio?: 'inherit' | 'pipe';
  /** Heap limit of the program in megabytes; 0, the default, leaves the engine's own. */
  memoryMb?: number;
  onOutput?: (stream: 'stdout' | 'stderr', text: string) => void;
}

/** Changes that are planned and forgotten before the first save, and milliseconds between two. */
const REHEARSALS = 15;
const REHEARSAL_MS = 60;

/** Why nothing is answered any more. */
const ENDED = 'the program has ended';

/** The end of a program's process. */
export interface ProcessExit {
  code: number | null;
  signal: NodeJS.Signals | null;
}

export class NodeLiveHost implements LiveHost {
  readonly kind = 'process';
  exit: ProcessExit | undefined;
  /** Where what the program starts comes to. */
  invite: () => Participants | undefined = () => undefined;
  /** Gets the engine ready for the first save, a step at a time. */
  rehearse: (step: number) => void = () => undefined;
  private child: LiveChild | undefined;

  constructor(private readonly options: LiveOptions) {}

  start(request: RunRequest, sink: LiveSink): LiveHandle {
    const participants = this.invite();
    const child = (this.child = new LiveChild(this.options, participants?.invitation, request.id, sink, (exit) => {
      this.exit = exit;
      participants?.close();
    }));
    this.rehearseFor(child);
    child.run(request);
    return {
      cancel: () => child.kill(),
      expire: () => child.kill(),
      look: (asked) => child.look(asked),
      change: (change) => child.change(change),
      pause: (request) => child.pause(request),
      hold: (request) => child.hold(request),
    };
  }

  private rehearseFor(child: LiveChild): void {
    let steps = 0;
    const rehearsal = setInterval(() => {
      if (!child.alive || ++steps > REHEARSALS) clearInterval(rehearsal);
      else this.rehearse(steps);
    }, REHEARSAL_MS);
    rehearsal.unref();
  }

  get pid(): number | undefined {
    return this.child?.pid;
  }

  close(): Promise<void> {
    this.child?.kill();
    return Promise.resolve();
  }
}

class LiveChild {
  private readonly process: PadProcess;
  private readonly replies = new LiveReplies();
  /** Why the program is about to end, as it has told. */
  private stop: RawStop | undefined;
  /** Messages behind the answer to a change, until whoever waits for that has had it. */
  private held: FromRelay[] | undefined;

  /** @param id of the run */
  constructor(
    private readonly options: LiveOptions,
    invitation: Participants['invitation'] | undefined,
    private readonly id: number,
    private readonly sink: LiveSink,
    onExit: (exit: ProcessExit) => void,
  ) {
    const { stdio = 'inherit', onOutput, memoryMb, cwd = '.', env = process.env } = options;
    const data: PadData & { memoryMb: number } = { warm: [], rehearsal: [], place: 'process', live: true, memoryMb: 0 };
    this.process = new PadProcess(
      'process-main',
      [JSON.stringify(data)],
      {
        cwd: resolve(cwd),
        env: { ...env, ...invitation?.env },
        memoryMb: 0,
        flags: [...(invitation?.flags ?? []), ...(memoryMb ? [`--max-old-space-size=${memoryMb}`] : [])],
        argv: [],
        stdin: stdio === 'inherit' ? 'inherit' : 'ignore',
        inOurGroup: true,
      },
      stdio === 'inherit' ? 'inherit' : 'capture',
      (message) => this.deliver(message),
      (why, broken) => {
        // Its record is told; the program is its own, and goes on as long as it can be reached.
        sink.batch({ moment: 0, errors: [garbledError(why)] });
        if (broken) this.kill();
      },
      (stream, text) => onOutput?.(stream, text),
      (code, signal) => {
        onExit({ code, signal });
        this.replies.end(ENDED);
        sink.stopped(this.stop ?? (signal ? { reason: 'killed', code: signal } : { reason: 'exit', code: code ?? 0 }));
      },
    );
  }

  get alive(): boolean {
    return this.process.alive;
  }

  get pid(): number | undefined {
    return this.process.child.pid;
  }

  kill(): void {
    this.process.kill();
  }

  run({ id, entry, modules, asked }: RunRequest): void {
    const argv = [...(this.options.argv ?? [])];
    this.process.send({ type: 'run', id, entry, modules, hangMs: Number.MAX_SAFE_INTEGER, argv, asked });
  }

  look(request: LookRequest | NamesRequest): Promise<LookAnswer> {
    if (!this.alive) return Promise.resolve({ is: 'gone', why: 'The program has ended.' });
    return this.replies.looks.ask((ask) => this.process.send({ type: 'look', id: this.id, ask, request }));
  }

  change(change: LiveChange): Promise<LiveAnswer> {
    if (!this.alive) return Promise.resolve(endedAnswer(ENDED));
    return this.replies.changes.ask((ask) => this.process.send({ type: 'change', id: this.id, ask, change }));
  }

  pause(request: PauseRequest): Promise<PauseAnswer> {
    if (!this.alive) return Promise.resolve({ is: 'cannot', why: ENDED });
    return this.replies.pauses.ask((ask) => this.process.send({ type: 'pause', id: this.id, ask, request }));
  }

  hold(request: HoldRequest): Promise<HoldAnswer> {
    if (!this.alive) return Promise.resolve({ is: 'cannot', why: ENDED });
    return this.replies.holds.ask((ask) => this.process.send({ type: 'hold', id: this.id, ask, request }));
  }

  /**
   * What the program tells behind the answer to a change is about the changed program: whoever waits for the answer
   * comes first.
   */
  private deliver(message: FromRelay): void {
    if (this.held) {
      this.held.push(message);
      return;
    }
    this.take(message);
    if (message.type !== 'changed') return;
    this.held = [];
    setImmediate(() => {
      const list = this.held ?? [];
      this.held = undefined;
      for (const one of list) this.deliver(one);
    });
  }

  private take(message: FromRelay): void {
    if (message.type === 'stopped') this.stop = message.stop;
    const { id } = this;
    this.replies.take(
      message,
      this.sink,
      (ask, answer) => void this.process.send({ type: 'resolved', id, ask, answer }),
    );
  }
}

/** The program wrote to the pipe by which it is looked at. */
function garbledError(why: string): RawError {
  const message =
    `what came from the program is no message of ours (${why}): its code ` +
    'uses the channel by which it is looked at';
  return { kind: 'uncaught', moment: 0, name: 'E_GARBLED', message, frames: [] };
}
