/** Modules that import each other in a circle. */
import type { ModuleLink } from '../wire/modules.js';

/** Modules that can reach themselves through static imports. */
export function findCycles(
  order: readonly { file: string; links: ModuleLink[] }[],
  index: ReadonlyMap<string, number>,
): Set<number> {
  const cyclic = new Set<number>();
  const edges = order.map(({ links }) =>
    links.filter((link) => link.kind === 'local').map((link) => index.get(link.target)!),
  );
  for (let start = 0; start < order.length; start++) {
    const seen = new Set<number>();
    const stack = [...edges[start]!];
    while (stack.length > 0) {
      const at = stack.pop()!;
      if (at === start) {
        cyclic.add(start);
        break;
      }
      if (seen.has(at)) continue;
      seen.add(at);
      stack.push(...edges[at]!);
    }
  }
  return cyclic;
}
