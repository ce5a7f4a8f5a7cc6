/** The Debug Adapter Protocol over a program that runs: attached to by name, or launched. */
import { TerminatedEvent } from '@vscode/debugadapter';
import type { DebugProtocol } from '@vscode/debugprotocol';
import { AnvilError } from '../../syntax/problems.js';
import type { Going } from '../../wire/pausing.js';
import { StandingRequests } from './standing.js';

export class LiveDebugSession extends StandingRequests {
  /** Handles what a client asks; see the protocol. */
  take(request: DebugProtocol.Request): void {
    this.dispatchRequest(request);
  }

  // Going on.

  private go(response: DebugProtocol.Response, going: Going, where: string): void {
    this.answer(response, async (program) => {
      const answer = await program.go(going, where);
      if (answer.is === 'cannot') throw new AnvilError('E_HELD', answer.why);
    });
  }

  protected override continueRequest(
    response: DebugProtocol.ContinueResponse,
    { threadId }: DebugProtocol.ContinueArguments,
  ): void {
    response.body = { allThreadsContinued: false };
    this.go(response, { how: 'on' }, this.whereOf(threadId));
  }

  protected override nextRequest(
    response: DebugProtocol.NextResponse,
    { threadId }: DebugProtocol.NextArguments,
  ): void {
    this.go(response, { how: 'over' }, this.whereOf(threadId));
  }

  protected override stepInRequest(
    response: DebugProtocol.StepInResponse,
    { threadId }: DebugProtocol.StepInArguments,
  ): void {
    this.go(response, { how: 'into' }, this.whereOf(threadId));
  }

  protected override stepOutRequest(
    response: DebugProtocol.StepOutResponse,
    { threadId }: DebugProtocol.StepOutArguments,
  ): void {
    this.go(response, { how: 'out' }, this.whereOf(threadId));
  }

  protected override restartFrameRequest(
    response: DebugProtocol.RestartFrameResponse,
    { frameId }: DebugProtocol.RestartFrameArguments,
  ): void {
    const { where, frame } = this.frameOf(frameId);
    this.go(response, { how: 'again', frame }, where);
  }

  protected override gotoTargetsRequest(
    response: DebugProtocol.GotoTargetsResponse,
    { line }: DebugProtocol.GotoTargetsArguments,
  ): void {
    response.body = { targets: [{ id: this.convertClientLineToDebugger(line), label: `to line ${line}`, line }] };
    this.sendResponse(response);
  }

  protected override gotoRequest(
    response: DebugProtocol.GotoResponse,
    { threadId, targetId }: DebugProtocol.GotoArguments,
  ): void {
    this.go(response, { how: 'to', line: targetId }, this.whereOf(threadId));
  }

  protected override pauseRequest(
    response: DebugProtocol.PauseResponse,
    { threadId }: DebugProtocol.PauseArguments,
  ): void {
    this.answer(response, async (program) => {
      const answer = await program.pause(this.whereOf(threadId));
      if (answer.is === 'cannot') throw new AnvilError('E_HELD', answer.why);
    });
  }

  // Places to stop at.

  protected override setBreakPointsRequest(
    response: DebugProtocol.SetBreakpointsResponse,
    given: DebugProtocol.SetBreakpointsArguments,
  ): void {
    const file = given.source.path ?? '';
    const lines = (given.breakpoints ?? []).map((one) => ({
      ...one,
      line: this.convertClientLineToDebugger(one.line),
    }));
    const work = async (): Promise<void> => {
      const set = await this.places.setLines(file, lines);
      response.body = {
        breakpoints: set.map(({ line, ...rest }) => ({ ...rest, line: this.convertDebuggerLineToClient(line ?? 0) })),
      };
    };
    this.settle(response, work());
  }

  protected override dataBreakpointInfoRequest(
    response: DebugProtocol.DataBreakpointInfoResponse,
    { variablesReference, name }: DebugProtocol.DataBreakpointInfoArguments,
  ): void {
    const to = variablesReference === undefined ? undefined : this.values.assignable(variablesReference, name);
    const isField = to !== undefined && to.path !== name;
    response.body = isField
      ? {
          dataId: JSON.stringify(to),
          description: `${to.path}; an accessor stands in its place meanwhile, which the program could see`,
          accessTypes: ['write'],
        }
      : { dataId: null, description: `${name} is no field of an object.` };
    this.sendResponse(response);
  }

  protected override setDataBreakpointsRequest(
    response: DebugProtocol.SetDataBreakpointsResponse,
    { breakpoints }: DebugProtocol.SetDataBreakpointsArguments,
  ): void {
    this.answer(response, async () => {
      response.body = { breakpoints: await this.places.setFields(breakpoints.map(({ dataId }) => dataId)) };
    });
  }

  protected override setFunctionBreakPointsRequest(
    response: DebugProtocol.SetFunctionBreakpointsResponse,
    { breakpoints }: DebugProtocol.SetFunctionBreakpointsArguments,
  ): void {
    response.body = {
      breakpoints: breakpoints.map(({ name }) => ({
        verified: false,
        message: `${name}: set it on the line of the function`,
      })),
    };
    this.sendResponse(response);
  }

  protected override setExceptionBreakPointsRequest(
    response: DebugProtocol.SetExceptionBreakpointsResponse,
    { filters }: DebugProtocol.SetExceptionBreakpointsArguments,
  ): void {
    const which = filters.includes('all') ? 'all' : filters.includes('uncaught') ? 'uncaught' : 'none';
    this.settle(response, this.places.setErrors(which));
  }

  protected override configurationDoneRequest(response: DebugProtocol.ConfigurationDoneResponse): void {
    this.sendResponse(response);
  }

  // The end.

  protected override terminateRequest(response: DebugProtocol.TerminateResponse): void {
    void this.leave(true).then(() => {
      this.sendResponse(response);
      this.sendEvent(new TerminatedEvent());
    });
  }

  protected override disconnectRequest(
    response: DebugProtocol.DisconnectResponse,
    given?: DebugProtocol.DisconnectArguments,
  ): void {
    void this.leave(given?.terminateDebuggee ?? this.isLaunched).then(() => {
      this.sendResponse(response);
      this.front.shutdown();
    });
  }

  /** What a client has set goes with it, and what stands still goes on. */
  private async leave(end: boolean): Promise<void> {
    const { program } = this;
    if (!program) return;
    await this.places.clear();
    for (const [where] of this.stood) await program.go({ how: 'on' }, where);
    await program.leave(end);
  }
}
