/** Code of a file with breakpoints, with all its places in the text without them. */
import { compile, type CompileOptions } from '../../instrument/compile.js';
import type { Compiled } from '../../instrument/translator.js';
import { selectedIn, sitesInPlain, withStops, type Stop, type StoppingText } from '../../patch/stops.js';
import type { Unit } from '../module-code.js';

/** @param plain what it is without them: taken where the text does not parse with them */
export function compiledWithStops(
  { outline, lines }: Pick<Unit, 'outline' | 'lines'>,
  stops: readonly Stop[],
  options: CompileOptions,
  plain: () => Compiled,
): Compiled {
  const stopping = withStops(outline!, stops);
  if (!stopping) return plain();
  const { selected } = options;
  const made = compile(stopping.outline, {
    ...options,
    selected: selected && selectedIn(stopping, selected),
    stops: stopping.points,
  });
  const { plainOffset } = stopping;
  sitesInPlain(made.sites, stopping);
  const inPlain = <Place extends { start: number; end: number }>(place: Place): Place => ({
    ...place,
    start: plainOffset(place.start),
    end: plainOffset(place.end),
  });
  return {
    ...made,
    original: lines,
    ...segmentsInPlain(made, stopping),
    links: made.links.map(inPlain),
    notes: made.notes.map(inPlain),
    // What a value is kept for is the text as it is written.
    keeps: made.keeps.map(({ id, uses }, index) => ({ id, uses: plain().keeps[index]?.uses ?? uses })),
  };
}

/** Segments of code, each with its place in the text without breakpoints; what is theirs stands where they were put. */
function segmentsInPlain(
  { generated, source, code }: Compiled,
  { added, plainOffset }: StoppingText,
): Pick<Compiled, 'generated' | 'source'> {
  const starts: number[] = [];
  const places: number[] = [];
  const isAdded = (offset: number): boolean => added.some(({ start, end }) => offset >= start && offset < end);
  const add = (at: number, offset: number): void => {
    starts.push(at);
    places.push(isAdded(offset) ? ~plainOffset(offset) : plainOffset(offset));
  };
  const borders = added.flatMap(({ start, end }) => [start, end]);
  source.forEach((from, index) => {
    const at = generated[index]!;
    if (from < 0) {
      starts.push(at);
      places.push(~plainOffset(~from));
      return;
    }
    add(at, from);
    const end = from + (generated[index + 1] ?? code.length) - at;
    for (const border of borders) if (border > from && border < end) add(at + border - from, border);
  });
  return { generated: Int32Array.from(starts), source: Int32Array.from(places) };
}
