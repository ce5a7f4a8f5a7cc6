/** What a run says of itself where telling begins in its middle, as what was carried over from the part before. */
import type { Met, Opening } from '../../wire/opening.js';
import type { Program } from '../program.js';
import type { CarriedWrite, StepRows } from '../step-rows.js';
import { type Named, namedIn } from './declared.js';
import { placesOf } from './places.js';

/** Telling begins in the middle. */
export function openWith(steps: StepRows, opening: Opening, program: Program): void {
  const { moment, frames, active, waiting, variables } = opening;
  const first = moment + frames.length + active.length + waiting.length;
  const standing = new Map([...waiting, ...active].map(({ frame, site }) => [frame, site]));
  const functions = new Map(frames.map(({ frame, site }) => [frame, site]));
  const writes = writesOf(variables, first, program, (frame) => ({
    function: functions.get(frame) ?? -1,
    at: standing.get(frame) ?? -1,
  }));
  steps.open(opening, writes, first + variables.length);
}

/** Frames from before are met later. */
export function meetWith(steps: StepRows, { frames, variables, moment }: Met, program: Program): void {
  steps.insert(frames);
  const writes = writesOf(variables, moment, program, (frame) => steps.placeOf(frame));
  steps.carry(writes);
}

/** Variables, each with a site that gives it its value: the last above where its frame stands. */
function writesOf(
  variables: Met['variables'],
  moment: number,
  program: Program,
  of: (frame: number) => { function: number; at: number },
): CarriedWrite[] {
  const places = placesOf(program);
  const writes: CarriedWrite[] = [];
  for (const [index, { frame, name, value }] of variables.entries()) {
    const { function: made, at } = of(frame);
    const offset = at < 0 ? undefined : places.site(at).site.start;
    let best: { number: number; named: Named } | undefined;
    let isSet = offset === undefined;
    for (const one of namedIn(program, places, made)) {
      const { declared } = one.named;
      if (one.named.name !== name) continue;
      if (offset !== undefined && (offset < declared.start || offset >= declared.end || offset < declared.from))
        continue;
      // Where nothing above has given it a value it has none yet.
      isSet ||= places.site(one.number).site.start < offset!;
      if (!best || size(one.named) < size(best.named) || isLater(places, one.number, best.number, offset)) best = one;
    }
    if (best && isSet) writes.push({ frame, site: best.number, moment: moment + index, value });
  }
  return writes;
}

function size({ declared }: Named): number {
  return declared.end - declared.start;
}

/** Of two places that give one variable its value: the first stands behind the other, and before an offset. */
function isLater(
  places: ReturnType<typeof placesOf>,
  number: number,
  than: number,
  offset: number | undefined,
): boolean {
  const { start } = places.site(number).site;
  const other = places.site(than).site.start;
  return offset === undefined ? start < other : start < offset && (other >= offset || start > other);
}
