/** What the targets of a program are asked about calls from outside. */
import type { EntryPoint } from '../../../record/entries/book.js';
import type { EntriesRequest } from '../../../wire/entries.js';
import type { RunningProgram } from '../running.js';
import type { TargetState } from '../target-state.js';

/** Where a server of the program listens. */
export interface ServerPlace {
  port: number;
  secure: boolean;
}

export async function askTarget(
  { target }: TargetState,
  request: EntriesRequest,
): Promise<{ ports?: ServerPlace[] | undefined }> {
  const answer = await target?.change({ do: 'entries', request });
  return answer?.entries ?? {};
}

/** Where a request of an entry goes; undefined where no target has a server. */
export async function placeOf(
  { targets }: RunningProgram,
  { where, last }: EntryPoint,
): Promise<{ state: TargetState; place: ServerPlace } | undefined> {
  const first = targets.filter(({ label }) => label === where);
  for (const state of [...first, ...targets.filter(({ label }) => label !== where)]) {
    const { ports = [] } = await askTarget(state, { do: 'ports' });
    const place = ports.find(({ port }) => port === last?.port) ?? ports[0];
    if (place) return { state, place };
  }
  return undefined;
}
