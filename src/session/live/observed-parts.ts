/** Functions of a file that report, stop, or hold their calls: which are wanted, and what is known of those there are. */
import { pointsOf } from '../../instrument/points.js';
import type { Site } from '../../instrument/sites.js';
import type { LiveModule } from '../../patch/live-module.js';
import type { AskingFunctions, ObservedDepth } from '../../patch/observe.js';
import type { Stop } from '../../patch/stops.js';
import type { FunctionInfo, Outline } from '../../syntax/outline.js';
import type { LineTable } from '../../syntax/positions.js';
import type { Selected } from '../../syntax/selection.js';
import type { Observe } from '../../wire/modules.js';
import { quietRanges } from '../program-facts.js';
import { heldFunction } from './holding/held-functions.js';
import { slotsOf } from './observed-functions.js';
import { pointAround } from './pausing/breakpoints.js';

export interface Part {
  path: string;
  /** The function's text when it was compiled, and where it began. */
  text: string;
  start: number;
  depth: ObservedDepth;
  selected: Selected | undefined;
  /** The breakpoints in it. */
  stops: string;
  holds: boolean;
  /** Whom its calls work for is known. */
  joins: boolean;
  /** It reports only for calls whose values are asked for. */
  serves: boolean;
  unit: number;
  from: number;
  to: number;
  slots: number[];
  /** Cell that counts its calls, or -1. */
  entry: number;
}

export interface Unit {
  unit: number;
  base: number;
  file: string;
  sites: Site[];
  /** Of the text it was compiled from. */
  lines: LineTable;
}

export interface FileState {
  /** Calls of its functions are held where they fail. */
  holds: boolean;
  /** Whom calls of its functions work for is known. */
  joins: boolean;
  /** Functions whose values are told for the calls that are asked for, by path. */
  serving: ReadonlySet<string>;
  /** Functions that ask before each of their statements besides those with breakpoints: by path, or all. */
  steps: Set<string> | 'all';
  /** Somebody looks at it; without that, only functions with breakpoints have versions that report. */
  looked: boolean;
  parts: Map<string, Part>;
  /** The function whose values are shown, by its path. */
  opened: string | undefined;
  /** The expression in it that a person has selected. */
  selected: Selected | undefined;
  lines: LineTable;
  text: string;
  quiet: { start: number; end: number }[];
  /** Functions that are called so often that counting them would slow the program: their text, and calls per second. */
  hot: Map<string, { text: string; rate: number }>;
}

/** A file that is looked at, of which no function reports yet. */
export function newFileState(
  outline: Outline,
  lines: LineTable,
  opened: string | undefined,
  selected: Selected | undefined,
): FileState {
  return {
    looked: true,
    holds: false,
    joins: false,
    serving: new Set(),
    steps: new Set(),
    parts: new Map(),
    opened,
    selected,
    lines,
    text: outline.parsed.text,
    quiet: quietRanges(outline),
    hot: new Map(),
  };
}

export interface WantedFunctions {
  /** By number in the outline: those that get a version, with how much it reports. */
  wanted: Map<number, ObservedDepth>;
  /** By path: versions that stay. */
  kept: Map<string, Part>;
  /** Those whose calls are held where they fail. */
  holds: Set<number>;
  /** Those of which it is known whom their calls work for, and those that report only where that is asked for. */
  joins: Set<number>;
  serves: Set<number>;
  /** Those that ask, before their statements or where they begin; undefined where the target needs none. */
  asks: AskingFunctions | undefined;
  /** The breakpoints in a function, to be compared. */
  stopsKey(info: FunctionInfo): string;
}

/**
 * @param module the version that will run
 * @param how `changed`: slots to which a change gives a later version; `anew`: all of it, whatever is observed already;
 * `isRefused`: it could not be observed, by path; `atPoints`: the target stands still where versions ask;
 * `tellsAll`: values of all functions are told, and not only of the one that is opened
 */
export function wantedFunctions(
  module: LiveModule,
  state: FileState,
  stops: readonly Stop[],
  {
    changed,
    anew,
    isRefused,
    atPoints,
    tellsAll,
  }: {
    changed: ReadonlySet<number>;
    anew: boolean;
    isRefused(path: string): boolean;
    atPoints: boolean;
    tellsAll: boolean;
  },
): WantedFunctions {
  const { outline } = module;
  const { text } = outline.parsed;
  const wanted = new Map<number, ObservedDepth>();
  const kept = new Map<string, Part>();
  const points = pointsOf(outline);
  const stopsIn = new Map<FunctionInfo, Stop[]>();
  for (const stop of stops) {
    const info = pointAround(outline, stop.at);
    if (info) stopsIn.set(info, [...(stopsIn.get(info) ?? []), stop]);
  }
  const holds = new Set<number>();
  const joins = new Set<number>();
  const serves = new Set<number>();
  const isStepping = (info: FunctionInfo): boolean =>
    atPoints && (state.steps === 'all' || state.steps.has(info.path) || stopsIn.get(info)?.some(isPause) === true);
  const stepping = new Set<number>();
  const entering = new Set<number>();
  // What is held there is shown with the variables that its functions have where they begin.
  const isEntering = (info: FunctionInfo): boolean =>
    atPoints && state.holds && heldFunction(info) !== undefined && !isStepping(info);
  const stopsKey = (info: FunctionInfo): string =>
    JSON.stringify([
      ...(stopsIn.get(info) ?? []).map((stop) => ({ ...stop, at: stop.at - info.start })),
      ...(isStepping(info) ? ['steps'] : isEntering(info) ? ['begins'] : []),
    ]);
  outline.functions.forEach((info, index) => {
    if (points.functions[index]!.hook === undefined && info.kind !== 'constructor') return;
    const held = state.holds ? heldFunction(info) : undefined;
    const stops = stopsIn.has(info) || isStepping(info);
    const isServing = state.joins && isIn(outline, index, state.serving);
    if (!state.looked && !stops && !held && !state.joins) return;
    if (isStepping(info)) stepping.add(index);
    else if (isEntering(info)) entering.add(index);
    const depth = isServing || tellsAll || isOpened(outline, index, state.opened) ? 'values' : 'counts';
    // Where it is looked at, or stops, all calls are.
    const isApart = isServing && !state.looked && !stops;
    const slots = slotsOf(module, index);
    const part = state.parts.get(info.path);
    const hot = state.hot.get(info.path);
    // Who asks for its values gets them.
    if (hot?.text === text.slice(info.start, info.end) && depth === 'counts' && !stops) return;
    if (held) holds.add(index);
    if (state.joins) joins.add(index);
    if (isApart) serves.add(index);
    if (
      !anew &&
      part &&
      part.depth === depth &&
      part.stops === stopsKey(info) &&
      part.holds === (held !== undefined) &&
      part.joins === state.joins &&
      part.serves === isApart &&
      part.selected === (depth === 'values' ? state.selected : undefined) &&
      part.text === text.slice(info.start, info.end) &&
      part.slots.length === slots.length &&
      part.slots.every((slot, i) => slot === slots[i] && !changed.has(slot))
    )
      kept.set(info.path, part);
    else if (anew || part || !isRefused(info.path) || changed.size > 0) wanted.set(index, depth);
  });
  return { wanted, kept, holds, joins, serves, asks: atPoints ? { stepping, entering } : undefined, stopsKey };
}

/** A unit of counts as a target is told of it. */
export function toldUnit(
  unit: number,
  base: number,
  sites: readonly Site[],
  functions: number,
): Observe['units'][number] {
  const column = (key: 'owner' | 'reach' | 'plus'): Int32Array => Int32Array.from(sites, (site) => site[key]);
  return { unit, base, owners: column('owner'), reach: column('reach'), plus: column('plus'), functions };
}

/** It stops, and does not only print. */
function isPause({ message }: Stop): boolean {
  return message === undefined;
}

function isOpened(outline: Outline, index: number, opened: string | undefined): boolean {
  return opened !== undefined && isIn(outline, index, new Set([opened]));
}

/** A function, or one around it, is among those paths. */
function isIn(outline: Outline, index: number, paths: ReadonlySet<string>): boolean {
  if (paths.size === 0) return false;
  for (let at = index; at >= 0; at = outline.functions[at]!.parent)
    if (paths.has(outline.functions[at]!.path)) return true;
  return false;
}
