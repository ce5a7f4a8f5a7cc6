/** Entry points of a program: what came in, grouped by the work it was, and handlers that wait for their first call. */
import type { EntryCounts, EntryKind, RawEntry } from '../../wire/entries.js';
import { LearnedShapes, routeOf, type RouteShape } from './shapes.js';

/** Where a handler is registered. */
export interface RegisteredAt {
  file: string;
  /** Zero-based. */
  line: number;
}

/** A handler that a text registers. */
export interface RegisteredHandler extends RegisteredAt {
  kind: Extract<EntryKind, 'request' | 'event' | 'timer'>;
  /** Of a request. */
  route?: RouteShape;
  /** Of others. */
  name: string;
  /** The function that is called, where it has a name. */
  handler?: string;
}

/** An entry point. */
export interface EntryPoint {
  /** `GET /tolls/:id`; unique. */
  key: string;
  kind: EntryKind;
  method?: string;
  /** Shape of the path. */
  shape?: string;
  /** The function that is called from outside, where it is no request. */
  handler?: { file: string; path: string };
  registered?: RegisteredAt;
  count: number;
  failed: number;
  /** Milliseconds of all, and of the last. */
  totalMs: number;
  lastMs?: number;
  /** Status of the last answer. */
  status?: number;
  /** Milliseconds since 1970, of the last. */
  at?: number;
  /** Calls a second, over the last ten. */
  rate: number;
  /** The last that was told whole. */
  last?: RawEntry;
  /** Where it came in: label of the target, empty for the program itself. */
  where: string;
}

const MOST_POINTS = 2_000;
const RATE_MS = 10_000;

interface Kept extends EntryPoint {
  recent: { at: number; count: number }[];
}

export class EntryBook {
  private points = new Map<string, Kept>();
  private readonly learned = new LearnedShapes();
  private routes: (RouteShape & RegisteredAt)[] = [];
  /** Keys of registered listeners, by file and function. */
  private listeners = new Map<string, string>();
  /** Entries that are not told apart any more: there were too many. */
  omitted = 0;

  /** @param find the function of a number */
  constructor(private readonly find: (of: number) => { file: string; path: string } | undefined) {}

  /** What texts register now. */
  register(handlers: readonly RegisteredHandler[]): void {
    this.routes = handlers.flatMap(({ route, file, line }) => (route ? [{ ...route, file, line }] : []));
    this.listeners = new Map(
      handlers.flatMap(({ kind, name, file, handler }) =>
        handler === undefined ? [] : [[`${file} ${handler}`, `${kind} ${name}`]],
      ),
    );
    // Those that nothing has called are the texts' alone.
    for (const [key, { count }] of this.points) if (count === 0) this.points.delete(key);
    for (const point of this.points.values()) delete point.registered;
    for (const { kind, route, name, file, line } of handlers) {
      const key = route ? `${route.method} ${route.path}` : `${kind} ${name}`;
      const known = this.points.get(key);
      if (known) {
        known.registered ??= { file, line };
        continue;
      }
      this.put({
        ...{ key, kind, count: 0, failed: 0, totalMs: 0, rate: 0, where: '', recent: [], registered: { file, line } },
        ...(route ? { method: route.method, shape: route.path } : {}),
      });
    }
    this.regroup();
  }

  /** Entries that came in. @param now milliseconds since 1970 */
  add(list: readonly EntryCounts[], where: string, now: number): void {
    for (const counts of list) this.addOne(counts, where, now);
  }

  private addOne(counts: EntryCounts, where: string, now: number): void {
    const { kind, method, path, name, of, last } = counts;
    const handler = of === undefined ? undefined : this.find(of);
    const listener = handler && this.listeners.get(`${handler.file} ${handler.path.split('/').at(-1)!}`);
    let key = listener ?? `${kind} ${name ?? handler?.path ?? 'unknown'}`;
    let shape: string | undefined;
    let registered: RegisteredAt | undefined;
    let known: string | undefined = method;
    if (kind === 'request' && method !== undefined && path !== undefined) {
      const route = routeOf(method, path, this.routes);
      const found = route ? { shape: route.path, isNew: false } : this.learned.shapeOf(method, path);
      shape = found.shape;
      if (route) {
        registered = { file: route.file, line: route.line };
        known = route.method === '*' ? method : route.method;
      }
      key = `${known ?? ''} ${shape}`;
      if (found.isNew) this.regroup();
    }
    let point = this.points.get(key);
    if (!point) {
      if (this.points.size >= MOST_POINTS) {
        this.omitted += counts.count;
        return;
      }
      point = this.put({
        ...{ key, kind, count: 0, failed: 0, totalMs: 0, rate: 0, where, recent: [] },
        ...(known === undefined ? {} : { method: known }),
        ...(shape === undefined ? {} : { shape }),
        ...(handler ? { handler } : {}),
        ...(registered ? { registered } : {}),
      });
    }
    point.where = where;
    point.count += counts.count;
    point.failed += counts.failed;
    point.totalMs += counts.ms;
    point.at = now;
    if (counts.status !== undefined) point.status = counts.status;
    if (last) {
      point.last = last;
      if (last.ms !== undefined) point.lastMs = last.ms;
    }
    point.recent.push({ at: now, count: counts.count });
  }

  private put(point: Kept): Kept {
    this.points.set(point.key, point);
    return point;
  }

  /** Puts together what is one now. */
  private regroup(): void {
    const all = [...this.points.values()];
    this.points = new Map();
    for (const point of all) {
      const { method, shape } = point;
      if (point.kind === 'request' && method !== undefined && shape !== undefined && point.count > 0) {
        const route = routeOf(method, point.last?.url?.split('?')[0] ?? shape, this.routes);
        point.shape = route?.path ?? this.learned.shapeOf(method, shape).shape;
        if (route) point.registered = { file: route.file, line: route.line };
        point.key = `${method} ${point.shape}`;
      }
      const other = this.points.get(point.key);
      if (!other) {
        this.points.set(point.key, point);
        continue;
      }
      const [newer, older] = (point.at ?? 0) > (other.at ?? 0) ? [point, other] : [other, point];
      this.points.set(point.key, {
        ...newer,
        count: newer.count + older.count,
        failed: newer.failed + older.failed,
        totalMs: newer.totalMs + older.totalMs,
        recent: [...older.recent, ...newer.recent].sort((a, b) => a.at - b.at),
        ...((newer.registered ?? older.registered) ? { registered: (newer.registered ?? older.registered)! } : {}),
      });
    }
  }

  get(key: string): EntryPoint | undefined {
    return this.points.get(key);
  }

  /** Those that were called, the last first, then those that wait for their first call, as they are written. */
  all(now: number): EntryPoint[] {
    const list = [...this.points.values()].map(({ recent, ...point }): EntryPoint => {
      while (recent.length > 0 && recent[0]!.at < now - RATE_MS) recent.shift();
      const count = recent.reduce((sum, one) => sum + one.count, 0);
      return { ...point, rate: count / (RATE_MS / 1_000) };
    });
    const called = list.filter(({ count }) => count > 0).sort((a, b) => (b.at ?? 0) - (a.at ?? 0));
    return [...called, ...list.filter(({ count }) => count === 0)];
  }

  /** Forgets what came in; what texts register stays. */
  clear(): void {
    for (const [key, point] of this.points) {
      if (!point.registered) this.points.delete(key);
      else {
        Object.assign(point, { count: 0, failed: 0, totalMs: 0, rate: 0, recent: [] });
        for (const key of ['last', 'lastMs', 'status', 'at'] as const) delete point[key];
      }
    }
    this.omitted = 0;
  }
}
