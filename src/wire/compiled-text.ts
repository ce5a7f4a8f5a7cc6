/**
 * What the runtime reads out of instrumented code and the names it is evaluated under. No library here: it runs inside
 * of targets.
 */

/** A call that a patch point makes. */
export const PATCH_CALL =
  /\$ua_*p(?:\d+\.f\w+|\[\d+\])(?:\([^()]*\))?(?:\.(?:apply|call))?\(|\(new\.target===undefined\?\$ua_*p.*?,new\.target\)\)\.apply\(/g;

/** The name of a function around a statement that runs before the imports of its file. */
export const AHEAD = /^\$ua_*A\d+$/;

/**
 * The name of code that a change brought, or that reports:
 * `file#patch!points~lines`, `file#observe12!points~lines` with the unit of counts. `points`, with dots between, are the calls of
 * patch points as line, column and length with colons between; `lines` are the
 * distances from each line's original to the next one's, with dots between.
 * Numbers are written to base 36; both parts may be missing.
 */
export const NAME = {
  patch: '#patch',
  observe: '#observe',
  points: '!',
  lines: '~',
  next: '.',
  within: ':',
  base: 36,
} as const;

/** Where a module that a module runner executes gives an imported name to code that comes later: its late name. */
export function boundKey(name: string): string {
  return `bound ${name}`;
}

/** In the name of code that reports. */
export function unitText(unit: number): string {
  return `${NAME.observe}${digits(unit)}`;
}

/** The end of such a name. @param points line, column and length of each call of a patch point */
export function pointsText(points: readonly (readonly number[])[]): string {
  if (points.length === 0) return '';
  return `${NAME.points}${points.map((numbers) => numbers.map(digits).join(NAME.within)).join(NAME.next)}`;
}

/** @param lines original line of each line of the code */
export function linesText(lines: readonly number[]): string {
  return `${NAME.lines}${lines.map((line, index) => digits(line - (index === 0 ? 0 : lines[index - 1]!))).join(NAME.next)}`;
}

function digits(number: number): string {
  return number.toString(NAME.base);
}
