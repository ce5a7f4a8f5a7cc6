/** What a program waits for, and what a person can do to it while it runs: timers, requests, gates, dials. */
import type { Batch, RawDial, RawGate, RawRequest, RawTimer, RawWait } from '../wire/reports.js';
import type { GateOutcome, PadRecord } from './record.js';

export class Pending {
  /** Calls of `await` that go on. */
  waits: readonly RawWait[] = [];
  private timers: readonly RawTimer[] = [];
  private readonly requests = new Map<number, RawRequest>();
  private readonly dials = new Map<string, RawDial>();
  private readonly gates = new Map<number, RawGate>();
  /** What came of gates before this run, by name. */
  outcomes: ((name: string) => GateOutcome | undefined) | undefined;

  add(batch: Batch): void {
    if (batch.waits) this.waits = batch.waits;
    if (batch.timers) this.timers = batch.timers;
    for (const dial of batch.dials ?? []) this.dials.set(dial.name, dial);
    for (const gate of batch.gates ?? []) this.gates.set(gate.id, gate);
    for (const request of batch.requests ?? []) this.requests.set(request.id, request);
  }

  soFar(): Pick<PadRecord, 'waits' | 'timers' | 'requests' | 'dials' | 'gates'> {
    const gates = [...this.gates.values()];
    return {
      waits: this.waits.filter(
        (wait) =>
          !gates.some(
            (gate) => gate.state === 'closed' && gate.frame?.file === wait.file && gate.frame.line === wait.line,
          ),
      ),
      timers: this.timers,
      requests: [...this.requests.values()],
      dials: [...this.dials.values()],
      gates: gates.map((gate) => {
        const last = this.outcomes?.(gate.name);
        return last && gate.state === 'closed' ? { ...gate, last } : gate;
      }),
    };
  }

  /** What keeps the program going, as far as it is known, in words; empty when nothing is known. */
  places(): string {
    const at = (line: number | undefined): string => (line === undefined ? '' : ` at line ${line + 1}`);
    const found = [
      ...this.timers.map((timer) => `${timer.repeats ? 'an interval' : 'a timer'}${at(timer.frame?.line)}`),
      ...[...this.requests.values()]
        .filter((request) => request.state === 'open')
        .map((request) => `a request${at(request.frames[0]?.line)}`),
      ...this.waits.map((wait) => `an await${at(wait.line)}`),
    ];
    if (found.length === 0) return '';
    const more = found.length > 3 ? ` and ${found.length - 3} more` : '';
    return `${found.slice(0, 3).join(', ')}${more} ${found.length === 1 ? 'is' : 'are'} pending`;
  }
}
