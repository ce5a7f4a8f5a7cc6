/** What a walk shows at each step is what the engine's own debugger shows at the same place, stop by stop. */
import { join } from 'node:path';
import { runPad } from 'usher-anvil';
import { type Value, walk, type Walk } from 'usher-anvil/record';
import { stopsOf, type Stop } from './engine-debugger.js';
import { folder } from './harness.js';
import { walked } from './walked-programs.js';

/** A value as the debugger's side tells it; undefined where the record has less of it. */
function told({ type, text, form, class: name, size, entries, more, failed }: Value, depth = 1): string | undefined {
  if (failed) return undefined;
  switch (type) {
    case 'string':
      return size === undefined ? JSON.stringify(text) : undefined;
    case 'bigint':
      return `${text!.replace(/n$/, '')}n`;
    case 'undefined':
    case 'null':
      return type;
    case 'function':
      return 'function';
    case 'object': {
      if (text === 'circular' || form === 'proxy') return undefined;
      if (form === 'array') {
        if (depth === 0) return '[…]';
        if (entries === undefined || entries.some((entry) => entry.value.text === 'empty')) return undefined;
        if (more !== undefined && entries.length < 6) return undefined;
        const parts = entries.slice(0, 6).map((entry) => told(entry.value, depth - 1));
        return parts.includes(undefined) ? undefined : `[${parts.join()}]${size}`;
      }
      if (form === 'map' || form === 'set' || form === 'promise' || form === 'error') return name ?? 'Error';
      if (form !== undefined) return undefined;
      const className = name === 'null prototype' ? 'null' : (name ?? 'Object');
      if (depth === 0) return className;
      if (entries === undefined || (more !== undefined && entries.length < 6)) return undefined;
      const parts = entries.slice(0, 6).map(({ key, value }) => {
        const inner = value.form === 'getter' ? 'getter' : told(value, depth - 1);
        return inner === undefined ? undefined : `${key!}:${inner}`;
      });
      return parts.includes(undefined) ? undefined : `${className}{${parts.join()}}`;
    }
    default:
      return text;
  }
}

/** Stops of a walk and of the debugger at the places that both have, side by side. */
async function compared(
  name: string,
  program: string,
): Promise<{ stops: number; values: number; differing: object[] }> {
  // The engine stops at the first statement by itself, before it knows of places.
  const text = `void 0;\n${program}`;
  const file = join(folder({ [name]: text }), name);
  const record = await runPad({ file, depth: 'steps' });
  const run = walk(record)!;
  const steps = [...Array(run.length).keys()]
    .map((index) => run.step(index))
    .filter((step) => step.file === file && step.range.start.line > 0);
  const keyOf = (line: number, column: number): string => `${line}:${column}`;
  const places = new Map(
    steps.map(({ range }) => [keyOf(range.start.line, range.start.character), range.start] as const),
  );
  const wanted = [...places.values()].map(({ line, character }) => ({ line, column: character }));
  const { at, stops } = await stopsOf(file, wanted);
  // Places that the engine stops at together, or elsewhere, cannot be told apart.
  const times = new Map<string, number>();
  for (const one of at)
    if (one) times.set(keyOf(one.line, one.column), (times.get(keyOf(one.line, one.column)) ?? 0) + 1);
  const ours = new Map<string, string>();
  for (const [index, place] of wanted.entries()) {
    const found = at[index];
    const onLine = found?.line === place.line && found.column >= place.column;
    if (found && onLine && times.get(keyOf(found.line, found.column)) === 1)
      ours.set(keyOf(place.line, place.column), keyOf(found.line, found.column));
  }
  const used = new Set(ours.values());
  const theirs = stops.filter((stop) => used.has(keyOf(stop.line, stop.column)));
  const mine = steps.filter(({ range }) => ours.has(keyOf(range.start.line, range.start.character)));
  const differing: object[] = [];
  let values = 0;
  for (let i = 0; i < Math.max(theirs.length, mine.length); i++) {
    const [stop, step] = [theirs[i], mine[i]];
    const place = step && ours.get(keyOf(step.range.start.line, step.range.start.character));
    if (!stop || !step || place !== keyOf(stop.line, stop.column)) {
      differing.push({ at: i, place, stop: stop && keyOf(stop.line, stop.column) });
      break;
    }
    values += compare(run, step.index, text, stop, differing);
  }
  return { stops: theirs.length, values, differing };
}

function compare(run: Walk, index: number, text: string, stop: Stop, differing: object[]): number {
  const shown = new Map(run.variables(index).map((one) => [one.name, one.value]));
  let values = 0;
  for (const [name, theirs] of Object.entries(stop.variables)) {
    // Not bound yet, or a function of the text.
    if (theirs === 'undefined' || theirs === 'function') continue;
    if (/^(?:arguments|exports|require|module|__filename|__dirname|this|new\.target)$|^\./.test(name)) continue;
    const value = shown.get(name);
    // The engine shows what its registers still hold of a name that is declared only further on.
    if (!value && declaredBehind(text, name, run.step(index).range.start)) continue;
    const mine = value && told(value);
    if (value && mine === undefined) continue;
    values++;
    if (mine !== theirs) differing.push({ line: stop.line + 1, name, mine, theirs });
  }
  return values;
}

function declaredBehind(text: string, name: string, { line, character }: { line: number; character: number }): boolean {
  const rest = [text.split('\n')[line]!.slice(character), ...text.split('\n').slice(line + 1)].join('\n');
  return new RegExp(`\\b(?:let|const)\\b[^\\n=]*\\b${name.replace(/\$/g, '\\$')}\\b`).test(rest);
}

test.each(Object.entries(walked))('%s', async (_name, text) => {
  const { stops, values, differing } = await compared(
    /\bimport\b|^\s*await\b/m.test(text) ? 'pad.mjs' : 'pad.cjs',
    text,
  );
  expect(differing).toEqual([]);
  expect(stops).toBeGreaterThan(3);
  expect(values).toBeGreaterThan(3);
});
