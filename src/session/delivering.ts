/** What a pad's process tells of a run, handed to whoever has asked for that. */
import type { RunRequest, RunSink } from './host.js';
import type { FromRelay, ToRelay } from '../wire/messages.js';
import type { Batch } from '../wire/reports.js';
import type { RawStop } from '../wire/runs.js';

export interface Running {
  request: RunRequest;
  sink: RunSink;
  /** Console text written past the console, by the file descriptor. */
  told: boolean;
  /** Its process has said something of it. */
  heard?: true;
}

/** What a process tells; what it has started is for its end alone. */
export type FromProcess = Exclude<FromRelay, { type: 'started' }>;

/** Hands on what a process tells of a run. @param answer says something to that process */
export function deliver(
  message: Exclude<FromProcess, { type: 'ready' }>,
  running: Running,
  answer: (message: ToRelay) => void,
): void {
  const { sink } = running;
  switch (message.type) {
    case 'batch':
      sink.batch(message.batch);
      break;
    case 'settled':
      sink.settled(message.durationMs);
      break;
    case 'idle':
      sink.idle();
      break;
    case 'kept':
      sink.kept?.();
      break;
    case 'stopped':
      running.told = true;
      sink.stopped(message.stop);
      break;
    case 'needs-process':
      sink.needsProcess(message.what);
      break;
    case 'result':
      sink.result?.(message.result);
      break;
    case 'looked':
      sink.looked(message.ask, message.answer);
      break;
    case 'pausing':
      sink.pausing?.(message.news);
      break;
    case 'answered':
      sink.answered?.(message.ask, message.answer);
      break;
    case 'resolve':
      answer({
        type: 'resolved',
        id: message.id,
        ask: message.ask,
        answer: sink.resolve(message.specifier, message.from),
      });
      break;
  }
}

export function garbledStop(detail: string): RawStop {
  return { reason: 'garbled', detail };
}

export function exitStop(code: number | null, signal: string | null): RawStop {
  return signal ? { reason: 'killed', code: signal } : { reason: 'crashed', code: code ?? -1 };
}

export function outputBatch(level: 'stdout' | 'stderr', text: string): Batch {
  return {
    moment: 0,
    console: [
      { moment: 0, time: 0, level, method: 'write', args: [], text: text.replace(/\r?\n$/, ''), indent: 0, site: -1 },
    ],
  };
}
