/** The messages on the way between session, relay and pad. */
import type { Batch, ModuleCode, ModuleLink, RawFrame } from '../../runtime/wire.js';
import type { LookAnswer, LookRequest, NamesRequest } from '../../runtime/look.js';
import type { Action } from '../../runtime/target.js';
import type { LiveAnswer, LiveChange } from '../../runtime/target.js';
import type { PadResult, RawStop, RunAsked } from '../../session/host.js';

/** The environment variable in which what a live program starts finds where to come, as JSON. */
export const INVITATION = 'USHER_ANVIL_LIVE';

/** What a live program tells by itself. */
export type LiveNews =
  /** A patch did not end, and was taken back. */
  | { is: 'undone' }
  | { is: 'extension'; file: string; from: string }
  /** The program wrote to its output; `omitted` characters of a flood are not told. */
  | { is: 'output'; stream: 'stdout' | 'stderr'; text: string; omitted: number };

/** Session to relay. */
export type ToRelay =
  | {
      type: 'configure';
      memoryMb: number;
      warm: { specifier: string; from: string }[];
      rehearsal: ModuleCode[];
      once: boolean;
    }
  | { type: 'run'; id: number; entry: string; modules: ModuleCode[]; hangMs: number; argv: string[]; asked: RunAsked }
  | { type: 'cancel'; id: number }
  | { type: 'expire'; id: number }
  | { type: 'resolved'; id: number; ask: number; answer: { link: ModuleLink; modules: ModuleCode[] } }
  | { type: 'change'; id: number; ask: number; change: LiveChange }
  | { type: 'act'; id: number; action: Action }
  | { type: 'look'; id: number; ask: number; request: LookRequest | NamesRequest };

/** Relay to session. */
export type FromRelay =
  | { type: 'ready' }
  | { type: 'batch'; id: number; batch: Batch }
  | { type: 'settled'; id: number; durationMs: number }
  | { type: 'idle'; id: number }
  | { type: 'result'; id: number; result: PadResult }
  | { type: 'stopped'; id: number; stop: RawStop }
  | { type: 'needs-process'; id: number; what: string }
  | { type: 'resolve'; id: number; ask: number; specifier: string; from: string }
  | { type: 'changed'; id: number; ask: number; answer: LiveAnswer }
  | { type: 'live'; id: number; event: LiveNews }
  | { type: 'looked'; id: number; ask: number; answer: LookAnswer };

/** Relay to the pad's thread. */
export type ToPad =
  | { type: 'run'; entry: string; modules: ModuleCode[]; argv: string[]; asked: RunAsked }
  | { type: 'ping' }
  | { type: 'resolved'; ask: number; answer: { link: ModuleLink; modules: ModuleCode[] } }
  | { type: 'change'; ask: number; change: LiveChange }
  | { type: 'act'; action: Action }
  | { type: 'look'; ask: number; request: LookRequest | NamesRequest };

/** The pad's thread to the relay. */
export type FromPad =
  | { type: 'ready' }
  | { type: 'cells'; unit: number; cells: SharedArrayBuffer }
  | { type: 'batch'; batch: Batch }
  | { type: 'settled'; durationMs: number }
  | { type: 'idle' }
  | { type: 'result'; result: PadResult }
  | { type: 'pong' }
  | { type: 'needs-process'; what: string }
  /** The pad is about to end its own thread or process. The flag is set when the session has been told. */
  | {
      type: 'leaving';
      reason: 'exit' | 'abort' | 'killed';
      code?: number | string;
      frames: RawFrame[];
      told: SharedArrayBuffer;
    }
  | { type: 'resolve'; ask: number; specifier: string; from: string; wake?: SharedArrayBuffer }
  | { type: 'changed'; ask: number; answer: LiveAnswer }
  | { type: 'live'; event: LiveNews }
  | { type: 'looked'; ask: number; answer: LookAnswer };

/** How a pad's thread was started. */
export interface PadData {
  warm: { specifier: string; from: string }[];
  /** A program to run before the pad comes; its reports go nowhere. */
  rehearsal: ModuleCode[];
  /** `worker`, or the main thread of a process. */
  place: 'worker' | 'process';
  /** Patches are expected: the program's own output and input stay its own. */
  live: boolean;
}
