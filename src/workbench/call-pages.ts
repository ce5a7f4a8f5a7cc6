/** Pages of the tree of calls of a run that is walked through. */
import type { WalkCalls } from '../server/protocol.js';

/** The pages that came, by the frame that called; those of another run or filter are let go of. */
export function withCalls(known: readonly WalkCalls[], page: WalkCalls): readonly WalkCalls[] {
  const same = known.filter(({ run, filter }) => run === page.run && filter === page.filter);
  return [...same.filter(({ under, from }) => under !== page.under || from !== page.from), page];
}
