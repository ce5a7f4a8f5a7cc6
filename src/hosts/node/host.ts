/** Hosts in Node: pads run in processes of their own, which are replaced when they die. */
import type { ChildProcess } from 'node:child_process';
import type { Duplex } from 'node:stream';
import type { ModuleCode } from '../../wire/modules.js';
import type { Host, RunHandle, RunRequest, RunSink } from '../../session/host.js';
import type { RawStop, Warmed } from '../../wire/runs.js';
import { Channel } from './channel.js';
import {
  deliver,
  exitStop,
  garbledStop,
  outputBatch,
  type FromProcess,
  type Running,
} from '../../session/delivering.js';
import { killGroup } from './group.js';
import { checkFromRelay, type PadData, type ToRelay } from '../../wire/messages.js';
import type { EntryName } from './entries.js';
import { type HostPlugin, onceArgs, spawnPad } from './spawning.js';

export interface NodeHostOptions {
  /** Working directory of pads. */
  cwd: string;
  /** Heap limit of one pad. */
  memoryMb: number;
  env: NodeJS.ProcessEnv;
  /** Arguments the pad finds behind its name in `process.argv`. */
  argv: readonly string[];
  /** What a pad on a main thread reads from standard input. */
  stdin: 'ignore' | 'inherit';
  /** One run is all: nothing is made ready for a next one. */
  once?: boolean;
  /** What a pad starts goes on when its run ends. */
  keepStarted?: boolean;
  /** What changes something outside of the pad is held. */
  careful?: boolean;
  /** It shares the group, and so the terminal, of this process: a program that is started in place of itself. */
  inOurGroup?: boolean;
  /** More flags for the engine. */
  flags?: readonly string[];
  /** The project starts its processes in another way. */
  host?: HostPlugin;
}

/** One child process with its channel. */
class PadProcess {
  readonly child: ChildProcess;
  readonly channel: Channel;
  alive = true;
  private readonly endsAll: boolean;
  private readonly started: number[] = [];

  constructor(
    entry: EntryName,
    args: string[],
    options: NodeHostOptions,
    stdio: 'capture' | 'inherit',
    onMessage: (message: FromProcess) => void,
    /**
     * What arrived is no message of ours: a pad that writes to our pipe. `broken`: nothing more can be read from it.
     */
    onGarbled: (why: string, broken: boolean) => void,
    onOutput: (level: 'stdout' | 'stderr', text: string) => void,
    /** `why`: it could not be started. */
    onExit: (code: number | null, signal: NodeJS.Signals | null, why?: string) => void,
  ) {
    const ownGroup = !options.inOurGroup && process.platform !== 'win32';
    this.endsAll = ownGroup && !options.keepStarted;
    this.child = spawnPad({
      entry,
      args,
      flags: options.flags ?? [],
      cwd: options.cwd,
      env: options.env,
      ownGroup,
      stdin: options.stdin,
      output: stdio === 'inherit' ? 'inherit' : 'pipe',
      host: options.host,
    });
    this.channel = new Channel(
      this.child.stdio[3] as Duplex,
      (given) => {
        const checked = checkFromRelay(given);
        if (checked.ok) {
          if (checked.message.type === 'started') this.started.push(checked.message.pid);
          else onMessage(checked.message);
        } else onGarbled(checked.why, false);
      },
      () => onGarbled('bytes that are no message', true),
    );
    this.child.stdout?.setEncoding('utf8').on('data', (text: string) => onOutput('stdout', text));
    this.child.stderr?.setEncoding('utf8').on('data', (text: string) => onOutput('stderr', text));
    this.child.on('error', ({ message }) => {
      if (this.child.pid !== undefined) return;
      this.alive = false;
      onExit(null, null, `its process cannot be started: ${message}`);
    });
    this.child.on('exit', (code, signal) => {
      this.alive = false;
      this.endStarted();
      onExit(code, signal);
    });
  }

  send(message: ToRelay): void {
    if (this.alive) this.channel.send(message);
  }

  kill(): void {
    if (!this.alive) return;
    this.endStarted();
    this.child.kill('SIGKILL');
  }

  /** Ends what it has started. */
  private endStarted(): void {
    if (!this.endsAll) return;
    for (const pid of this.started.splice(0)) killGroup(pid);
    if (this.child.pid !== undefined) killGroup(this.child.pid);
  }
}

function runMessage({ id, entry, modules, hangMs, asked }: RunRequest, argv: readonly string[]): ToRelay {
  return { type: 'run', id, entry, modules, hangMs, argv: [...argv], asked };
}

function isSame(a: Warmed, b: Warmed): boolean {
  const around = (one: Warmed): string => (one.around ? JSON.stringify(one.around.settings) : '');
  return a.specifier === b.specifier && a.from === b.from && around(a) === around(b);
}

/** Runs pads in worker threads of one child process. */
export class WorkerHost implements Host {
  readonly kind = 'worker';
  private process: PadProcess | undefined;
  private running: Running | undefined;
  private packages: readonly Warmed[] = [];
  private rehearsal: ModuleCode[] = [];
  private closed = false;
  /** Runs that the process has been given. */
  private runs = 0;

  constructor(private readonly options: NodeHostOptions) {
    this.start();
  }

  warm(packages: readonly Warmed[], rehearsal: ModuleCode[]): void {
    if (
      (this.options.once || this.rehearsal === rehearsal) &&
      packages.length === this.packages.length &&
      packages.every((one, i) => isSame(one, this.packages[i]!))
    )
      return;
    this.packages = [...packages];
    this.rehearsal = this.options.once ? [] : rehearsal;
    this.configure();
  }

  run(request: RunRequest, sink: RunSink): RunHandle {
    const running: Running = { request, sink, told: false };
    this.running = running;
    if (!this.process?.alive) this.start();
    this.give(request);
    return {
      cancel: () => {
        if (this.running === running) this.running = undefined;
        this.process?.send({ type: 'cancel', id: request.id });
      },
      expire: () => this.process?.send({ type: 'expire', id: request.id }),
      look: (ask, asked) => this.process?.send({ type: 'look', id: request.id, ask, request: asked }),
      act: (action) => this.process?.send({ type: 'act', id: request.id, action }),
      pause: (ask, asked) => this.process?.send({ type: 'pause', id: request.id, ask, request: asked }),
    };
  }

  close(): Promise<void> {
    this.closed = true;
    this.running = undefined;
    const { process } = this;
    if (!process?.alive) return Promise.resolve();
    return new Promise((resolve) => {
      process.child.once('exit', () => resolve());
      process.kill();
    });
  }

  private start(): void {
    const started: PadProcess = new PadProcess(
      'relay-main',
      this.options.once ? onceArgs(this.options.memoryMb, this.options.careful ?? false) : [],
      { ...this.options, stdin: 'ignore' },
      'capture',
      (message) => this.receive(message),
      (why) => {
        if (this.process === started) this.told(garbledStop(why));
        this.replace(started);
      },
      (level, text) => this.running?.sink.batch(outputBatch(level, text)),
      (code, signal, why) => {
        if (this.process !== started || this.closed) return;
        this.process = undefined;
        if (why === undefined && this.beginsAgain()) return;
        this.told(why === undefined ? exitStop(code, signal) : { reason: 'crashed', detail: why });
        // Ahead of the next edit.
        if (why === undefined) this.start();
      },
    );
    this.process = started;
    this.runs = 0;
    this.configure();
  }

  private give(request: RunRequest): void {
    this.runs++;
    this.process!.send(runMessage(request, this.options.argv));
  }

  /**
   * A run of which nothing was heard yet, in a process that an earlier one has brought to its end: it is begun in
   * another, where nobody was before it.
   */
  private beginsAgain(): boolean {
    const { running, runs } = this;
    if (!running || running.told || running.heard || runs < 2) return false;
    this.start();
    this.give(running.request);
    return true;
  }

  /** What comes next goes to another process than this one. */
  private replace(process: PadProcess): void {
    process.kill();
    if (this.process !== process || this.closed) return;
    this.process = undefined;
    this.start();
  }

  /** The run is over, and is told so once. */
  private told(stop: RawStop): void {
    const { running } = this;
    this.running = undefined;
    if (running && !running.told) running.sink.stopped(stop);
    if (running) running.told = true;
  }

  private configure(): void {
    this.process?.send({
      type: 'configure',
      memoryMb: this.options.memoryMb,
      warm: [...this.packages],
      rehearsal: this.rehearsal,
      once: this.options.once ?? false,
      careful: this.options.careful ?? false,
    });
  }

  private receive(message: FromProcess): void {
    const { running } = this;
    if (message.type === 'ready' || !running || running.request.id !== message.id) return;
    if (message.type === 'stopped' && message.stop.reason === 'killed') {
      // This process is about to die: what comes next goes to a new one.
      const doomed = this.process;
      this.process = undefined;
      this.start();
      setTimeout(() => doomed?.kill(), 500).unref();
    }
    running.heard = true;
    deliver(message, running, (answer) => this.process?.send(answer));
  }
}

/** Runs each pad on the main thread of a process that was started ahead. */
export class ProcessHost implements Host {
  readonly kind = 'process';
  private spare: PadProcess | undefined;
  private readonly receivers = new Map<PadProcess, Running>();
  private closed = false;

  constructor(private readonly options: NodeHostOptions) {
    this.spare = this.start();
  }

  warm(): void {
    // A process runs once; its packages are loaded by the pad itself.
  }

  run(request: RunRequest, sink: RunSink): RunHandle {
    const process = this.spare?.alive ? this.spare : this.start();
    this.spare = undefined;
    const running: Running = { request, sink, told: false };
    this.receivers.set(process, running);
    process.send(runMessage(request, this.options.argv));
    // The next process starts when this run is under way.
    setTimeout(() => {
      if (!this.closed && !this.spare && !this.options.once && this.options.stdin !== 'inherit')
        this.spare = this.start();
    }, 50).unref();
    return {
      cancel: () => {
        this.receivers.delete(process);
        process.kill();
      },
      expire: () => process.send({ type: 'expire', id: request.id }),
      look: (ask, asked) => process.send({ type: 'look', id: request.id, ask, request: asked }),
      act: (action) => process.send({ type: 'act', id: request.id, action }),
      pause: (ask, asked) => process.send({ type: 'pause', id: request.id, ask, request: asked }),
    };
  }

  close(): Promise<void> {
    this.closed = true;
    const all = [this.spare, ...this.receivers.keys()].filter((one): one is PadProcess => one?.alive === true);
    this.receivers.clear();
    for (const process of all) process.kill();
    return Promise.all(
      all.map(
        (process) =>
          new Promise<void>((resolve) => (process.alive ? process.child.once('exit', () => resolve()) : resolve())),
      ),
    ).then(() => undefined);
  }

  private start(): PadProcess {
    const data: PadData & { memoryMb: number } = {
      warm: [],
      rehearsal: [],
      place: 'process',
      live: false,
      keepStarted: this.options.keepStarted ?? false,
      careful: this.options.careful ?? false,
      memoryMb: this.options.memoryMb,
    };
    const started: PadProcess = new PadProcess(
      'process-main',
      [JSON.stringify(data)],
      this.options,
      'capture',
      (message) => {
        const running = this.receivers.get(started);
        if (!running || message.type === 'ready' || running.request.id !== message.id) return;
        deliver(message, running, (answer) => started.send(answer));
      },
      (why) => {
        const running = this.receivers.get(started);
        this.receivers.delete(started);
        if (running && !running.told) running.sink.stopped(garbledStop(why));
        started.kill();
      },
      (level, text) => this.receivers.get(started)?.sink.batch(outputBatch(level, text)),
      (code, signal, why) => {
        if (this.spare === started) this.spare = undefined;
        const running = this.receivers.get(started);
        this.receivers.delete(started);
        if (!running || running.told) return;
        if (why !== undefined) running.sink.stopped({ reason: 'crashed', detail: why });
        else if (code === 0 && signal === null) running.sink.idle();
        else running.sink.stopped(exitStop(code, signal));
      },
    );
    return started;
  }
}

export { PadProcess };
