/** What a client may ask of a walk. */
import type { DebugProtocol } from '@vscode/debugprotocol';

/** Kinds of failures to stop at. */
export const FILTERS = { failures: 'failures', caught: 'caught' } as const;

export const CAPABILITIES: DebugProtocol.Capabilities = {
  supportsConfigurationDoneRequest: true,
  supportsStepBack: true,
  supportsConditionalBreakpoints: true,
  supportsHitConditionalBreakpoints: true,
  supportsLogPoints: true,
  supportsFunctionBreakpoints: true,
  supportsDataBreakpoints: true,
  supportsBreakpointLocationsRequest: true,
  supportsExceptionInfoRequest: true,
  supportsExceptionFilterOptions: true,
  supportsEvaluateForHovers: true,
  supportsCompletionsRequest: true,
  supportsRestartFrame: true,
  supportsRestartRequest: true,
  supportsStepInTargetsRequest: true,
  supportsGotoTargetsRequest: true,
  supportsLoadedSourcesRequest: true,
  supportsDelayedStackTraceLoading: true,
  supportsTerminateRequest: true,
  supportTerminateDebuggee: true,
  exceptionBreakpointFilters: [
    { filter: FILTERS.failures, label: 'Errors and failed tests', default: true },
    { filter: FILTERS.caught, label: 'Errors that were caught' },
  ],
};
