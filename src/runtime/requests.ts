/** Requests that the program makes, from their begin to their body. */
import type { RawRequest } from '../wire/reports.js';
import type { ErrorReader } from './errors.js';
import { CONSOLE } from './preview.js';
import type { Reporter } from './reports/reporter.js';

/** Requests of one run that are listed. */
const MOST_REQUESTS = 1_000;

export class Requests {
  private begun = 0;

  constructor(
    private readonly reporter: Reporter,
    private readonly errors: ErrorReader,
  ) {}

  /** @param since milliseconds since the run began */
  begin(entry: Omit<RawRequest, 'id' | 'moment'>): RawRequest {
    const made: RawRequest = { ...entry, id: ++this.begun, moment: ++this.reporter.clock };
    this.tell(made);
    return made;
  }

  /** A request has changed; with its body where that has come. */
  changed(entry: RawRequest, body?: { value: unknown }, error?: unknown): void {
    const { reporter } = this;
    if (body) {
      entry.body = reporter.previewer.take(body.value, CONSOLE);
      entry.bodyMoment = ++reporter.clock;
      reporter.holder.hold(entry.bodyMoment, 0, body.value);
    }
    if (error !== undefined) {
      const read = this.errors.read(error, 'thrown', reporter.clock);
      const cause = read.cause ?? read;
      entry.error = `${read.message}${cause !== read ? `: ${cause.message || (cause.code ?? '')}` : ''}`;
    }
    this.tell({ ...entry });
  }

  private tell(request: RawRequest): void {
    if (request.id <= MOST_REQUESTS) this.reporter.addRequest(request);
  }
}
