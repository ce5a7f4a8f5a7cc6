/**
 * Between session and pads, in the pads' process: keeps ready threads, passes
 * messages on, and watches. It never runs code of the person, so it goes on
 * answering while a pad loops; exact counts are in memory it shares with the pad.
 */
import type { RawStop } from '../../wire/runs.js';
import type { Channel } from './channel.js';
import { KeptThread } from './kept-thread.js';
import {
  answered,
  begun,
  countsOf,
  leavingStop,
  ring,
  wake,
  moved,
  noteCells,
  noteLoading,
  type PadThread,
  reasonToStop,
  type Running,
} from './pad-thread.js';
import { activeCells } from '../../session/last-counts.js';
import type { BesideRequest } from './pausing/beside.js';
import {
  checkFromPad,
  type FromPad,
  type FromRelay,
  type PadData,
  type ToPad,
  type ToRelay,
} from '../../wire/messages.js';
import type { PauseAnswer, PauseNews } from '../../wire/pausing.js';
import type { Batch } from '../../wire/reports.js';
import { handedOn } from './handed-on.js';
import { askedOf, passedOn } from './passed-on.js';

const BEAT_MS = 200;
const OVER = { is: 'gone', why: 'The program of this run has ended.' } as const;
/** Milliseconds after which a second thread is started at the latest. */
const FIRST_MS = 2_000;
/** Milliseconds after a run in a kept thread in which no other is started: a person types. */
const REST_MS = 700;
/**
 * Milliseconds for which a run that nobody wants any more may go on, where its thread would do for the next one: that is
 * there sooner than one which loads its packages.
 */
const GRACE_MS = 700;

export class Relay {
  private readonly ready: PadThread[] = [];
  private running: Running | undefined;
  private queued: Extract<ToRelay, { type: 'run' }> | undefined;
  /** Groups that the pad's processes lead; they are ended with it. */
  readonly started: number[] = [];
  private preparing: NodeJS.Timeout | undefined;
  /** Packages that threads which wait already have not loaded. */
  private warming: PadData['warm'] | undefined;
  private readonly kept = new KeptThread();
  private hasSettled = false;

  /**
   * @param make starts a thread
   * @param limits how many threads wait ahead of need, and megabytes that one may have
   * @param beside stops the thread, where that is the main one of this process
   */
  constructor(
    private readonly channel: () => Channel,
    private readonly make: () => PadThread,
    private readonly limits: { keep(): number; memoryMb(): number },
    private readonly beside?: { take(request: BesideRequest): Promise<void>; soon(): Promise<PauseAnswer> },
  ) {}

  /** Whatever stands still goes on: there is nobody any more who could let it. */
  letGo(): void {
    const thread = this.running?.thread;
    if (thread?.bell) this.post(thread, { type: 'pause', ask: 0, request: { do: 'go', going: { how: 'on' } } });
  }

  receive(message: ToRelay): void {
    switch (message.type) {
      case 'run':
        this.queued = message;
        this.next();
        break;
      case 'cancel':
        if (this.queued?.id === message.id) this.queued = undefined;
        if (this.running?.id === message.id) this.cancel(this.running);
        break;
      case 'expire':
        if (this.running?.id === message.id) this.expire(this.running);
        break;
      case 'resolved': {
        const { running } = this;
        if (running?.id !== message.id) break;
        this.post(running.thread, { type: 'resolved', ask: message.ask, answer: message.answer });
        wake(running, message.ask);
        break;
      }
      case 'look':
        if (this.running?.id === message.id) this.post(this.running.thread, askedOf(message)!);
        else this.say({ type: 'looked', id: message.id, ask: message.ask, answer: OVER });
        break;
      case 'act':
        if (this.running?.id === message.id && !this.running.over) {
          const { running } = this;
          running.unchanged = running.idle = false;
          // What it sets off is watched again.
          clearInterval(running.beat);
          answered(running);
          running.beat = setInterval(() => this.beat(running), BEAT_MS);
          this.post(running.thread, { type: 'act', action: message.action });
        }
        break;
      case 'pause':
      case 'hold':
      case 'change':
        // A thread that is to stop may be busy: the debugger beside it is asked, and not the thread.
        if (message.type === 'pause' && message.request.do === 'pause' && this.beside) {
          const { id, ask } = message;
          void this.beside.soon().then((answer) => this.say({ type: 'answered', id, ask, answer }));
        } else if (this.running?.id === message.id) this.post(this.running.thread, askedOf(message)!);
        break;
    }
  }

  /** A thread may be of use for more than one run. */
  get mayKeep(): boolean {
    return this.kept.isWorth !== false;
  }

  /** Threads that wait load what the next run will need, once the run that comes with this has its first moments. */
  warm(packages: PadData['warm']): void {
    this.warming = packages;
  }

  private warmOthers(): void {
    const { warming } = this;
    this.warming = undefined;
    if (!warming) return;
    for (const thread of this.ready) {
      if (!thread.ready) continue;
      thread.ready = false;
      thread.hasPackages = true;
      this.post(thread, { type: 'warm', packages: warming });
    }
  }

  /** Starts the first thread; the others, once that one has run: until then they would take its processor. */
  begin(): void {
    if (this.ready.length === 0) this.add();
    if (this.limits.keep() > 1 && !this.hasSettled) setTimeout(() => this.settledFirst(), FIRST_MS);
  }

  /** Starts threads up to the number kept. */
  prepare(): void {
    this.preparing = undefined;
    const pending = this.ready.length;
    for (let i = pending; i < this.limits.keep(); i++) this.add();
  }

  private prepareSoon(ms: number): void {
    // Beside the first run nothing is started: it loads its packages.
    if (this.limits.keep() > 1 && this.hasSettled) this.preparing ??= setTimeout(() => this.prepare(), ms);
  }

  private settledFirst(): void {
    if (this.hasSettled) return;
    this.hasSettled = true;
    this.prepareSoon(10);
  }

  private prepareAtRest(): void {
    clearTimeout(this.preparing);
    this.preparing = setTimeout(() => this.prepare(), REST_MS);
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
        if (thread.hasPackages) this.kept.measure(message.loadMs);
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
        this.stop(running, { reason: 'memory', detail: `limit ${this.limits.memoryMb()} MB` });
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
    this.kept.drop(thread);
    const at = this.ready.indexOf(thread);
    if (at >= 0) this.ready.splice(at, 1);
  }

  /** Nobody wants to know of a run any more. */
  private cancel(running: Running): void {
    const stands = running.thread.bell !== undefined;
    if (running.over || running.idle || running.clean || stands || this.kept.isWorth !== true) {
      this.finish(running);
      return;
    }
    running.over = true;
    running.grace = setTimeout(() => this.finishAndGoOn(running), GRACE_MS);
  }

  private finishAndGoOn(running: Running): void {
    if (this.running !== running) return;
    this.finish(running);
    this.next();
  }

  private next(): void {
    if (!this.queued) return;
    const previous = this.running;
    if (previous?.grace && !this.queued.asked.clean) return;
    const index = this.ready.findIndex((thread) => thread.ready);
    const mayKeep = this.kept.isWorth === true && !this.queued.asked.clean;
    // Its thread may be taken for this run.
    if (previous && (mayKeep || index < 0)) this.finish(previous);
    const kept = mayKeep ? this.kept.take() : undefined;
    if (index < 0 && !kept) {
      if (this.ready.length === 0) this.begin();
      return;
    }
    const [thread] = kept ? [kept] : this.ready.splice(index, 1);
    const message = this.queued;
    this.queued = undefined;
    const running = begun(message, thread!, () => this.beat(running), BEAT_MS);
    this.running = running;
    if (kept) this.say({ type: 'kept', id: message.id });
    const { entry, modules, argv, asked } = message;
    this.post(thread!, { type: 'run', entry, modules, argv, asked });
    if (previous && this.running === running && !previous.over) this.finish(previous);
    // Loading packages takes the processor from who types; the thread of this run will do for the next one.
    if (mayKeep && (kept || !previous || previous.unchanged)) {
      this.prepareAtRest();
      return;
    }
    // The next thread starts while this one runs, but leaves it, and whoever shows its values, the first moments.
    this.prepareSoon(this.ready.length > 0 ? 90 : 10);
  }

  private fromPad(running: Running, message: FromPad): void {
    const { id } = running;
    const passed = passedOn(id, message);
    if (passed) {
      this.say(passed);
      return;
    }
    switch (message.type) {
      // Only an answer shows that its event loop turns; a loop that never ends may go on reporting.
      case 'pong':
        answered(running);
        break;
      case 'loading':
        noteLoading(running, message.begins);
        break;
      case 'cells':
        running.cells.set(message.unit, new Float64Array(message.cells));
        break;
      case 'batch':
        // What is in it, the session looks at.
        this.say({ type: 'batch', id, batch: message.batch as Batch }, message.pace && handedOn(message.pace));
        break;
      case 'settled':
        this.say({ type: 'settled', id, durationMs: message.durationMs });
        this.warmOthers();
        this.settledFirst();
        break;
      case 'unchanged':
        running.unchanged = true;
        if (running.grace) this.finishAndGoOn(running);
        break;
      case 'idle':
        clearInterval(running.beat);
        running.idle = true;
        this.say({ type: 'idle', id });
        break;
      case 'started':
        this.started.push(message.pid);
        this.say({ type: 'started', id, pid: message.pid });
        break;
      case 'resolve':
        if (message.wake) running.wakes.set(message.ask, message.wake);
        this.say({ type: 'resolve', id, ask: message.ask, specifier: message.specifier, from: message.from });
        break;
      case 'pausing':
        running.thread.bell = message.bell && new Int32Array(message.bell);
        this.say({ type: 'pausing', id, news: message.news as PauseNews });
        break;
      case 'beside':
        void this.beside?.take(message.request as BesideRequest);
        break;
      case 'leaving': {
        running.over = true;
        clearInterval(running.beat);
        const stop = leavingStop(running, message);
        this.channel().send({ type: 'stopped', id, stop } satisfies FromRelay, () => ring(message.told));
        break;
      }
    }
  }

  /** One heartbeat: asks, looks at the counts, ends what does not answer or eats all memory. */
  private beat(running: Running): void {
    if (running.over) return;
    // It stands still because it is to.
    if (running.thread.bell) {
      answered(running);
      return;
    }
    const stop = reasonToStop(running, this.limits.memoryMb());
    if (stop) {
      this.stop(running, stop);
      return;
    }
    this.post(running.thread, { type: 'ping' });
    // Where it is, in case it never answers again.
    if (Date.now() - running.answeredAt > BEAT_MS * 1.5) noteCells(running);
  }

  private expire(running: Running): void {
    if (Date.now() - running.answeredAt < BEAT_MS * 2) {
      this.stop(running, { reason: 'time-limit' });
      return;
    }
    noteCells(running);
    // Long enough for it to go round once more, so that it can be said where.
    const until = Date.now() + 600;
    const look = setInterval(() => {
      if (!moved(running) && Date.now() < until) return;
      clearInterval(look);
      this.stop(running, { reason: 'not-answering' });
    }, 30);
  }

  private stop(running: Running, stop: RawStop): void {
    if (running.over) return;
    running.over = true;
    running.unchanged = false;
    this.say({
      type: 'stopped',
      id: running.id,
      stop: { ...stop, active: activeCells(running), counts: countsOf(running.cells) },
    });
    this.finish(running);
  }

  private finish(running: Running): void {
    running.over = true;
    clearInterval(running.beat);
    clearTimeout(running.grace);
    if (this.running === running) this.running = undefined;
    if (running.unchanged && this.kept.isWorth) {
      this.kept.put(running.thread);
      return;
    }
    running.thread.end();
    this.prepareSoon(this.ready.length > 0 ? 90 : 5);
  }

  private post(thread: PadThread, message: ToPad): void {
    thread.port.postMessage(message);
    if (!thread.bell) return;
    Atomics.add(thread.bell, 0, 1);
    Atomics.notify(thread.bell, 0);
  }

  private say(message: FromRelay, done?: () => void): void {
    this.channel().send(message, done);
  }
}
