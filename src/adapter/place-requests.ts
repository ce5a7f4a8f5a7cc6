/** What a client says of places to stop at. */
import { readFileSync } from 'node:fs';
import { basename } from 'node:path';
import { BreakpointEvent, DebugSession, ErrorDestination, OutputEvent, Source } from '@vscode/debugadapter';
import type { DebugProtocol } from '@vscode/debugprotocol';
import { StopSet } from './stop-set.js';

export abstract class PlaceRequests extends DebugSession {
  protected readonly stops = new StopSet(
    (text) => this.say(text),
    (place) => this.sendEvent(new BreakpointEvent('changed', place)),
  );

  /** The text of a file as the run has it; undefined for one that cannot be read. */
  protected abstract textOf(file: string): string | undefined;

  protected override setBreakPointsRequest(
    response: DebugProtocol.SetBreakpointsResponse,
    given: DebugProtocol.SetBreakpointsArguments,
  ): void {
    const file = given.source.path;
    if (file === undefined) {
      this.refuse(response, 'The source has no path.');
      return;
    }
    const places = (given.breakpoints ?? []).map((one) => ({
      ...one,
      line: this.convertClientLineToDebugger(one.line),
      ...(one.column === undefined ? {} : { column: this.convertClientColumnToDebugger(one.column) }),
    }));
    const text = (): string | undefined => this.textOf(file);
    const set = this.stops.setLines(file, places, text);
    response.body = {
      breakpoints: set.map(({ line, ...rest }) => ({
        ...rest,
        line: this.convertDebuggerLineToClient(line),
        source: new Source(basename(file), file),
      })),
    };
    this.sendResponse(response);
  }

  protected override breakpointLocationsRequest(
    response: DebugProtocol.BreakpointLocationsResponse,
    { source, line, endLine }: DebugProtocol.BreakpointLocationsArguments,
  ): void {
    const first = this.convertClientLineToDebugger(line);
    const last = endLine === undefined ? first : this.convertClientLineToDebugger(endLine);
    const lines = source.path === undefined ? [] : this.stops.linesOf(source.path, () => this.textOf(source.path!));
    response.body = {
      breakpoints: lines
        .filter((one) => one >= first && one <= last)
        .map((one) => ({ line: this.convertDebuggerLineToClient(one) })),
    };
    this.sendResponse(response);
  }

  protected override setFunctionBreakPointsRequest(
    response: DebugProtocol.SetFunctionBreakpointsResponse,
    { breakpoints }: DebugProtocol.SetFunctionBreakpointsArguments,
  ): void {
    response.body = { breakpoints: this.stops.setFunctions(breakpoints.map(({ name }) => name)) };
    this.sendResponse(response);
  }

  protected override setExceptionBreakPointsRequest(
    response: DebugProtocol.SetExceptionBreakpointsResponse,
    { filters, filterOptions }: DebugProtocol.SetExceptionBreakpointsArguments,
  ): void {
    this.stops.setFilters([...filters, ...(filterOptions ?? []).map(({ filterId }) => filterId)]);
    this.sendResponse(response);
  }

  protected override setDataBreakpointsRequest(
    response: DebugProtocol.SetDataBreakpointsResponse,
    { breakpoints }: DebugProtocol.SetDataBreakpointsArguments,
  ): void {
    response.body = { breakpoints: this.stops.setWrites(breakpoints.map(({ dataId }) => dataId)) };
    this.sendResponse(response);
  }

  /** @param shown as a message of its own, where the client has a place for that */
  protected refuse(response: DebugProtocol.Response, format: string, shown = true): void {
    this.sendErrorResponse(
      response,
      { id: 1, format: format.replace(/[{}]/g, ''), showUser: shown },
      undefined,
      undefined,
      ErrorDestination.User,
    );
  }

  protected say(text: string): void {
    this.sendEvent(new OutputEvent(`${text}\n`, 'console'));
  }
}

/** The text of a file on disk. */
export function textOnDisk(file: string): string | undefined {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    return undefined;
  }
}
