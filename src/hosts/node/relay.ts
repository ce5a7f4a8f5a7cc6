/**
 * Between session and pads, in the pads' process: keeps ready threads, passes
 * messages on, and watches. It never runs code of the person, so it goes on
 * answering while a pad loops; exact counts are in memory it shares with the pad.
 */
import type { MessagePort, Worker } from 'node:worker_threads';
import type { RawStop } from '../../wire/runs.js';
import type { Channel } from './channel.js';
import type { LookAnswer } from '../../wire/looking.js';
import {
  checkFromPad,
  type FromPad,
  type FromRelay,
  type LiveAnswer,
  type ToPad,
  type ToRelay,
} from '../../wire/messages.js';
import type { Batch } from '../../wire/reports.js';

/** A thread that can run one pad. */
export interface PadThread {
  port: Pick<MessagePort, 'postMessage'> & { on(event: 'message', listener: (message: unknown) => void): unknown };
  worker?: Worker;
  /** Ends the thread; on a main thread only the session can, by ending the process. */
  end(): void;
  ready: boolean;
}

interface Running {
  id: number;
  thread: PadThread;
  cells: Map<number, Float64Array>;
  before: Map<number, Float64Array>;
  answeredAt: number;
  /** Processor time of this process when the target answered last, in milliseconds. */
  usedThen: number;
  hangMs: number;
  over: boolean;
  wakes: Map<number, SharedArrayBuffer>;
  beat: NodeJS.Timeout;
}

const BEAT_MS = 200;

export class Relay {
  private readonly ready: PadThread[] = [];
  private running: Running | undefined;
  private queued: Extract<ToRelay, { type: 'run' }> | undefined;
  /** Groups that the pad's processes lead; they are ended with it. */
  readonly started: number[] = [];
  private preparing: NodeJS.Timeout | undefined;

  /**
   * @param make starts a thread
   * @param keep how many threads wait ahead of need
   */
  constructor(
    private readonly channel: () => Channel,
    private readonly make: () => PadThread,
    private readonly keep: () => number,
    private readonly memoryMb: () => number,
  ) {}

  receive(message: ToRelay): void {
    switch (message.type) {
      case 'run':
        this.queued = message;
        this.next();
        break;
      case 'cancel':
        if (this.queued?.id === message.id) this.queued = undefined;
        if (this.running?.id === message.id) this.finish(this.running);
        break;
      case 'expire':
        if (this.running?.id === message.id) this.expire(this.running);
        break;
      case 'resolved': {
        const { running } = this;
        if (running?.id !== message.id) break;
        this.post(running.thread, { type: 'resolved', ask: message.ask, answer: message.answer });
        const wake = running.wakes.get(message.ask);
        if (wake) {
          const flag = new Int32Array(wake);
          Atomics.store(flag, 0, 1);
          Atomics.notify(flag, 0);
          running.wakes.delete(message.ask);
        }
        break;
      }
      case 'look':
        if (this.running?.id === message.id)
          this.post(this.running.thread, { type: 'look', ask: message.ask, request: message.request });
        else
          this.say({
            type: 'looked',
            id: message.id,
            ask: message.ask,
            answer: { is: 'gone', why: 'The program of this run has ended.' },
          });
        break;
      case 'act':
        if (this.running?.id === message.id && !this.running.over) {
          const { running } = this;
          // What it sets off is watched again.
          clearInterval(running.beat);
          answered(running);
          running.beat = setInterval(() => this.beat(running), BEAT_MS);
          this.post(running.thread, { type: 'act', action: message.action });
        }
        break;
      case 'change':
        if (this.running?.id === message.id)
          this.post(this.running.thread, { type: 'change', ask: message.ask, change: message.change });
        break;
    }
  }

  /** Starts threads up to the number kept. */
  prepare(): void {
    this.preparing = undefined;
    const pending = this.ready.length;
    for (let i = pending; i < this.keep(); i++) this.add();
  }

  private prepareSoon(ms: number): void {
    this.preparing ??= setTimeout(() => this.prepare(), ms);
  }

  private add(): void {
    const thread = this.make();
    this.ready.push(thread);
    thread.port.on('message', (given) => {
      const checked = checkFromPad(given);
      if (!checked.ok) {
        this.refuse(thread, checked.why);
        return;
      }
      const { message } = checked;
      if (message.type === 'ready') {
        thread.ready = true;
        this.say({ type: 'ready' });
        this.next();
      } else if (this.running?.thread === thread) this.fromPad(this.running, message);
    });
    thread.worker?.on('error', (error: Error & { code?: string }) => {
      const { running } = this;
      if (running?.thread !== thread) {
        this.drop(thread);
        return;
      }
      if (error.code === 'ERR_WORKER_OUT_OF_MEMORY')
        this.stop(running, { reason: 'memory', detail: `limit ${this.memoryMb()} MB` });
      else this.stop(running, { reason: 'crashed', detail: error.message });
    });
    thread.worker?.on('exit', (code) => {
      if (this.running?.thread === thread) this.stop(this.running, { reason: code === 0 ? 'exit' : 'crashed', code });
      else this.drop(thread);
    });
  }

  /** What a pad posts to its parent that is no message of ours costs it its run. */
  private refuse(thread: PadThread, why: string): void {
    if (this.running?.thread === thread) this.stop(this.running, { reason: 'garbled', detail: why });
    else this.drop(thread);
  }

  private drop(thread: PadThread): void {
    const at = this.ready.indexOf(thread);
    if (at >= 0) this.ready.splice(at, 1);
  }

  private next(): void {
    if (!this.queued) return;
    const previous = this.running;
    const index = this.ready.findIndex((thread) => thread.ready);
    if (index < 0) {
      if (previous) this.finish(previous);
      if (this.ready.length === 0) this.prepare();
      return;
    }
    const [thread] = this.ready.splice(index, 1);
    const message = this.queued;
    this.queued = undefined;
    const running: Running = {
      id: message.id,
      thread: thread!,
      cells: new Map(),
      before: new Map(),
      answeredAt: Date.now(),
      usedThen: usedMs(),
      hangMs: message.hangMs,
      over: false,
      wakes: new Map(),
      beat: setInterval(() => this.beat(running), BEAT_MS),
    };
    this.running = running;
    this.post(thread!, {
      type: 'run',
      entry: message.entry,
      modules: message.modules,
      argv: message.argv,
      asked: message.asked,
    });
    if (previous) this.finish(previous);
    // The next thread starts while this one runs, but leaves it, and whoever shows its values, the first moments.
    if (this.keep() > 1) this.prepareSoon(this.ready.length > 0 ? 90 : 10);
  }

  private fromPad(running: Running, message: FromPad): void {
    const { id } = running;
    switch (message.type) {
      // Only an answer shows that its event loop turns; a loop that never ends may go on reporting.
      case 'pong':
        answered(running);
        break;
      case 'cells':
        running.cells.set(message.unit, new Float64Array(message.cells));
        break;
      case 'batch':
        // What is in it, the session looks at.
        this.say({ type: 'batch', id, batch: message.batch as Batch });
        break;
      case 'settled':
        this.say({ type: 'settled', id, durationMs: message.durationMs });
        break;
      case 'result':
        this.say({ type: 'result', id, result: message.result });
        break;
      case 'idle':
        clearInterval(running.beat);
        this.say({ type: 'idle', id });
        break;
      case 'needs-process':
        this.say({ type: 'needs-process', id, what: message.what });
        break;
      case 'started':
        this.started.push(message.pid);
        this.say({ type: 'started', id, pid: message.pid });
        break;
      case 'resolve':
        if (message.wake) running.wakes.set(message.ask, message.wake);
        this.say({ type: 'resolve', id, ask: message.ask, specifier: message.specifier, from: message.from });
        break;
      case 'changed':
        this.say({ type: 'changed', id, ask: message.ask, answer: message.answer as LiveAnswer });
        break;
      case 'live':
        this.say({ type: 'live', id, event: message.event });
        break;
      case 'looked':
        this.say({ type: 'looked', id, ask: message.ask, answer: message.answer as LookAnswer });
        break;
      case 'leaving': {
        running.over = true;
        clearInterval(running.beat);
        const stop: RawStop = {
          reason: message.reason,
          frames: message.frames,
          counts: countsOf(running.cells),
          ...(message.code === undefined ? {} : { code: message.code }),
        };
        this.channel().send({ type: 'stopped', id, stop } satisfies FromRelay, () => {
          const flag = new Int32Array(message.told);
          Atomics.store(flag, 0, 1);
          Atomics.notify(flag, 0);
        });
        break;
      }
    }
  }

  /** One heartbeat: asks, looks at the counts, ends what does not answer or eats all memory. */
  private beat(running: Running): void {
    if (running.over) return;
    const silent = Date.now() - running.answeredAt;
    // A target that had no processor is not one that goes round: it is given more time by the clock.
    if (silent > running.hangMs && (usedMs() - running.usedThen > running.hangMs / 2 || silent > running.hangMs * 4)) {
      this.stop(running, { reason: 'not-answering' });
      return;
    }
    if (running.thread.worker && process.memoryUsage.rss() > (this.memoryMb() * 2 + 512) * 1024 * 1024) {
      this.stop(running, {
        reason: 'memory',
        detail: `the process reached ${Math.round(process.memoryUsage.rss() / 1024 / 1024)} MB`,
      });
      return;
    }
    this.post(running.thread, { type: 'ping' });
    if (silent > BEAT_MS * 1.5) {
      // Where it is, in case it never answers again.
      for (const [unit, cells] of running.cells) running.before.set(unit, cells.slice());
    }
  }

  private expire(running: Running): void {
    if (Date.now() - running.answeredAt < BEAT_MS * 2) {
      this.stop(running, { reason: 'time-limit' });
      return;
    }
    for (const [unit, cells] of running.cells) running.before.set(unit, cells.slice());
    // Long enough for it to go round once more, so that it can be said where.
    const until = Date.now() + 600;
    const look = setInterval(() => {
      if (!this.moved(running) && Date.now() < until) return;
      clearInterval(look);
      this.stop(running, { reason: 'not-answering' });
    }, 30);
  }

  private moved({ cells, before }: Running): boolean {
    return [...cells].some(([unit, counts]) => counts.some((count, cell) => count > (before.get(unit)?.[cell] ?? 0)));
  }

  private stop(running: Running, stop: RawStop): void {
    if (running.over) return;
    running.over = true;
    const active: NonNullable<RawStop['active']> = [];
    for (const [unit, cells] of running.cells) {
      const before = running.before.get(unit);
      for (let cell = 0; cell < cells.length; cell++) {
        const by = cells[cell]! - (before?.[cell] ?? 0);
        if (by > 0) active.push({ unit, cell, by });
      }
    }
    active.sort((a, b) => b.by - a.by);
    this.say({
      type: 'stopped',
      id: running.id,
      stop: { ...stop, active: active.slice(0, 200), counts: countsOf(running.cells) },
    });
    this.finish(running);
  }

  private finish(running: Running): void {
    running.over = true;
    clearInterval(running.beat);
    running.thread.end();
    if (this.running === running) this.running = undefined;
    if (this.keep() > 1) this.prepareSoon(this.ready.length > 0 ? 90 : 5);
  }

  private post(thread: PadThread, message: ToPad): void {
    thread.port.postMessage(message);
  }

  private say(message: FromRelay): void {
    this.channel().send(message);
  }
}

function usedMs(): number {
  const { user, system } = process.cpuUsage();
  return (user + system) / 1_000;
}

function answered(running: Running): void {
  running.answeredAt = Date.now();
  running.usedThen = usedMs();
}

function countsOf(cells: Map<number, Float64Array>): { unit: number; cells: Float64Array }[] {
  return [...cells].map(([unit, counts]) => ({ unit, cells: Float64Array.from(counts) }));
}
