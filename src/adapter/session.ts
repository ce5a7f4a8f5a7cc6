/**
 * The Debug Adapter Protocol over a walk: the pad is executed once, and what a client calls stepping moves through what
 * was recorded, in both directions.
 */
import { basename } from 'node:path';
import {
  ContinuedEvent,
  InitializedEvent,
  OutputEvent,
  Source,
  StoppedEvent,
  TerminatedEvent,
  Thread,
} from '@vscode/debugadapter';
import type { DebugProtocol } from '@vscode/debugprotocol';
import type { ConsoleEntry, PadRecord } from '../record/record.js';
import { errorAt, startOf } from '../record/walk/start.js';
import type { Move, Walk } from '../record/walk/walk.js';
import { CAPABILITIES } from './capabilities.js';
import { endText, keptText, repeatingText } from '../views/walk-text.js';
import { Answers } from './answers.js';
import { attachArguments, launchArguments, WRONG_TOKEN, type JoinProgram, type LaunchArguments } from './arguments.js';
import { textOnDisk } from './place-requests.js';
import { StepRequests } from './step-requests.js';
import { launchLive } from './live/launched.js';
import { LiveDebugSession } from './live/session.js';
import { WalkedPad } from '../hosts/node/walked-pad.js';

/** The one thread there is: a run. */
export const THREAD = 1;

const TIME_LIMIT_MS = 10_000;

export class WalkSession extends StepRequests {
  private pad: WalkedPad | undefined;
  private launched: LaunchArguments | undefined;
  private configured: () => void = () => undefined;
  private readonly ready = new Promise<void>((resolve) => (this.configured = resolve));
  /** The client was told that the run came to its end, and goes on all the same. */
  private atEnd = false;

  /** Of a program that runs on: from then on all requests are its. */
  private live: LiveDebugSession | undefined;
  /** What a client asked of places before it said which program it means. */
  private readonly early: DebugProtocol.Request[] = [];

  /**
   * @param token a launch has to bring it, where there is one
   * @param join reaches a live program by its name or address
   */
  constructor(
    private readonly token?: string,
    private readonly join?: JoinProgram,
  ) {
    super();
  }

  protected override dispatchRequest(request: DebugProtocol.Request): void {
    if (!this.live) {
      if (/^set\w*Breakpoints$/.test(request.command)) this.early.push(request);
      super.dispatchRequest(request);
      return;
    }
    if (request.command === 'configurationDone') this.configured();
    this.live.take(request);
  }

  private become(): LiveDebugSession {
    const answered = new Set(this.early.map(({ seq }) => seq));
    const live = new LiveDebugSession({
      sendResponse: (response) => void (answered.has(response.request_seq) || this.sendResponse(response)),
      sendEvent: (event) => this.sendEvent(event),
      shutdown: () => this.shutdown(),
    });
    this.live = live;
    live.setDebuggerLinesStartAt1(false);
    for (const request of this.early.splice(0)) live.take(request);
    return live;
  }

  protected override attachRequest(
    response: DebugProtocol.AttachResponse,
    given: DebugProtocol.AttachRequestArguments,
  ): void {
    const parsed = attachArguments.safeParse(given);
    if (!parsed.success || !this.join) {
      const problem = parsed.error?.issues[0];
      this.refuse(
        response,
        `Nothing can be attached to: ${problem ? `${problem.path.join('.')}: ${problem.message}` : ''}`,
      );
      return;
    }
    const { token, ...asked } = parsed.data;
    if (this.token !== undefined && token !== this.token) {
      this.refuse(response, WRONG_TOKEN);
      return;
    }
    const live = this.become();
    this.follow(
      response,
      live,
      this.join(asked, live).then((program) => live.begin(program, false)),
    );
  }

  private launchProgram(response: DebugProtocol.LaunchResponse, asked: LaunchArguments): void {
    const live = this.become();
    const { program, args, cwd, env, stopOnEntry, hold } = asked;
    const launched = this.ready
      .then(() => launchLive({ program, args, cwd, env, stopOnEntry, hold }, (made) => live.begin(made, true), live))
      .then(() => undefined);
    this.follow(response, live, launched);
  }

  private follow(response: DebugProtocol.Response, live: LiveDebugSession, work: Promise<void>): void {
    work.then(
      () => this.sendResponse(response),
      (error: unknown) => {
        this.refuse(response, error instanceof Error ? error.message : String(error));
        live.ended('not been reached');
      },
    );
  }

  protected override textOf(file: string): string | undefined {
    const { text, program } = this.launched ?? {};
    return text !== undefined && program === file ? text : textOnDisk(file);
  }

  protected override initializeRequest(response: DebugProtocol.InitializeResponse): void {
    response.body = CAPABILITIES;
    this.sendResponse(response);
    this.sendEvent(new InitializedEvent());
  }

  protected override configurationDoneRequest(response: DebugProtocol.ConfigurationDoneResponse): void {
    this.sendResponse(response);
    this.configured();
  }

  protected override launchRequest(
    response: DebugProtocol.LaunchResponse,
    given: DebugProtocol.LaunchRequestArguments,
  ): void {
    const parsed = launchArguments.safeParse(given);
    if (!parsed.success) {
      const [problem] = parsed.error.issues;
      this.refuse(response, `The launch asks for what is not there: ${problem!.path.join('.')}: ${problem!.message}`);
      return;
    }
    const { token, ...launched } = parsed.data;
    if (this.token !== undefined && token !== this.token) {
      this.refuse(response, WRONG_TOKEN);
      return;
    }
    if (launched.live) {
      this.launchProgram(response, launched);
      return;
    }
    this.launched = launched;
    this.begin(response);
  }

  /** Executes the pad anew, with what the launch asked for. */
  private begin(response: DebugProtocol.Response): void {
    const { program, timeLimit, noDebug, cwd, args, env, test, text } = this.launched!;
    const pad = new WalkedPad(
      { file: program, timeLimitMs: timeLimit ?? TIME_LIMIT_MS, cwd, args, env, test, text },
      (entry) => this.print(entry),
    );
    void this.pad?.close();
    this.pad = pad;
    this.walking = undefined;
    pad
      .execute()
      .then(async ({ record, run }) => {
        if (this.pad !== pad) return;
        this.sendResponse(response);
        await this.ready;
        if (noDebug) this.sendEvent(new TerminatedEvent());
        else this.stand(pad, record, run);
      })
      .catch((error: unknown) => {
        this.refuse(response, error instanceof Error ? error.message : String(error));
        this.sendEvent(new TerminatedEvent());
      });
  }

  private take(pad: WalkedPad, { record, run, at }: { record: PadRecord; run: Walk; at: number }): void {
    this.walking = { record, run, at, answers: new Answers(record, run, pad) };
    this.stops.take(record, run);
  }

  private stand(pad: WalkedPad, record: PadRecord, run: Walk): void {
    this.take(pad, { record, run, at: 0 });
    if (record.stop) this.say(`${record.stop.message}. What it did until then can be walked through.`);
    const kept = keptText(run);
    if (kept !== undefined) this.say(kept);
    if (this.launched!.stopOnEntry) {
      this.stopAt(0, 'entry');
      return;
    }
    const failed = record.errors.length > 0 || record.tests.some((one) => one.state === 'failed');
    const from = startOf(record, run, this.launched!.test);
    if (this.stops.stopsAtFailures && failed && from !== undefined && !this.stops.hasPlaces)
      this.stopAt(from, 'exception', textAt(record, run, from));
    else void this.goOn(1, -1);
  }

  /** To the next place to stop at, in a direction; from -1 also at the first step. */
  private async goOn(by: 1 | -1, from = this.walking!.at): Promise<void> {
    const { hit, printed } = this.stops.next(from, by);
    for (const text of printed) this.say(text);
    // Frames stood before what is kept: between there and here it may have been reached again.
    const isKept =
      hit !== undefined && (by === 1 || this.walking!.run.numberOf(hit.step) >= this.walking!.run.kept.from);
    if (!isKept && (await this.repeat(by))) {
      await this.goOn(by);
      return;
    }
    const { run, record } = this.walking!;
    if (hit && isKept) {
      const text = hit.reason === 'exception' ? textAt(record, run, hit.step) : undefined;
      this.stopAt(hit.step, hit.reason, text, hit.id);
      return;
    }
    if (by === 1 && this.atEnd) {
      this.sendEvent(new TerminatedEvent());
      return;
    }
    this.stopAt(by === 1 ? run.length - 1 : 0, 'pause', by === 1 ? 'The run ended here' : 'The run begins here');
    this.atEnd = by === 1;
  }

  private stopAt(step: number, reason: string, text?: string, id?: number): void {
    this.walking!.at = step;
    this.atEnd = false;
    this.walking!.answers.moved();
    const event: DebugProtocol.StoppedEvent = new StoppedEvent(reason, THREAD, text);
    if (text !== undefined) event.body.description = text;
    event.body.allThreadsStopped = true;
    if (id !== undefined && id > 0) event.body.hitBreakpointIds = [id];
    this.sendEvent(event);
  }

  /** Where there are more steps that way than are kept, those around the last are, and it is stood at. */
  private async repeat(by: 1 | -1): Promise<boolean> {
    const { run } = this.walking!;
    const { pad } = this;
    if (!run.hasMore(by) || !pad) return false;
    this.say(repeatingText);
    const repeated = await pad.repeat(by === 1 ? run.kept.to : run.kept.from);
    if (!repeated || this.pad !== pad) return false;
    this.take(pad, repeated);
    const kept = keptText(repeated.run);
    if (kept !== undefined) this.say(kept);
    return true;
  }

  /** Moves, and says so; where nothing was recorded that way the place stays. */
  private async move(response: DebugProtocol.Response, move: Move, by: 1 | -1): Promise<void> {
    if (!this.walks(response)) return;
    this.sendResponse(response);
    const from = this.walking!;
    let to = from.run.move(from.at, move, by);
    const number = from.run.numberOf(from.at);
    if (to === undefined && (await this.repeat(by))) {
      const { walking } = this;
      walking!.at = walking!.run.withNumber(number) ?? walking!.at;
      to = walking!.run.move(walking!.at, move, by);
    }
    const { run, at } = this.walking!;
    if (to === undefined) {
      this.say(endText(run, by));
      if (by === 1 && this.atEnd) this.sendEvent(new TerminatedEvent());
      else {
        this.stopAt(at, 'step', by === 1 ? 'The run ended here' : 'The run begins here');
        this.atEnd = by === 1;
      }
    } else this.stopAt(to, 'step');
  }

  protected override nextRequest(response: DebugProtocol.NextResponse): void {
    void this.move(response, 'over', 1);
  }

  protected override stepInRequest(
    response: DebugProtocol.StepInResponse,
    { targetId }: DebugProtocol.StepInArguments,
  ): void {
    if (targetId === undefined) {
      void this.move(response, 'into', 1);
      return;
    }
    this.jump(response, this.walking?.run.firstIn(targetId), 'step');
  }

  protected override stepOutRequest(response: DebugProtocol.StepOutResponse): void {
    void this.move(response, 'out', 1);
  }

  protected override stepBackRequest(response: DebugProtocol.StepBackResponse): void {
    void this.move(response, 'over', -1);
  }

  protected override continueRequest(response: DebugProtocol.ContinueResponse): void {
    if (!this.walks(response)) return;
    response.body = { allThreadsContinued: true };
    this.sendResponse(response);
    void this.goOn(1);
  }

  protected override reverseContinueRequest(response: DebugProtocol.ReverseContinueResponse): void {
    if (!this.walks(response)) return;
    this.sendResponse(response);
    void this.goOn(-1);
  }

  protected override restartFrameRequest(
    response: DebugProtocol.RestartFrameResponse,
    { frameId }: DebugProtocol.RestartFrameArguments,
  ): void {
    this.jump(response, this.walking?.run.firstIn(frameId), 'restart');
  }

  protected override gotoRequest(
    response: DebugProtocol.GotoResponse,
    { targetId }: DebugProtocol.GotoArguments,
  ): void {
    this.jump(response, targetId, 'goto');
  }

  private jump(response: DebugProtocol.Response, to: number | undefined, reason: string): void {
    if (!this.walks(response)) return;
    if (to === undefined || to < 0 || to >= this.walking!.run.length) {
      this.refuse(response, 'No step was recorded there.');
      return;
    }
    this.sendResponse(response);
    this.stopAt(to, reason);
  }

  /** Ends a run that goes on; one that is walked through stands anyhow. */
  protected override pauseRequest(response: DebugProtocol.PauseResponse): void {
    this.sendResponse(response);
    if (!this.walking) this.pad?.stop();
  }

  protected override threadsRequest(response: DebugProtocol.ThreadsResponse): void {
    response.body = { threads: [new Thread(THREAD, this.launched ? basename(this.launched.program) : 'the run')] };
    this.sendResponse(response);
  }

  protected override restartRequest(
    response: DebugProtocol.RestartResponse,
    given?: DebugProtocol.RestartArguments,
  ): void {
    const parsed = launchArguments.safeParse(given?.arguments ?? this.launched);
    if (!this.launched || !parsed.success) {
      this.refuse(response, 'Nothing was launched that could be executed again.');
      return;
    }
    this.launched = parsed.data;
    this.sendEvent(new ContinuedEvent(THREAD));
    this.begin(response);
  }

  protected override terminateRequest(response: DebugProtocol.TerminateResponse): void {
    this.pad?.stop();
    this.sendResponse(response);
    this.sendEvent(new TerminatedEvent());
  }

  protected override disconnectRequest(response: DebugProtocol.DisconnectResponse): void {
    void Promise.resolve(this.pad?.close()).then(() => {
      this.sendResponse(response);
      this.shutdown();
    });
  }

  private print({ text, level, file, range }: ConsoleEntry): void {
    const event: DebugProtocol.OutputEvent = new OutputEvent(
      `${text}\n`,
      level === 'error' || level === 'warn' ? 'stderr' : 'stdout',
    );
    if (file !== undefined && range)
      Object.assign(event.body, {
        source: new Source(basename(file), file),
        line: this.convertDebuggerLineToClient(range.start.line),
      });
    this.sendEvent(event);
  }
}

function textAt(record: PadRecord, run: Walk, step: number): string | undefined {
  const error = errorAt(record, run, step);
  return error && `${error.name}: ${error.message}`;
}
