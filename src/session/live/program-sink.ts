/** What the process of a program tells its session. */
import type { HoldNews } from '../../wire/holding.js';
import type { Observe } from '../../wire/modules.js';
import type { PauseNews } from '../../wire/pausing.js';
import type { Batch } from '../../wire/reports.js';
import type { RawStop } from '../../wire/runs.js';
import type { LiveOutput, LiveSink } from './events.js';
import type { RunningProgram } from './running.js';

export interface Told {
  batch(batch: Batch): void;
  output(output: LiveOutput): void;
  /** A change was taken back by the program itself. */
  undone(text: string): void;
  stopped(stop: RawStop | undefined): void;
  pausing(news: PauseNews): void;
  holding(news: HoldNews): void;
  /** Modules that are about to run: what is asked of them. */
  comes(files: readonly string[]): Observe;
}

export function programSink({ own, extensions }: RunningProgram, told: Told): LiveSink {
  return {
    batch: (batch) => told.batch(batch),
    settled: () => undefined,
    idle: () => undefined,
    stopped: (stop) => told.stopped(stop),
    needsProcess: () => undefined,
    looked: () => undefined,
    pausing: (news) => told.pausing(news),
    holding: (news) => told.holding(news),
    resolve(specifier, from) {
      const answer = own.resolve(specifier, from);
      return answer.modules.length > 0
        ? { ...answer, observe: told.comes(answer.modules.map(({ file }) => file)) }
        : answer;
    },
    news: (news) => {
      if (news.is === 'extension') extensions.add(news.file);
      else if (news.is === 'output') told.output(news);
      else told.undone('a change did not end, was stopped and is undone; the program goes on with what it had before');
    },
  };
}
