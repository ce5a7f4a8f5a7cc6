/**
 * Processes that a pad starts end with its run: they are in the group of the pad's process, which is ended as one.
 * A worker shares its process with other runs, so a pad that starts processes gets one of its own.
 */
import type { ChildProcess } from 'node:child_process';
import { syncBuiltinESMExports } from 'node:module';
import type { PadData } from '../../../wire/messages.js';
import type { Originals } from './originals.js';

type Disguise = (made: object, original: object) => void;

export function guardStarting(originals: Originals, { place, live, keepStarted }: PadData, disguise: Disguise): void {
  if (live || keepStarted || process.platform === 'win32') return;
  const module = originals.builtin('node:child_process') as typeof import('node:child_process');
  const { prototype } = module.ChildProcess as unknown as {
    prototype: ChildProcess & { spawn(options: { detached?: boolean }): unknown };
  };
  const { spawn } = prototype;
  const needsProcess = (): void => {
    originals.send({ type: 'needs-process', what: 'processes that it starts' });
    throw new Error('a pad that starts processes needs a process of its own');
  };
  const made = {
    spawn(this: ChildProcess, options: { detached?: boolean }): unknown {
      if (place === 'worker') needsProcess();
      const result = Reflect.apply(spawn, this, [options]) as unknown;
      // It leads a group of its own, which has to be ended too.
      if (options?.detached && this.pid !== undefined) originals.send({ type: 'started', pid: this.pid });
      return result;
    },
  }.spawn;
  disguise(made, spawn);
  prototype.spawn = made;
  if (place !== 'worker') return;
  for (const name of ['spawnSync', 'execSync', 'execFileSync'] as const) {
    const original = module[name] as (...args: unknown[]) => unknown;
    const guarded = {
      [name](): unknown {
        return needsProcess();
      },
    }[name]!;
    disguise(guarded, original);
    (module as Record<string, unknown>)[name] = guarded;
  }
  syncBuiltinESMExports();
}
