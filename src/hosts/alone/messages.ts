/** What the page of a published pad says to the worker that runs it. */
import type { ToCompared } from '../../wire/comparing.js';
import type { LookRequest } from '../../wire/looking.js';
import type { Resolved } from '../../wire/messages.js';
import type { Action, ModuleCode } from '../../wire/modules.js';
import type { PauseRequest } from '../../wire/pausing.js';
import type { RunAsked } from '../../wire/runs.js';

export type ToThread =
  /**
   * `packages`: a script that declares an object `packages` of them, by specifier, or by specifier and folder.
   * `tables`: a script that sets `usherAnvilTables`, which parses separated values; empty for a run without data.
   */
  | {
      type: 'run';
      id: number;
      entry: string;
      modules: ModuleCode[];
      asked: RunAsked;
      packages: string;
      tables: string;
    }
  /** A small program that it runs before a pad comes, whose reports go nowhere. */
  | { type: 'rehearse'; modules: ModuleCode[] }
  /** It paints pictures for another worker from now on. */
  | { type: 'paint' }
  /** It calls ways of a pad, whose first module exports them. */
  | { type: 'compare'; modules: ModuleCode[]; names: string[]; packages: string }
  | { type: 'asked'; asked: ToCompared }
  | { type: 'ping' }
  | { type: 'resolved'; ask: number; answer: Resolved }
  | { type: 'look'; id: number; ask: number; request: LookRequest }
  | { type: 'act'; action: Action }
  | { type: 'pause'; id: number; ask: number; request: PauseRequest };
