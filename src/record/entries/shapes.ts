/** Shapes of addresses: which requests are the same work with other data. */

/** A route as it is written: `GET`, `/tolls/:id`. */
export interface RouteShape {
  /** `*` for any. */
  method: string;
  path: string;
}

/** A segment that is data by itself: a number, an identifier made by a machine, a date. */
const DATA =
  /^(?:\d+|\d{4}-\d\d(?:-\d\d)?|[\da-f]{8}-[\da-f]{4}-[\da-f]{4}-[\da-f]{4}-[\da-f]{12}|(?=[\da-f]*\d)[\da-f]{12,}|(?=[\w-]*\d)(?=[\w-]*[A-Za-z])[\w-]{20,})$/i;

/** Addresses that differ in one segment alone, from which on that segment is taken for data. */
const MOST_ALIKE = 8;

/** `:id`, `{id}`, `[id]`, `<id>`, `:id(\\d+)`, `*`. */
function isParameter(segment: string): boolean {
  return segment.startsWith(':') || segment.startsWith('*') || /^[{[<].*[}\]>]$/.test(segment);
}

function segmentsOf(path: string): string[] {
  const trimmed = path.length > 1 && path.endsWith('/') ? path.slice(0, -1) : path;
  return trimmed.split('/');
}

/** A path is one of a route's: its parameters take one segment each, `*` at the end takes all. */
export function fitsRoute(path: string, route: string): boolean {
  const own = segmentsOf(path);
  const written = segmentsOf(route);
  for (let i = 0; i < written.length; i++) {
    const segment = written[i]!;
    if (segment.startsWith('*') && i === written.length - 1) return own.length >= i;
    if (i >= own.length) return isOptional(segment) && i === written.length - 1;
    if (isParameter(segment) ? own[i] === '' : !sameText(segment, own[i]!)) return false;
  }
  return own.length === written.length;
}

function isOptional(segment: string): boolean {
  return segment.startsWith(':') && segment.endsWith('?');
}

function sameText(written: string, own: string): boolean {
  if (written === own) return true;
  try {
    return written === decodeURIComponent(own);
  } catch {
    return false;
  }
}

/** The route that a request is one of: where several are, the one with most that is written out. */
export function routeOf<Route extends RouteShape>(
  method: string,
  path: string,
  routes: readonly Route[],
): Route | undefined {
  let found: Route | undefined;
  let best = -1;
  for (const route of routes) {
    if (route.method !== '*' && route.method !== method && !(method === 'HEAD' && route.method === 'GET')) continue;
    if (!fitsRoute(path, route.path)) continue;
    const fixed = segmentsOf(route.path).filter((segment) => !isParameter(segment)).length;
    if (fixed > best) [best, found] = [fixed, route];
  }
  return found;
}

/** A route has parts that a request must fill in. */
export function hasParameters(path: string): boolean {
  return segmentsOf(path).some((segment) => isParameter(segment) && !isOptional(segment));
}

/** What a target is told of a shape: a segment that is `null` may be anything. */
export function segmentsToMatch(shape: string): (string | null)[] {
  return shape.split('/').map((segment) => (isParameter(segment) ? null : segment));
}

/** Shapes of addresses that no route is written for, learned from those that came. */
export class LearnedShapes {
  /** Segments that were seen at a place, by what stands around it. */
  private readonly seen = new Map<string, Set<string>>();
  private readonly learned = new Set<string>();

  /** @returns the shape, and true where it is a new one, so that what was told apart before is one now */
  shapeOf(method: string, path: string): { shape: string; isNew: boolean } {
    const parts = segmentsOf(path).map((segment) => (DATA.test(segment) ? ':id' : segment));
    let isNew = false;
    for (let i = 1; i < parts.length; i++) {
      if (isParameter(parts[i]!)) continue;
      const around = `${method} ${[...parts.slice(0, i), ':', ...parts.slice(i + 1)].join('/')}`;
      if (this.learned.has(around)) parts[i] = ':name';
      // What stands directly below the root is most often the name of a resource.
      else if (i > 1 && this.note(around, parts[i]!)) {
        isNew = true;
        parts[i] = ':name';
      }
    }
    return { shape: parts.join('/'), isNew };
  }

  private note(around: string, segment: string): boolean {
    let set = this.seen.get(around);
    if (!set) {
      // An attack on addresses is not remembered whole.
      if (this.seen.size > 5_000) return false;
      this.seen.set(around, (set = new Set()));
    }
    set.add(segment);
    if (set.size < MOST_ALIKE) return false;
    this.learned.add(around);
    this.seen.delete(around);
    return true;
  }
}
