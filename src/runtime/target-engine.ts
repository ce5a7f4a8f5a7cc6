/** What a target needs of the engine around it. */
import type { ModuleLink } from '../wire/modules.js';
import type { Batch } from '../wire/reports.js';
import type { InputEngine } from './input.js';
import type { HoldNews } from '../wire/holding.js';
import type { EntriesEngine } from './entries/engine.js';
import type { HoldEngine } from './holding/engine.js';
import type { PauseNews } from '../wire/pausing.js';
import type { PauseEngine } from './pausing/engine.js';
import type { PointsHost } from './pausing/points-engine.js';
import type { ModuleEngine } from './modules/engine.js';
import type { Introspection } from './preview.js';
import type { ShowingEngine } from './shown.js';
import type { Stacks } from './stacks.js';
import type { TestEngine } from './tests/engine.js';

export interface TargetEngine extends ModuleEngine, TestEngine, ShowingEngine {
  introspection: Introspection;
  now(): number;
  later(callback: () => void): void;
  send(batch: Batch): void;
  /** Tells the files of this runtime and its host, which never show in stacks. */
  isOwnFile(file: string): boolean;
  console: object | undefined;
  /** Stacks of another target in this thread, which are those of this one too. */
  stacks?: Stacks;
  /** The program's own console goes on; what it prints is reported beside it while somebody looks. */
  ownConsole?: object;
  /** The engine loads modules by itself: gives the namespace of one that a change imports. */
  ownLoader?(file: string, link: ModuleLink): Promise<object>;
  /** Calls back again and again, without keeping the program from its end; the result ends it. */
  every?(ms: number, callback: () => void): () => void;
  /** What `input` needs of the engine. */
  input?: InputEngine;
  /** What the first module threw, or a module that it imports; true where that has been dealt with. */
  uncaught?(error: unknown): boolean;
  /** The top level never comes to its end. */
  unsettled?(): void;
  /** Calls again what an error had stopped for good; gives its names. */
  resume?(): string[];
  /** Global objects that stand behind getters of the engine. */
  globals?: Record<string, unknown>;
  /** Tells what is written to standard output and error, or no longer. */
  listen?(on: boolean): void;
  /** Stops the thread; absent where it cannot be. */
  pauses?: PauseEngine;
  /** What waiting needs, where there is no debugger: versions of functions ask, and wait. */
  points?: PointsHost;
  /** Tells what happens to pauses. */
  tellPause?(news: PauseNews): void;
  /** What holding calls needs; absent where none are held. */
  holds?: HoldEngine;
  tellHold?(news: HoldNews): void;
  /** What watching calls from outside needs; absent where none can be told. */
  entries?: EntriesEngine;
  /** A timer of the engine is over. */
  timerOver?(handle: unknown): boolean;
}
