/** A program that stands still, for a client of the Debug Adapter Protocol: threads, frames, values, evaluating. */
import { basename } from 'node:path';
import {
  BreakpointEvent,
  CapabilitiesEvent,
  ContinuedEvent,
  DebugSession,
  OutputEvent,
  Scope,
  Source,
  StackFrame,
  StoppedEvent,
  TerminatedEvent,
  Thread,
} from '@vscode/debugadapter';
import type { DebugProtocol } from '@vscode/debugprotocol';
import { AnvilError } from '../../syntax/problems.js';
import type { HoldEvent } from '../../session/live/holding/holding.js';
import type { PauseEvent, Standing } from '../../session/live/pausing/pausing.js';
import { NOTHING_STANDS } from '../../session/live/pausing/told.js';
import { LIVE_CAPABILITIES } from './capabilities.js';
import { LivePlaces } from './places.js';
import type { DebuggedProgram, ProgramListener } from './program.js';
import { LiveValues } from './values.js';

/** Numbers of frames of one thread begin so far apart. */
const FRAMES = 10_000;

export interface Front {
  sendResponse(response: DebugProtocol.Response): void;
  sendEvent(event: DebugProtocol.Event): void;
  shutdown(): void;
}

export abstract class StandingRequests extends DebugSession implements ProgramListener {
  protected program: DebuggedProgram | undefined;
  protected readonly values = new LiveValues((request) => this.program!.look(request));
  readonly places = new LivePlaces(
    () => this.program,
    (place) => {
      const line = this.convertDebuggerLineToClient(place.line ?? 0);
      this.sendEvent(new BreakpointEvent('changed', { ...place, line }));
    },
  );
  private threads: string[] = [''];
  protected stood = new Map<string, Standing>();
  protected isLaunched = false;

  /** @param front the session that the client speaks with */
  constructor(protected readonly front: Front) {
    super();
  }

  override sendResponse(response: DebugProtocol.Response): void {
    this.front.sendResponse(response);
  }

  override sendEvent(event: DebugProtocol.Event): void {
    this.front.sendEvent(event);
  }

  /** The program is there. */
  async begin(program: DebuggedProgram, isLaunched: boolean): Promise<void> {
    this.program = program;
    this.isLaunched = isLaunched;
    this.sendEvent(new CapabilitiesEvent(LIVE_CAPABILITIES));
    await this.places.tellAll();
    for (const standing of await program.standing()) this.stand(standing);
    for (const held of await program.held()) this.held({ is: 'held', held });
  }

  // What the program tells.

  paused(event: PauseEvent): void {
    switch (event.is) {
      case 'paused':
        this.stand(event.standing);
        break;
      case 'went-on':
        this.stood.delete(event.where);
        this.values.clear();
        this.sendEvent(new ContinuedEvent(this.threadOf(event.where), false));
        break;
      case 'message':
        this.print('console', `${event.text}\n`, event.breakpoint.file, event.breakpoint.line);
        break;
      case 'breakpoints':
        void this.places.changed();
        break;
    }
  }

  private stand(standing: Standing): void {
    const { reason, error, breakpoint, where, number } = standing;
    if (this.stood.get(where)?.number === number) return;
    this.stood.set(where, standing);
    this.values.clear();
    const text = error ? `${error.name}: ${error.message}` : undefined;
    const reasons = {
      breakpoint: 'breakpoint',
      return: 'breakpoint',
      write: 'data breakpoint',
      error: 'exception',
      step: 'step',
      asked: 'pause',
      again: 'restart',
    };
    const event: DebugProtocol.StoppedEvent = new StoppedEvent(reasons[reason], this.threadOf(where), text);
    if (text !== undefined) event.body.description = text;
    event.body.allThreadsStopped = false;
    const own = breakpoint === undefined ? undefined : this.places.ownNumber(breakpoint);
    if (own !== undefined) event.body.hitBreakpointIds = [own];
    this.sendEvent(event);
  }

  /** Held calls have no request of their own in the protocol: they are told, with what can be done. */
  held(event: HoldEvent): void {
    if (event.is === 'switched') return;
    const { held } = event;
    const at = held.error.frames.find(({ local, line }) => local && line >= 0);
    const waits = held.waits.length > 0 ? ` (${held.waits.join('; ')})` : '';
    const text =
      event.is === 'held'
        ? `held call ${held.id}: ${held.name}${waits}: ${held.error.name}: ${held.error.message}\n`
        : `held call ${held.id}: ${event.how}\n`;
    this.print('important', text, at?.file, at?.line);
  }

  output({ stream, text }: { stream: 'stdout' | 'stderr'; text: string }): void {
    this.sendEvent(new OutputEvent(text, stream));
  }

  ended(text: string): void {
    this.program = undefined;
    this.print('console', `the program has ${text}\n`);
    this.sendEvent(new TerminatedEvent());
  }

  private print(category: string, text: string, file?: string, line?: number): void {
    const event: DebugProtocol.OutputEvent = new OutputEvent(text, category);
    if (file !== undefined && line !== undefined)
      Object.assign(event.body, {
        source: new Source(basename(file), file),
        line: this.convertDebuggerLineToClient(line),
      });
    this.sendEvent(event);
  }

  // Threads and frames.

  protected threadOf(where: string): number {
    const at = this.threads.indexOf(where);
    return at >= 0 ? at + 1 : this.threads.push(where);
  }

  protected whereOf(thread: number): string {
    return this.threads[thread - 1] ?? '';
  }

  protected frameOf(id: number): { where: string; frame: number } {
    return { where: this.whereOf(Math.floor(id / FRAMES)), frame: id % FRAMES };
  }

  /** Answers what takes a while; where it fails, the client is told why. */
  protected answer(response: DebugProtocol.Response, work: (program: DebuggedProgram) => Promise<unknown>): void {
    if (this.program) this.settle(response, work(this.program));
    else this.tooLate(response);
  }

  protected settle(response: DebugProtocol.Response, work: Promise<unknown>): void {
    work.then(
      () => this.sendResponse(response),
      (error: unknown) => {
        const text = error instanceof Error ? error.message : String(error);
        if (text === NOTHING_STANDS) this.tooLate(response);
        else this.refuse(response, text);
      },
    );
  }

  /** What is asked stands still no longer: the protocol has a word for that, which clients keep to themselves. */
  private tooLate(response: DebugProtocol.Response): void {
    response.success = false;
    response.message = 'notStopped';
    this.sendResponse(response);
  }

  private refuse(response: DebugProtocol.Response, format: string): void {
    this.sendErrorResponse(response, { id: 1, format: format.replace(/[{}]/g, ''), showUser: true });
  }

  protected override threadsRequest(response: DebugProtocol.ThreadsResponse): void {
    this.answer(response, async (program) => {
      for (const where of await program.places()) this.threadOf(where);
      response.body = {
        threads: this.threads.map(
          (where, index) => new Thread(index + 1, where === '' ? basename(program.entry) : where),
        ),
      };
    });
  }

  protected override stackTraceRequest(
    response: DebugProtocol.StackTraceResponse,
    { threadId, startFrame = 0, levels = 0 }: DebugProtocol.StackTraceArguments,
  ): void {
    const stood = this.stood.get(this.whereOf(threadId));
    const frames = stood?.frames ?? [];
    response.body = {
      totalFrames: frames.length,
      stackFrames: frames.slice(startFrame, levels > 0 ? startFrame + levels : undefined).map((frame, index) => {
        const { name, file, line, character, local, version } = frame;
        const source = local ? new Source(basename(file), file) : undefined;
        const made: DebugProtocol.StackFrame = new StackFrame(
          threadId * FRAMES + startFrame + index,
          name || '(no name)',
          source,
          this.convertDebuggerLineToClient(Math.max(0, line)),
          character < 0 ? 0 : this.convertDebuggerColumnToClient(character),
        );
        made.canRestart = local && stood?.canBeginAnew === true;
        if (!local) made.presentationHint = 'subtle';
        else if (version) made.presentationHint = 'normal';
        return made;
      }),
    };
    this.sendResponse(response);
  }

  protected override scopesRequest(
    response: DebugProtocol.ScopesResponse,
    { frameId }: DebugProtocol.ScopesArguments,
  ): void {
    const { where, frame } = this.frameOf(frameId);
    this.answer(response, async (program) => {
      const answer = await program.scopes(frame, where);
      if (answer.is !== 'scopes') throw new AnvilError('E_HELD', answer.why);
      const { moment, scopes } = answer;
      const names = {
        this: 'this',
        local: 'Local',
        block: 'Block',
        catch: 'Caught',
        closure: 'Around',
        module: 'Module',
        with: 'With',
      };
      response.body = {
        scopes: scopes.map((scope, index) => {
          const isModule = index === scopes.length - 1 && scope.kind === 'closure';
          const made: DebugProtocol.Scope = new Scope(
            isModule ? 'Module' : names[scope.kind],
            this.values.scope(scope, moment, frame, where),
            isModule,
          );
          made.namedVariables = scope.variables.length;
          if (scope.kind === 'local') made.presentationHint = 'locals';
          return made;
        }),
      };
    });
  }

  protected override variablesRequest(
    response: DebugProtocol.VariablesResponse,
    { variablesReference, start = 0, count = 0 }: DebugProtocol.VariablesArguments,
  ): void {
    this.answer(response, async () => {
      const variables = await this.values.page(variablesReference, start, count);
      if (!variables) throw new AnvilError('E_HELD', 'It went on since: this value is not there any more.');
      response.body = { variables };
    });
  }

  protected override exceptionInfoRequest(
    response: DebugProtocol.ExceptionInfoResponse,
    { threadId }: DebugProtocol.ExceptionInfoArguments,
  ): void {
    const error = this.stood.get(this.whereOf(threadId))?.error;
    if (!error) {
      this.refuse(response, 'Nothing is thrown here.');
      return;
    }
    response.body = { exceptionId: error.name, description: error.message, breakMode: 'always' };
    this.sendResponse(response);
  }

  // Evaluating and assigning.

  protected override evaluateRequest(
    response: DebugProtocol.EvaluateResponse,
    { expression, frameId }: DebugProtocol.EvaluateArguments,
  ): void {
    this.answer(response, async (program) => {
      if (frameId === undefined) {
        const entered = await program.enter(expression);
        if (entered.is === 'done')
          response.body = entered.result
            ? this.values.result(entered.result.value, entered.result.moment, '', 0, '')
            : { result: entered.changes, variablesReference: 0 };
        else throw new AnvilError('E_HELD', 'text' in entered ? entered.text : 'it is not whole');
        return;
      }
      const { where, frame } = this.frameOf(frameId);
      response.body = await this.evaluated(program, expression, frame, where);
    });
  }

  private async evaluated(
    program: DebuggedProgram,
    text: string,
    frame: number,
    where: string,
  ): Promise<DebugProtocol.EvaluateResponse['body']> {
    const answer = await program.evaluate(text, frame, where);
    if (answer.is === 'cannot') throw new AnvilError('E_HELD', answer.why);
    if (answer.is === 'threw') throw new AnvilError('E_HELD', `${answer.error.name}: ${answer.error.message}`);
    return this.values.result(answer.value, answer.moment, text, frame, where);
  }

  protected override setVariableRequest(
    response: DebugProtocol.SetVariableResponse,
    { variablesReference, name, value }: DebugProtocol.SetVariableArguments,
  ): void {
    this.answer(response, async (program) => {
      const to = this.values.assignable(variablesReference, name);
      if (!to) throw new AnvilError('E_HELD', `${name} cannot be reached by code.`);
      const { result, ...rest } = await this.evaluated(program, `${to.path} = (${value})`, to.frame, to.where);
      response.body = { value: result, ...rest };
    });
  }

  protected override setExpressionRequest(
    response: DebugProtocol.SetExpressionResponse,
    { expression, value, frameId = FRAMES }: DebugProtocol.SetExpressionArguments,
  ): void {
    const { where, frame } = this.frameOf(frameId);
    this.answer(response, async (program) => {
      const { result, ...rest } = await this.evaluated(program, `${expression} = (${value})`, frame, where);
      response.body = { value: result, ...rest };
    });
  }
}
