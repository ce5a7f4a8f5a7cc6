/**
 * Drives the engine's debugger of a process's main thread from a thread beside it. So the main thread can be stopped
 * wherever it is, and leave frames without running anything of theirs. What is to be known of the frames, and who is
 * asked how it goes on, is the main thread's own affair: it is called there while it stands.
 */
import { Session } from 'node:inspector';
import type { EngineGoing } from '../../../runtime/pausing/engine.js';
import { NO_DEBUGGER } from '../../../wire/constants.js';
import type { PauseAnswer } from '../../../wire/pausing.js';
import { ReturnNet } from './return-net.js';
import { placesOf, type PausedEvent } from './thread-frames.js';

/** The global symbol of what the main thread is asked through. */
export const STAND = 'usher-anvil/stand@1';

/** What the main thread asks of the thread beside it. `flag` is set to 1 when that is done, to 2 where it cannot be. */
export type BesideRequest =
  | { do: 'stop'; flag: SharedArrayBuffer }
  | { do: 'errors'; on: boolean; flag: SharedArrayBuffer }
  /** The process ends: nothing may hold it. */
  | { do: 'close'; flag: SharedArrayBuffer };

/** What the main thread is given when it is called. */
export interface Stood {
  places: ReturnType<typeof placesOf>;
  isThrown: boolean;
}

/** What it answers. `errors`: it is to be stopped at errors from then on. */
export type StoodAnswer = EngineGoing & { errors: boolean };

/** Milliseconds between two tries to stop in code that may run one day. */
const SEEK_MS = 300;

const DONE = 1;
const CANNOT = 2;

export class BesideDebugger {
  private session: Session | undefined;
  private readonly scripts = new Map<string, string>();
  private atErrors = false;
  private waiting: SharedArrayBuffer | undefined;
  private isAtBreak = false;
  private seeking: NodeJS.Timeout | undefined;
  /** How often it was asked to stop soon: one that comes while another stop is let go is not done with it. */
  private asked = 0;
  /** Those of them that have not begun to seek. */
  private begins = 0;
  /** The frame to begin anew, counted from the outermost; the engine does it only behind a step. */
  private again: number | undefined;

  private readonly isPassedBy: RegExp;
  private readonly net = new ReturnNet(
    (method, params, done) => void this.post(method, params).then(done, () => done(undefined)),
    (scriptId) => this.passes(scriptId),
  );

  /** @param passedBy patterns of files in which steps never end */
  constructor(private readonly passedBy: readonly string[]) {
    this.isPassedBy = new RegExp(passedBy.join('|'));
  }

  async take(request: BesideRequest): Promise<void> {
    switch (request.do) {
      case 'stop':
        this.waiting = request.flag;
        if (await this.open()) await this.post('Debugger.pause');
        else this.answer(request.flag, CANNOT);
        break;
      case 'errors': {
        const opened = !request.on || (await this.open());
        if (this.session) {
          await this.stopAtErrors(request.on);
          await this.passBy();
        }
        this.closeUnused();
        this.answer(request.flag, opened ? DONE : CANNOT);
        break;
      }
      case 'close':
        this.close();
        this.answer(request.flag, DONE);
        break;
    }
  }

  /** Stops the main thread in the code that runs next, now or when it has something to do again. */
  async soon(): Promise<PauseAnswer> {
    this.asked++;
    if (this.seeking) return { is: 'done' };
    this.begins++;
    try {
      if (!(await this.open())) return { is: 'cannot', why: NO_DEBUGGER };
      await this.passBy();
    } finally {
      this.begins--;
    }
    if (!this.seeking) this.seek();
    return { is: 'done' };
  }

  private seek(): void {
    const ask = (): void => void this.post('Debugger.pause').catch(() => this.stopSeeking());
    this.seeking = setInterval(ask, SEEK_MS);
    this.seeking.unref();
    ask();
  }

  private stopSeeking(): void {
    clearInterval(this.seeking);
    this.seeking = undefined;
  }

  private answer(flag: SharedArrayBuffer, as: number): void {
    const cells = new Int32Array(flag);
    Atomics.store(cells, 0, as);
    Atomics.notify(cells, 0);
  }

  private async open(): Promise<boolean> {
    if (this.session) return true;
    try {
      const session = new Session();
      session.connectToMainThread();
      this.session = session;
      session.on('Debugger.scriptParsed', ({ params }) => this.scripts.set(params.scriptId, params.url));
      session.on('Debugger.paused', ({ params }) => void this.paused(params as unknown as PausedEvent));
      await this.post('Debugger.enable');
      return true;
    } catch {
      this.session = undefined;
      return false;
    }
  }

  private stopAtErrors(on: boolean): Promise<unknown> {
    this.atErrors = on;
    return this.post('Debugger.setPauseOnExceptions', { state: on ? 'all' : 'none' });
  }

  private passBy(): Promise<unknown> {
    return this.post('Debugger.setBlackboxPatterns', { patterns: [...this.passedBy] });
  }

  private closeUnused(): void {
    // The main thread may have asked for the next stop already.
    if (!this.atErrors && !this.waiting && !this.seeking && this.begins === 0) this.close();
  }

  private close(): void {
    const { session } = this;
    this.stopSeeking();
    this.session = undefined;
    this.scripts.clear();
    this.net.clear();
    session?.disconnect();
  }

  private post(method: string, params: object = {}): Promise<unknown> {
    const { session } = this;
    return new Promise((resolve, reject) => {
      if (!session) reject(new Error('closed'));
      else session.post(method, params, (error, result) => (error ? reject(error) : resolve(result)));
    });
  }

  private async paused(event: PausedEvent): Promise<void> {
    try {
      await this.stood(event);
    } catch {
      // The main thread has ended, or the session was closed.
      this.close();
    }
  }

  private async stood({ callFrames, reason, data }: PausedEvent): Promise<void> {
    this.net.takeAway();
    this.isAtBreak = this.waiting === undefined && this.seeking === undefined;
    if (this.waiting) {
      // From here on it does not wait for us; and in what is passed by it would not have stopped.
      this.answer(this.waiting, DONE);
      this.waiting = undefined;
      await this.passBy();
    }
    if (this.again !== undefined) {
      await this.beginAnew(callFrames);
      return;
    }
    const isThrown = reason === 'exception' || reason === 'promiseRejection';
    if (this.seeking && !isThrown && this.isElsewhere(callFrames)) {
      await this.post('Debugger.stepInto');
      return;
    }
    const { asked } = this;
    if (isThrown && data) await this.handOver(data);
    const stood: Stood = { places: placesOf(callFrames, this.scripts), isThrown };
    // In the global scope: code of the platform sees other names.
    const { result } = (await this.post('Runtime.evaluate', {
      expression: `globalThis[Symbol.for(${JSON.stringify(STAND)})].stand(${JSON.stringify(stood)})`,
      returnByValue: true,
      silent: true,
    })) as { result: { value?: StoodAnswer } };
    const answer = result.value ?? { how: 'on', errors: this.atErrors };
    if (answer.errors !== this.atErrors) await this.stopAtErrors(answer.errors);
    // In code of the person it has stood, and was let go. An error may only have passed by.
    if (!isThrown && answer.how !== 'into' && this.asked === asked) this.stopSeeking();
    await this.go(answer, callFrames);
  }

  /** Nothing of it is the person's. The engine itself never passes by code of the platform. */
  private isElsewhere(callFrames: PausedEvent['callFrames']): boolean {
    return callFrames.every(({ location }) => this.passes(location.scriptId));
  }

  private passes(scriptId: string): boolean {
    return this.isPassedBy.test(this.scripts.get(scriptId) ?? '');
  }

  private async go(going: EngineGoing, callFrames: PausedEvent['callFrames']): Promise<void> {
    switch (going.how) {
      case 'over':
        await this.caught(callFrames);
        await this.post('Debugger.stepOver');
        break;
      case 'into':
        await this.caught(callFrames);
        await this.post('Debugger.stepInto');
        break;
      case 'out':
        await this.post('Debugger.stepOut');
        break;
      case 'again':
        this.again = going.depth;
        // The engine does it only where it has stopped by itself, and not where it was stopped: our own code goes round there.
        if (this.isAtBreak) await this.beginAnew(callFrames);
        else {
          // A step that passes by our own code would end beyond it.
          await this.post('Debugger.setBlackboxPatterns', { patterns: [] });
          await this.post('Debugger.stepOver');
        }
        break;
      case 'on':
        await this.post('Debugger.resume');
        this.closeUnused();
        break;
    }
  }

  private caught(callFrames: PausedEvent['callFrames']): Promise<void> {
    return new Promise((resolve) => this.net.layOut(callFrames, resolve));
  }

  private async beginAnew(callFrames: PausedEvent['callFrames']): Promise<void> {
    const frame = callFrames[callFrames.length - this.again!];
    this.again = undefined;
    await this.post('Debugger.restartFrame', { callFrameId: frame!.callFrameId, mode: 'StepInto' });
  }

  private async handOver({ objectId, value, unserializableValue }: NonNullable<PausedEvent['data']>): Promise<void> {
    const place = `globalThis[Symbol.for(${JSON.stringify(STAND)})]`;
    if (objectId !== undefined)
      await this.post('Runtime.callFunctionOn', { objectId, functionDeclaration: `function(){${place}.thrown=this}` });
    else
      await this.post('Runtime.evaluate', {
        expression: `${place}.thrown=${unserializableValue ?? JSON.stringify(value) ?? 'undefined'}`,
      });
  }
}
