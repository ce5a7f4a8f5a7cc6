// Two ways to plan the locks of a morning: which barge goes through which lock, and when. A lock takes one barge at a
// time; who arrives first goes first, and of two that arrive together the one with the shorter way to go.
export interface Passage {
  barge: string;
  /** Minutes after six. */
  arrives: number;
  /** Locks on its way, the first one first. */
  locks: string[];
}

export interface Slot {
  barge: string;
  lock: string;
  from: number;
}

/** Minutes that a lock is taken for one barge, and that a barge is under way to the next. */
const FILLING = 12;
const REACH = 20;

/** The way it was always done: the next to go is looked for in the whole list, again and again. */
export function byList(passages: readonly Passage[]): Slot[] {
  const waiting = passages.map(({ barge, arrives, locks }) => ({ barge, at: arrives, locks: [...locks] }));
  const free = new Map<string, number>();
  const slots: Slot[] = [];
  for (;;) {
    let next: (typeof waiting)[number] | undefined;
    for (const one of waiting) {
      if (one.locks.length === 0) continue;
      if (!next || one.at < next.at || (one.at === next.at && one.locks.length < next.locks.length)) next = one;
    }
    if (!next) return slots;
    const lock = next.locks.shift()!;
    const from = Math.max(next.at, free.get(lock) ?? 0);
    free.set(lock, from + FILLING);
    next.at = from + FILLING + REACH;
    slots.push({ barge: next.barge, lock, from });
  }
}

/** The new way: who waits stands in a heap, the next to go on top. */
export function byHeap(passages: readonly Passage[]): Slot[] {
  const heap: { barge: string; at: number; locks: readonly string[]; done: number; order: number }[] = [];
  const isBefore = (a: (typeof heap)[number], b: (typeof heap)[number]): boolean =>
    a.at !== b.at ? a.at < b.at : a.locks.length - a.done !== b.locks.length - b.done ? a.locks.length - a.done < b.locks.length - b.done : a.order < b.order;
  const put = (one: (typeof heap)[number]): void => {
    let at = heap.push(one) - 1;
    while (at > 0) {
      const above = (at - 1) >> 1;
      if (!isBefore(heap[at]!, heap[above]!)) break;
      [heap[at], heap[above]] = [heap[above]!, heap[at]!];
      at = above;
    }
  };
  const take = (): (typeof heap)[number] | undefined => {
    const top = heap[0];
    const last = heap.pop();
    if (!top || !last || top === last) return top;
    heap[0] = last;
    for (let at = 0; ;) {
      let least = at;
      for (const below of [2 * at + 1, 2 * at + 2]) if (below < heap.length && isBefore(heap[below]!, heap[least]!)) least = below;
      if (least === at) return top;
      [heap[at], heap[least]] = [heap[least]!, heap[at]!];
      at = least;
    }
  };
  passages.forEach(({ barge, arrives, locks }, order) => {
    if (locks.length > 0) put({ barge, at: arrives, locks, done: 0, order });
  });
  const free = new Map<string, number>();
  const slots: Slot[] = [];
  for (let next = take(); next; next = take()) {
    const lock = next.locks[next.done++]!;
    const from = Math.max(next.at, free.get(lock) ?? 0);
    free.set(lock, from + FILLING);
    slots.push({ barge: next.barge, lock, from });
    // Whoever has waited for more than twenty minutes gives up the last lock of its way.
    const isLate = from - next.at > 20 && next.done === next.locks.length - 1;
    if (next.done < next.locks.length && !isLate) put({ ...next, at: from + FILLING + REACH });
  }
  return slots;
}

const LOCKS = ['Alder', 'Birch', 'Cress', 'Dun', 'Elm'];
const BARGES = ['Heron', 'Otter', 'Kestrel', 'Plover', 'Dunlin', 'Teal'];

/** A morning that is made up: how many barges come, when, and where they go. */
export function generate(random: () => number, barges = Math.floor(random() * 8)): Passage[] {
  return Array.from({ length: barges }, (_, number) => {
    const [a, b] = [Math.floor(random() * LOCKS.length), Math.floor(random() * LOCKS.length)];
    const way = LOCKS.slice(Math.min(a, b), Math.max(a, b) + 1);
    const barge = `${BARGES[number % BARGES.length]!} ${Math.floor(number / BARGES.length) + 1}`;
    return { barge, arrives: Math.floor(random() * 240), locks: a <= b ? way : way.toReversed() };
  });
}

/** The same numbers each time. */
function counted(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 16_807) % 2_147_483_647) / 2_147_483_647;
}

/** What both are called with: eight barges. */
export const data = generate(counted(7), 8);

/** A morning with so many barges. */
export const sized = (barges: number): Passage[] => generate(counted(7), barges);
