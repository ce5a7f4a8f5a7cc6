/** What a client may ask of a program that runs. */
import type { DebugProtocol } from '@vscode/debugprotocol';

export const LIVE_CAPABILITIES: DebugProtocol.Capabilities = {
  supportsConfigurationDoneRequest: true,
  supportsStepBack: false,
  supportsConditionalBreakpoints: true,
  supportsHitConditionalBreakpoints: true,
  supportsLogPoints: true,
  supportsFunctionBreakpoints: true,
  supportsDataBreakpoints: true,
  supportsBreakpointLocationsRequest: false,
  supportsExceptionInfoRequest: true,
  supportsEvaluateForHovers: true,
  supportsSetVariable: true,
  supportsSetExpression: true,
  supportsRestartFrame: true,
  supportsGotoTargetsRequest: true,
  supportsStepInTargetsRequest: false,
  supportsTerminateRequest: true,
  supportTerminateDebuggee: true,
  exceptionBreakpointFilters: [
    { filter: 'all', label: 'All errors' },
    { filter: 'uncaught', label: 'Errors that no code of the program catches' },
  ],
};
