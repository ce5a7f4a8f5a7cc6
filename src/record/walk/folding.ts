/** Keeps a recorded run within its budget of memory: the oldest half of it is let go of when that is used up. */
import { eachChild, isFunction } from '../../syntax/node.js';
import type { Value } from '../../wire/value.js';
import type { Program } from '../program.js';
import type { SampleRows } from '../sample-rows.js';
import type { StepRows } from '../step-rows.js';
import { type Places, placesOf } from './places.js';
import { Variables } from './variables.js';

/** Of the budget what the columns may take: they have room for twice what is in them, and are looked up by more. */
const SHARE = 0.4;
/** Of that what frames may take, before those that have ended are let go of as well. */
const FRAMES_SHARE = 0.4;
/** Frames that have ended, and stay because functions that were made in them may be called later. */
const MOST_AROUND = 4_000;

/** @param bytes the budget */
export function keepWithin(rows: { samples: SampleRows; steps: StepRows }, program: Program, bytes: number): void {
  const { samples, steps } = rows;
  if (samples.bytes + steps.bytes < bytes * SHARE) return;
  const until = steps.middle;
  if (until === undefined) return;
  const places = placesOf(program);
  const all = steps.soFar();
  const variables = new Variables({ program, samples: samples.soFar() }, all, places);
  const stack = variables.stackAt(until - 1);
  const staying = stayingFrames(all, stack, until, places);
  const dropped = steps.frameBytes > bytes * SHARE * FRAMES_SHARE;
  const writes = variables.carried(until, (frame) => staying.has(frame));
  steps.fold(until, { stack, writes }, dropped ? staying : undefined);
  const made = new Map<number, Value>();
  rows.samples = samples.since(until, (value) => variables.objects.written(value, until, made));
}

/** Frames that code may still see: those that go on, and what is around those and around functions that were made. */
function stayingFrames(
  { frames, left }: ReturnType<StepRows['soFar']>,
  stack: readonly number[],
  until: number,
  places: Places,
): Set<number> {
  const ended = new Uint8Array(frames.length);
  for (let row = 0; row < left.length && left.moment[row]! < until; row++)
    ended[left.frame[row]!] = left.how[row] === 0 || left.how[row] === 1 ? 1 : 0;
  const makes = new Map<number, boolean>();
  const staying = new Set<number>(stack);
  let around = 0;
  for (let frame = frames.length - 1; frame > 0; frame--) {
    if (frames.moment[frame]! >= until || staying.has(frame)) {
      if (frames.around[frame]! > 0) staying.add(frames.around[frame]!);
      continue;
    }
    if (!ended[frame]) staying.add(frame);
    else if (around < MOST_AROUND) {
      const site = frames.site[frame]!;
      let holds = makes.get(site);
      if (holds === undefined) makes.set(site, (holds = makesFunctions(site, places)));
      if (!holds) continue;
      staying.add(frame);
      around++;
    }
    if (staying.has(frame) && frames.around[frame]! > 0) staying.add(frames.around[frame]!);
  }
  return staying;
}

/** Whether functions are written in a function. */
function makesFunctions(number: number, places: Places): boolean {
  const { file, site } = places.site(number);
  const path = places.path(file, site.start, site.end);
  const node = path[path.length - 1];
  let found = false;
  const visit = (one: typeof node): void => {
    if (!one || found) return;
    eachChild(one, (child) => {
      if (isFunction(child)) found = true;
      else visit(child);
    });
  };
  visit(node);
  return found;
}
