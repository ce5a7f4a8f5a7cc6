/** Inputs of two ways that are compared: smaller ones that still show a difference. */

/** Trials in which a smaller input is looked for. */
const TRIALS = 20_000;

/**
 * The smallest input that still shows what an input shows: parts are left out and numbers brought nearer to 0, one
 * after the other, as long as it does (Hildebrandt and Zeller, Simplifying and Isolating Failure-Inducing Input, 2002).
 *
 * @param shows tried on each
 * @param isOver no smaller one is looked for any more
 */
export async function smallest<Input>(
  input: Input,
  shows: (smaller: Input) => boolean | Promise<boolean>,
  isOver: () => boolean = () => false,
): Promise<Input> {
  let best: unknown = input;
  let left = TRIALS;
  for (let shrunk = true; shrunk && left > 0;) {
    shrunk = false;
    for (const smaller of smallerThan(best)) {
      if (left-- <= 0 || isOver()) return best as Input;
      if (!(await shows(smaller as Input))) continue;
      best = smaller;
      shrunk = true;
      break;
    }
  }
  return best as Input;
}

/** Values that are a little smaller, the much smaller ones first. */
function* smallerThan(value: unknown): Generator<unknown> {
  switch (typeof value) {
    case 'number':
      if (value === 0 || !Number.isFinite(value)) return;
      yield 0;
      if (!Number.isInteger(value)) yield Math.trunc(value);
      if (value < 0) yield -value;
      if (Math.abs(value) > 1) yield Math.trunc(value / 2);
      if (Number.isInteger(value)) yield value - Math.sign(value);
      return;
    case 'string':
      if (value === '') return;
      yield '';
      yield value.slice(0, value.length >> 1);
      yield value.slice(value.length >> 1);
      for (let i = 0; i < Math.min(value.length, 40); i++) yield value.slice(0, i) + value.slice(i + 1);
      return;
    case 'boolean':
      if (value) yield false;
      return;
    case 'object':
      if (Array.isArray(value)) yield* smallerLists(value);
      else if (value !== null && Object.getPrototypeOf(value) === Object.prototype)
        yield* smallerObjects(value as Record<string, unknown>);
  }
}

function* smallerLists(list: readonly unknown[]): Generator<unknown> {
  for (let size = list.length; size >= 1; size >>= 1)
    for (let from = 0; from < list.length; from += size) yield [...list.slice(0, from), ...list.slice(from + size)];
  for (const [index, item] of list.entries())
    for (const smaller of smallerThan(item)) yield list.map((one, at) => (at === index ? smaller : one));
}

function* smallerObjects(object: Readonly<Record<string, unknown>>): Generator<unknown> {
  // Each keeps its keys: without one it would be no input of the kind.
  for (const [key, value] of Object.entries(object))
    for (const smaller of smallerThan(value)) yield { ...object, [key]: smaller };
}
