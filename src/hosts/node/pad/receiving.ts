/** What a pad's thread is told: packages to load, its run, and perhaps one more run. */
import type { MessagePort } from 'node:worker_threads';
import type { ToPad } from '../../../wire/messages.js';
import type { ModuleCode } from '../../../wire/modules.js';
import type { Ground } from './ground.js';
import type { ImportFrom } from './importing.js';
import type { Originals } from './originals.js';
import { warm } from './ready.js';
import type { PadRun } from './running.js';

export interface Receiving {
  port: MessagePort;
  run: PadRun;
  importer: (from: string) => ImportFrom;
  originals: Originals;
  /** Where one more run may begin in the thread. */
  ground: Ground | undefined;
  /** The program has left nothing behind that the ground does not know of. */
  mayKeep(): boolean;
  /** Takes away this run's part of the thread. */
  leave(): void;
  /** Begins the thread anew for one more run. */
  again(): void;
}

export function receiveRuns({ port, run, importer, originals, ground, mayKeep, leave, again }: Receiving): void {
  const receive = (message: ToPad): void => {
    if (message.type === 'warm') {
      void warm(importer, message.packages, originals.now).then((loadMs) => {
        ground?.ready();
        originals.send({ type: 'ready', loadMs });
      });
    } else if (message.type !== 'run' || !ground || !run.stage.running) run.handle(message);
    else {
      port.off('message', receive);
      leave();
      ground.restore();
      again();
      port.emit('message', message);
    }
  };
  port.on('message', receive);
  run.idle = () => {
    if (!ground || !mayKeep()) return;
    originals.later(() => {
      if (run.stage.idle && !ground.isTouched(run.target.framework?.globals ?? []))
        originals.send({ type: 'unchanged' });
    });
  };
}

/** What a run sends until it is over: packages may hold what it has put into the global object. */
export function endableSends(platform: Originals): { originals: Originals; end(): void } {
  let isOver = false;
  const send: Originals['send'] = (message, transfer) => {
    if (!isOver) platform.send(message, transfer);
  };
  return { originals: { ...platform, send }, end: () => (isOver = true) };
}

export function importsPackages(modules: readonly ModuleCode[]): boolean {
  return modules.some(({ links, dynamic }) =>
    [...links, ...Object.values(dynamic)].some(({ kind }) => kind === 'package'),
  );
}
