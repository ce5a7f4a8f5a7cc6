/** A live program in Node: a process of its own with its own standard input, output and exit code. */
import { resolve } from 'node:path';
import type { LookAnswer } from '../../wire/looking.js';
import type { LiveAnswer } from '../../wire/messages.js';
import type { LiveChange } from '../../wire/modules.js';
import type { RawError } from '../../wire/reports.js';
import type { RunRequest } from '../../session/host.js';
import type { RawStop } from '../../wire/runs.js';
import type { LiveHost, LiveSink } from '../../session/live/events.js';
import { LiveSession } from '../../session/live/session.js';
import { NodeFiles } from './files.js';
import { entryOf, PadProcess } from './host.js';
import { nodeLanguage } from './language.js';
import type { FromRelay, PadData } from '../../wire/messages.js';
import { Participants } from './participants.js';

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

/** Changes that are planned and forgotten before the first save. */
const REHEARSALS = 15;

class NodeLiveHost implements LiveHost {
  readonly kind = 'process';
  private process: PadProcess | undefined;
  private readonly asks = new Map<number, (answer: LiveAnswer) => void>();
  private readonly looks = new Map<number, (answer: LookAnswer) => void>();
  private ask = 0;
  exit: { code: number | null; signal: NodeJS.Signals | null } | undefined;

  private participants: Participants | undefined;
  /** Where what the program starts comes to. */
  invite: () => Participants | undefined = () => undefined;
  /** Gets the engine ready for the first save, a step at a time. */
  rehearse: (step: number) => void = () => undefined;

  constructor(private readonly options: LiveOptions) {}

  start(request: RunRequest, sink: LiveSink): ReturnType<LiveHost['start']> {
    const data: PadData & { memoryMb: number } = { warm: [], rehearsal: [], place: 'process', live: true, memoryMb: 0 };
    const { stdio = 'inherit', onOutput } = this.options;
    let last: RawStop | undefined;
    this.participants = this.invite();
    const invitation = this.participants?.invitation ?? { env: {}, flags: [] };
    const process = new PadProcess(
      entryOf('process-main'),
      [JSON.stringify(data)],
      {
        cwd: resolve(this.options.cwd ?? '.'),
        env: { ...(this.options.env ?? globalThis.process.env), ...invitation.env },
        memoryMb: 0,
        flags: [
          ...invitation.flags,
          ...(this.options.memoryMb ? [`--max-old-space-size=${this.options.memoryMb}`] : []),
        ],
        argv: [],
        stdin: stdio === 'inherit' ? 'inherit' : 'ignore',
      },
      stdio === 'inherit' ? 'inherit' : 'capture',
      (message) => deliver(message),
      (why, broken) => {
        // Its record is told; the program is its own, and goes on as long as it can be reached.
        sink.batch({ moment: 0, errors: [garbledError(why)] });
        if (broken) process.kill();
      },
      (stream, text) => onOutput?.(stream, text),
      (code, signal) => {
        this.exit = { code, signal };
        this.participants?.close();
        this.participants = undefined;
        const error: RawError = {
          kind: 'thrown',
          moment: 0,
          name: 'Error',
          message: 'the program has ended',
          frames: [],
        };
        for (const answer of this.asks.values())
          answer({ failed: { step: -1, error }, objects: 0, resumed: [], pauseMs: 0 });
        this.asks.clear();
        for (const answer of this.looks.values()) answer({ is: 'gone', why: 'The program has ended.' });
        this.looks.clear();
        sink.stopped(last ?? (signal ? { reason: 'killed', code: signal } : { reason: 'exit', code: code ?? 0 }));
      },
    );
    // What the program tells behind the answer to a change is about the changed program: whoever waits for the answer comes first.
    let held: FromRelay[] | undefined;
    const deliver = (message: FromRelay): void => {
      if (held) {
        held.push(message);
        return;
      }
      take(message);
      if (message.type !== 'changed') return;
      held = [];
      setImmediate(() => {
        const list = held ?? [];
        held = undefined;
        for (const one of list) deliver(one);
      });
    };
    const take = (message: FromRelay): void => {
      switch (message.type) {
        case 'batch':
          sink.batch(message.batch);
          break;
        case 'stopped':
          last = message.stop;
          break;
        case 'resolve':
          process.send({
            type: 'resolved',
            id: message.id,
            ask: message.ask,
            answer: sink.resolve(message.specifier, message.from),
          });
          break;
        case 'changed':
          this.asks.get(message.ask)?.(message.answer);
          this.asks.delete(message.ask);
          break;
        case 'looked':
          this.looks.get(message.ask)?.(message.answer);
          this.looks.delete(message.ask);
          break;
        case 'live':
          sink.news(message.event);
          break;
      }
    };
    this.process = process;
    let steps = 0;
    const rehearsal = setInterval(() => {
      if (!process.alive || ++steps > REHEARSALS) clearInterval(rehearsal);
      else this.rehearse(steps);
    }, 60);
    rehearsal.unref();
    process.send({
      type: 'run',
      id: request.id,
      entry: request.entry,
      modules: request.modules,
      hangMs: Number.MAX_SAFE_INTEGER,
      argv: [...(this.options.argv ?? [])],
      asked: {},
    });
    return {
      cancel: () => process.kill(),
      expire: () => process.kill(),
      look: (asked) =>
        new Promise((resolve) => {
          if (!process.alive) {
            resolve({ is: 'gone', why: 'The program has ended.' });
            return;
          }
          const ask = ++this.ask;
          this.looks.set(ask, resolve);
          process.send({ type: 'look', id: request.id, ask, request: asked });
        }),
      change: (change: LiveChange) =>
        new Promise((resolve) => {
          if (!process.alive) {
            resolve({
              failed: {
                step: -1,
                error: { kind: 'thrown', moment: 0, name: 'Error', message: 'the program has ended', frames: [] },
              },
              objects: 0,
              resumed: [],
              pauseMs: 0,
            });
            return;
          }
          const ask = ++this.ask;
          this.asks.set(ask, resolve);
          process.send({ type: 'change', id: request.id, ask, change });
        }),
    };
  }

  get pid(): number | undefined {
    return this.process?.child.pid;
  }

  close(): Promise<void> {
    this.process?.kill();
    return Promise.resolve();
  }
}

/** A live session and what only Node knows of it. */
export interface NodeLive {
  session: LiveSession;
  /** How the program's process ended. */
  exit(): { code: number | null; signal: NodeJS.Signals | null } | undefined;
  pid(): number | undefined;
}

/**
 * Creates a live session for a program of one or more local modules. It starts
 * with `session.start`, and takes changes with `session.changed`.
 */
export function createLive(options: LiveOptions): NodeLive {
  const host = new NodeLiveHost(options);
  const session: LiveSession = new LiveSession(resolve(options.cwd ?? '.', options.file), {
    files: new NodeFiles(),
    language: nodeLanguage,
    host,
  });
  host.rehearse = (step) => session.rehearse(step);
  host.invite = () => new Participants(() => session);
  return { session, exit: () => host.exit, pid: () => host.pid };
}

/** The program wrote to the pipe by which it is looked at. */
function garbledError(why: string): RawError {
  const message = `what came from the program is no message of ours (${why}): its code uses the channel by which it is looked at`;
  return { kind: 'uncaught', moment: 0, name: 'E_GARBLED', message, frames: [] };
}
