/**
 * What variables held, step by step: each sample of a name is a write to the binding of one frame. Which frame that is
 * follows from the scopes of the text and from the frames that functions were made in.
 */
import type { Node } from '../../syntax/node.js';
import type { Range } from '../../syntax/positions.js';
import { scopesOf } from '../../syntax/scopes.js';
import type { Scope } from '../../syntax/scope-data.js';
import { Left } from '../../wire/step-columns.js';
import type { Value } from '../../wire/value.js';
import type { Site, SiteKind } from '../../instrument/sites.js';
import type { ProgramFile } from '../program.js';
import { type PadRecord, valueAt } from '../record.js';
import type { Steps } from '../step-rows.js';
import { Objects } from './objects.js';
import type { Places } from './places.js';
import { after } from './step-index.js';

/** A variable as of a step. */
export interface Variable {
  name: string;
  value: Value;
  /** Number of the frame that has it. */
  frame: number;
  /** When it got this value. */
  moment: number;
  /** It got it with the step right before. */
  changed: boolean;
  /** Where in the code it got it; zero-based. */
  file: string;
  range: Range;
}

/** Where the names of a scope are seen, as offsets; and the function (or module) whose scope it is, by its site. */
interface Declared {
  site: number;
  start: number;
  end: number;
  /** Where the name is declared: the code of its own frame sees no earlier turn's value before that. */
  from: number;
  /** `this`, which only arrow functions see from outside. */
  isThis?: true;
}

interface Write {
  name: string;
  declared: Declared;
  moment: number;
  row: number;
}

/** Samples of these are of what a name holds from then on. */
const WRITES: ReadonlySet<SiteKind> = new Set<SiteKind>([
  ...(['declaration', 'variable', 'assignment', 'default', 'item', 'caught', 'step'] as const),
]);
/** Scopes that a frame enters once: what stands above a declaration there never runs after it. */
const ONCE: ReadonlySet<Scope['kind']> = new Set(['module', 'function', 'parameters', 'self']);
const NAME = /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u;

export class Variables {
  /** Writes by the frame whose variable it is, in the order of their moments. */
  private readonly writes = new Map<number, Write[]>();
  readonly objects: Objects;

  constructor(
    private readonly record: PadRecord,
    private readonly steps: Steps,
    private readonly places: Places,
  ) {
    this.objects = new Objects(record, steps);
    const sites = this.namedSites();
    const activeAt = this.activity();
    const { samples } = record;
    for (let row = 0; row < samples.length; row++) {
      const named = sites.get(samples.site[row]!);
      if (!named) continue;
      const moment = samples.moment[row]!;
      const frame = this.owner(activeAt(moment), named.declared.site);
      // A default of a parameter, before its frame is there: the parameter itself comes right behind.
      if (frame === 0) continue;
      const list = this.writes.get(frame);
      const write = { name: named.name, declared: named.declared, moment, row };
      if (list) list.push(write);
      else this.writes.set(frame, [write]);
    }
  }

  /**
   * What the code of a frame sees just before a moment.
   *
   * @param offset where the code stands in its file
   * @param before moment of the step of the frame before it
   */
  at(frame: number, moment: number, offset: number, before: number): Variable[] {
    const found: Variable[] = [];
    const seen = new Set<string>();
    let arrows = true;
    for (let at = frame; at > 0; at = this.steps.frames.around[at]!) {
      const latest = new Map<string, Write>();
      for (const write of this.writes.get(at) ?? []) {
        if (write.moment >= moment) break;
        const { start, end, from, isThis } = write.declared;
        if (isThis && !arrows) continue;
        if (offset < start || offset >= end || (at === frame && offset < from)) continue;
        const known = latest.get(write.name)?.declared;
        // The innermost scope has the name.
        if (!known || end - start <= known.end - known.start) latest.set(write.name, write);
      }
      for (const { name, moment: written, row } of latest.values()) {
        if (seen.has(name)) continue;
        seen.add(name);
        const value = this.objects.asOf(valueAt(this.record.samples, row), moment);
        const { file, site } = this.places.site(this.record.samples.site[row]!);
        const changed = written > before || this.objects.changedSince(value, before, moment);
        // `this` is there from the head of its function on.
        const range = file.lines.rangeOf(site.start, site.name === 'this' ? site.start : site.end);
        found.push({ name, value, frame: at, moment: written, changed, file: file.file, range });
      }
      arrows &&= this.places.isArrow(this.steps.frames.site[at]!);
    }
    return found.sort((a, b) => Number(b.changed) - Number(a.changed));
  }

  /** When the variable of a frame was written that had been at a moment. */
  writesOf(frame: number, name: string, moment: number): number[] {
    const writes = this.writes.get(frame) ?? [];
    const declared = writes.find((one) => one.name === name && one.moment === moment)?.declared;
    return writes.filter((one) => one.name === name && one.declared === declared).map((one) => one.moment);
  }

  /** What the `return` of a step gave. @param until when its frame had ended */
  returned(site: number, moment: number, until: number): Value | undefined {
    const { file, site: at } = this.places.site(site);
    const { samples } = this.record;
    let found: Value | undefined;
    for (let row = after(samples.moment, samples.length, moment); row < samples.length; row++) {
      if (samples.moment[row]! > until) break;
      const inner = file.sites[samples.site[row]! - file.base];
      if (inner?.kind === 'return' && inner.start >= at.start && inner.end <= at.end) found = valueAt(samples, row);
    }
    return found;
  }

  /** Sites that write a name, by their program-wide numbers, with the site of the function that declares it. */
  private namedSites(): Map<number, { name: string; declared: Declared }> {
    const found = new Map<number, { name: string; declared: Declared }>();
    for (const file of this.record.program.files) {
      const declaring = declaringSites(file, this.places);
      const all = new Map<string, Declared>();
      for (const site of file.sites) {
        if (site.kind === 'step' && site.name === 'this') {
          const { start, end, within } = site;
          const declared: Declared = { site: file.base + within, start, end, from: start, isThis: true };
          found.set(file.base + site.id, { name: 'this', declared });
          continue;
        }
        if (!WRITES.has(site.kind) || !NAME.test(site.name)) continue;
        const made = declaring(site);
        // A field of a class, a global of another file.
        if (!made) continue;
        const key = `${made.start} ${made.end} ${site.name}`;
        const declared = all.get(key) ?? made;
        all.set(key, declared);
        if (site.kind !== 'assignment') declared.from = Math.min(declared.from, site.start);
        found.set(file.base + site.id, { name: site.name, declared });
      }
      for (const declared of all.values()) if (declared.from === Infinity) declared.from = 0;
    }
    return found;
  }

  /** From a frame outwards to the activation of the function that declares a name; 0 where there is none. */
  private owner(frame: number, declared: number): number {
    const { frames } = this.steps;
    for (let at = frame; at > 0; at = frames.around[at]!) if (frames.site[at] === declared) return at;
    return 0;
  }

  /** The frame that is active at a moment; asked for moments that only grow. */
  private activity(): (moment: number) => number {
    const { steps } = this;
    const { frames, left } = steps;
    const stack: number[] = [];
    const next = { step: 0, frame: 1, left: 0 };
    const activate = (frame: number): void => {
      const at = stack.lastIndexOf(frame);
      if (at >= 0) stack.length = at + 1;
      else stack.push(frame);
    };
    return (moment) => {
      for (;;) {
        const step = next.step < steps.length ? steps.moment[next.step]! : Infinity;
        const entered = next.frame < frames.length ? frames.moment[next.frame]! : Infinity;
        const ended = next.left < left.length ? left.moment[next.left]! : Infinity;
        const first = Math.min(step, entered, ended);
        if (first > moment) return stack[stack.length - 1] ?? 0;
        if (first === entered) stack.push(next.frame++);
        // A frame that goes on tells so at the moment of what it goes on with.
        else if (first === ended) {
          const frame = left.frame[next.left]!;
          if ((left.how[next.left++] as Left) === Left.Resumed) activate(frame);
          else if (stack.includes(frame)) stack.length = stack.lastIndexOf(frame);
        } else {
          const frame = steps.frame[next.step++]!;
          if (frame > 0) activate(frame);
        }
      }
    };
  }
}

/** For the sites of a file: the program-wide number of the function (or module) whose variable a name is. */
function declaringSites(file: ProgramFile, places: Places): (site: Site) => Declared | undefined {
  const functions = new Map<string, number>();
  let module = -1;
  for (const { id, kind, start, end, name } of file.sites)
    if (kind === 'function') functions.set(`${start} ${end}`, file.base + id);
    else if (kind === 'branch' && name === 'module') module = file.base + id;
  const program = places.outline(file)?.parsed.program;
  const scopes = program && scopesOf(program);
  const whole = (): Declared => ({ site: module, start: 0, end: file.lines.text.length + 1, from: Infinity });
  if (!scopes) return whole;
  const siteOf = (scope: Scope): number => {
    for (let at: Scope | null = scope; at; at = at.parent) {
      const { node }: { node: Node } = at;
      const site = functions.get(`${node.start} ${node.end}`);
      if (site !== undefined) return site;
    }
    return module;
  };
  const all = [...new Set([scopes.module, ...scopes.inner.values()])].flatMap(withParents);
  return ({ start, name }) => {
    let best: Scope | undefined;
    for (const scope of all) {
      const { node } = scope;
      if (!scope.names.has(name) || node.start > start || node.end < start) continue;
      if (!best || node.end - node.start <= best.node.end - best.node.start) best = scope;
    }
    return best
      ? { site: siteOf(best), start: best.node.start, end: best.node.end, from: ONCE.has(best.kind) ? 0 : Infinity }
      : undefined;
  };
}

function withParents(scope: Scope): Scope[] {
  return scope.parent ? [scope, ...withParents(scope.parent)] : [scope];
}
