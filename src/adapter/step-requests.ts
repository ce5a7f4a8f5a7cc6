/** What a client asks of the step at which it stands. */
import { basename } from 'node:path';
import { Source } from '@vscode/debugadapter';
import type { DebugProtocol } from '@vscode/debugprotocol';
import { z } from 'zod';
import type { PadRecord } from '../record/record.js';
import { errorAt } from '../record/walk/start.js';
import type { Walk } from '../record/walk/walk.js';
import { AnvilError } from '../syntax/problems.js';
import type { Answers } from './answers.js';
import { PlaceRequests } from './place-requests.js';

export interface Walking {
  record: PadRecord;
  run: Walk;
  at: number;
  answers: Answers;
}

export abstract class StepRequests extends PlaceRequests {
  protected walking: Walking | undefined;

  protected override dataBreakpointInfoRequest(
    response: DebugProtocol.DataBreakpointInfoResponse,
    given: DebugProtocol.DataBreakpointInfoArguments,
  ): void {
    if (!this.walks(response)) return;
    const { at, run } = this.walking!;
    const path = this.walking!.answers.pathOf(given);
    const writes = path === undefined ? [] : run.writes(at, path);
    response.body =
      path === undefined || writes.length === 0
        ? { dataId: null, description: `No write of ${given.name} was recorded.` }
        : {
            dataId: JSON.stringify([at, path]),
            description: `${path}, written ${writes.length === 1 ? 'once' : `${writes.length} times`}`,
            accessTypes: ['write'],
          };
    this.sendResponse(response);
  }

  protected override exceptionInfoRequest(response: DebugProtocol.ExceptionInfoResponse): void {
    if (!this.walks(response)) return;
    const { record, run, at } = this.walking!;
    const error = errorAt(record, run, at);
    if (!error) {
      this.refuse(response, 'Nothing was thrown here.');
      return;
    }
    response.body = {
      exceptionId: error.name,
      description: error.message,
      breakMode: 'unhandled',
      details: {
        message: error.message,
        typeName: error.name,
        stackTrace: error.frames.map((one) => `${one.name} (${one.file}:${one.range.start.line + 1})`).join('\n'),
      },
    };
    this.sendResponse(response);
  }

  protected override stackTraceRequest(
    response: DebugProtocol.StackTraceResponse,
    { startFrame = 0, levels = 0 }: DebugProtocol.StackTraceArguments,
  ): void {
    if (!this.walks(response)) return;
    const all = this.walking!.answers.stack(this.walking!.at);
    const end = levels > 0 ? startFrame + levels : undefined;
    const stackFrames = all.slice(startFrame, end).map(({ line, column, file, ...rest }) => ({
      ...rest,
      source: new Source(basename(file), file),
      line: this.convertDebuggerLineToClient(line),
      column: this.convertDebuggerColumnToClient(column),
    }));
    response.body = { stackFrames, totalFrames: all.length };
    this.sendResponse(response);
  }

  protected override scopesRequest(
    response: DebugProtocol.ScopesResponse,
    { frameId }: DebugProtocol.ScopesArguments,
  ): void {
    if (!this.walks(response)) return;
    response.body = { scopes: this.walking!.answers.scopes(this.walking!.at, frameId) };
    this.sendResponse(response);
  }

  protected override variablesRequest(
    response: DebugProtocol.VariablesResponse,
    { variablesReference, start = 0, count = 0, filter }: DebugProtocol.VariablesArguments,
  ): void {
    if (!this.walks(response)) return;
    void this.walking!.answers.shown.page(variablesReference, start, count, filter).then((variables) => {
      if (!variables) {
        this.refuse(response, 'That was of an earlier stop.');
        return;
      }
      response.body = { variables };
      this.sendResponse(response);
    });
  }

  protected override evaluateRequest(
    response: DebugProtocol.EvaluateResponse,
    { expression, frameId }: DebugProtocol.EvaluateArguments,
  ): void {
    if (!this.walks(response)) return;
    const { run, at } = this.walking!;
    try {
      const value = run.evaluate(at, expression, frameId);
      const { value: result, ...rest } = this.walking!.answers.shown.variable('', value, expression);
      response.body = { result, ...rest };
      this.sendResponse(response);
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
      // In its place and not as a message of its own: an editor asks for many names that are not there.
      this.refuse(response, error.message, false);
    }
  }

  protected override completionsRequest(
    response: DebugProtocol.CompletionsResponse,
    { text, column, frameId }: DebugProtocol.CompletionsArguments,
  ): void {
    const { run, at } = this.walking ?? {};
    const [prefix] = /[\p{ID_Start}$_]?[\p{ID_Continue}$]*$/u.exec(text.slice(0, column - 1))!;
    const variables = run && at !== undefined ? run.variables(at, frameId) : [];
    response.body = {
      targets: variables
        .filter(({ name }) => name.startsWith(prefix))
        .map(({ name }) => ({ label: name, type: 'variable', start: column - prefix.length, length: prefix.length })),
    };
    this.sendResponse(response);
  }

  protected override stepInTargetsRequest(
    response: DebugProtocol.StepInTargetsResponse,
    { frameId }: DebugProtocol.StepInTargetsArguments,
  ): void {
    if (!this.walks(response)) return;
    response.body = { targets: this.walking!.answers.called(this.walking!.at, frameId) };
    this.sendResponse(response);
  }

  protected override gotoTargetsRequest(
    response: DebugProtocol.GotoTargetsResponse,
    { source, line }: DebugProtocol.GotoTargetsArguments,
  ): void {
    if (!this.walks(response)) return;
    const { run, at } = this.walking!;
    const wanted = this.convertClientLineToDebugger(line);
    const targets = ([1, -1] as const).flatMap((by) => {
      const to = source.path === undefined ? undefined : run.onLine(at, source.path, wanted, by);
      return to === undefined
        ? []
        : [{ id: to, label: by === 1 ? 'The next time it ran' : 'The last time it ran', line }];
    });
    response.body = { targets };
    this.sendResponse(response);
  }

  /** Beside the protocol: `usherAnvil/beside` gives a frame's variables with the lines where they got what they hold. */
  protected override customRequest(command: string, response: DebugProtocol.Response, given: unknown): void {
    const asked = z.object({ frameId: z.int().min(1) }).safeParse(given);
    if (command !== 'usherAnvil/beside' || !asked.success) {
      this.refuse(response, `There is no request ${command}, or it asks for what is not there.`);
      return;
    }
    if (!this.walks(response)) return;
    const { answers, at, run } = this.walking!;
    const variables = asked.data.frameId > run.frameCount ? [] : answers.beside(at, asked.data.frameId);
    response.body = {
      variables: variables.map(({ line, ...rest }) => ({ ...rest, line: this.convertDebuggerLineToClient(line) })),
    };
    this.sendResponse(response);
  }

  protected override loadedSourcesRequest(response: DebugProtocol.LoadedSourcesResponse): void {
    const files = this.walking?.record.program.files ?? [];
    response.body = { sources: files.map(({ file }) => new Source(basename(file), file)) };
    this.sendResponse(response);
  }

  /** @returns false, and refuses, while there is nothing to walk through */
  protected walks(response: DebugProtocol.Response): boolean {
    if (this.walking) return true;
    this.refuse(response, 'The pad has not ended yet: there is nothing to walk through.');
    return false;
  }
}
