/** What the code of a step sees, reads and comes from. */
import type { Node } from '../../syntax/node.js';
import type { Value } from '../../wire/value.js';
import type { PadRecord } from '../record.js';
import type { Steps } from '../step-rows.js';
import { evaluate } from './evaluate.js';
import type { Places } from './places.js';
import { choiceOf, conditionsFor, parsePath, type Path, rangeOf, readsOf, type Source } from './sources.js';
import { after, type StepIndex } from './step-index.js';
import { Variables, type Variable } from './variables.js';

/** Samples before an object was seen first among which its fields are looked for. */
const MOST_FIELDS = 5_000;

export class StepValues {
  private known: Variables | undefined;

  constructor(
    private readonly record: PadRecord,
    private readonly steps: Steps,
    private readonly index: StepIndex,
    private readonly places: Places,
  ) {}

  /** See `Walk.variables`. */
  variables(index: number, outer?: number): Variable[] {
    const { frame: own, moment } = this.at(index);
    const frame = outer ?? own;
    const place = this.index.placeIn(frame, index);
    const list = this.index.ofFrame(frame);
    const last = list[place - 1];
    const before = last === undefined ? (this.steps.frames.moment[frame] ?? 0) : this.steps.moment[last]!;
    const { site } = this.places.site(this.steps.site[list[Math.max(0, place)] ?? index]!);
    return this.recorded().at(frame, moment, site.start, before);
  }

  /** See `Walk.writes`. */
  writes(index: number, path: string): number[] {
    const keys = parsePath(path);
    const name = keys?.[0];
    if (keys === undefined || name === undefined) return [];
    const recorded = this.recorded();
    let moments: readonly number[];
    if (keys.length === 1) {
      const found = this.variables(index).find((one) => one.name === name);
      moments = found ? recorded.writesOf(found.frame, name, found.moment) : [];
    } else {
      const identity = this.look(index, keys.slice(0, -1))?.value.identity;
      moments = identity === undefined ? [] : recorded.objects.writesOf(identity, keys[keys.length - 1]!);
    }
    return [...new Set(moments.map((moment) => this.index.stepOf(moment)))].filter((step) => step >= 0);
  }

  /** See `Walk.evaluate`. */
  evaluate(index: number, text: string, outer?: number): Value {
    const seen = new Map(this.variables(index, outer).map((one) => [one.name, one.value]));
    return evaluate(text, (name) => seen.get(name));
  }

  /** See `Walk.setBy`. */
  setBy(index: number, path: string | Path): number | undefined {
    const keys = typeof path === 'string' ? parsePath(path) : path;
    const moment = keys && this.look(index, keys)?.moment;
    return moment === undefined ? undefined : this.within(this.index.stepOf(moment));
  }

  /** See `Walk.sources`. */
  sources(index: number): Source[] {
    const { file, site } = this.places.site(this.steps.site[index]!);
    const path = this.places.path(file, site.start, site.end);
    const node = path[path.length - 1];
    if (!node) return [];
    const { paths, calls } = readsOf(node);
    const chosenBy = site.kind === 'branch' ? choiceOf(path) : undefined;
    if (chosenBy) paths.push(...readsOf(chosenBy).paths);
    const found: Source[] = [];
    const met = new Set<string>();
    for (const one of paths) {
      let read = one;
      let seen = this.look(index, read.path);
      // What a getter gives, or lies too deep, is not recorded: then it is what it was read from.
      while (!seen && read.path.length > 1 && read.node.object !== undefined) {
        read = { path: read.path.slice(0, -1) as Path, node: read.node.object as Node };
        seen = this.look(index, read.path);
      }
      const text = file.lines.text.slice(read.node.start, read.node.end);
      if (!seen || met.has(text)) continue;
      met.add(text);
      const step = seen.moment === undefined ? undefined : this.within(this.index.stepOf(seen.moment));
      const kind = read.path.length > 1 ? 'property' : 'name';
      found.push({
        kind,
        text,
        range: rangeOf(file, read.node),
        value: seen.value,
        ...(step === undefined ? {} : { step }),
      });
    }
    if (calls.length > 0) found.unshift(...this.returns(index));
    const { frame } = this.at(index);
    if (chosenBy) {
      const text = file.lines.text.slice(chosenBy.start, chosenBy.end);
      const step = this.statementOf(index);
      found.push({ kind: 'condition', text, range: rangeOf(file, chosenBy), ...(step === undefined ? {} : { step }) });
      return found;
    }
    for (const condition of conditionsFor(path)) {
      const step = this.lastAt(frame, index, file.base, condition);
      if (step === undefined) continue;
      const text = file.lines.line(file.lines.lineAt(condition.start)).trim();
      found.push({ kind: 'condition', text, range: rangeOf(file, condition), step });
      break;
    }
    return found;
  }

  /** The statement that a chosen part of an expression belongs to. */
  private statementOf(index: number): number | undefined {
    const { frame } = this.at(index);
    const list = this.index.ofFrame(frame);
    let place = this.index.placeIn(frame, index) - 1;
    while (place >= 0 && this.places.isPart(this.steps.site[list[place]!]!)) place--;
    return list[place];
  }

  /** The frames that a step called, in order. */
  called(index: number): number[] {
    const { steps } = this;
    const { frame, moment } = this.at(index);
    const next = this.index.ofFrame(frame)[this.index.placeIn(frame, index) + 1];
    const until = next === undefined ? Infinity : steps.moment[next]!;
    const found: number[] = [];
    for (let at = this.index.frameAfter(moment); at < steps.frames.length; at++) {
      if (steps.frames.moment[at]! >= until) break;
      if (steps.frames.caller[at] === frame) found.push(at);
    }
    return found;
  }

  /** What the calls of a step gave, the last first, each with the step at which it ended. */
  private returns(index: number): Source[] {
    const { steps } = this;
    const found: Source[] = [];
    for (const frame of this.called(index)) {
      const list = this.index.ofFrame(frame);
      const step = list[list.length - 1];
      if (step === undefined) continue;
      const { file, site } = this.places.site(steps.frames.site[frame]!);
      const until = this.index.endOf(frame)?.moment ?? Infinity;
      const value = this.recorded().returned(steps.frames.site[frame]!, steps.moment[step]!, until);
      found.push({
        kind: 'call',
        text: site.name.endsWith('()') ? site.name : `${site.name || 'a function without a name'}()`,
        range: file.lines.rangeOf(site.start, site.end),
        ...(value ? { value } : {}),
        step,
      });
    }
    return found.reverse();
  }

  /** The last step of a frame before a step at a node. */
  private lastAt(frame: number, index: number, base: number, node: { start: number; end: number }): number | undefined {
    const list = this.index.ofFrame(frame);
    for (let place = this.index.placeIn(frame, index) - 1; place >= 0; place--) {
      const { file, site } = this.places.site(this.steps.site[list[place]!]!);
      if (file.base === base && site.start === node.start && site.end === node.end) return list[place];
    }
    return undefined;
  }

  /** What stands under a path as a step's code sees it, and when it got there. */
  private look(index: number, [name, ...keys]: Path): { value: Value; moment?: number } | undefined {
    const { moment: now } = this.at(index);
    const variables = this.variables(index);
    const variable = variables.find((one) => one.name === name);
    if (!variable) return undefined;
    let { value } = variable;
    let moment: number | undefined = variable.moment;
    const { objects } = this.recorded();
    for (const one of keys) {
      const { identity } = value;
      const key = one.startsWith('[') ? textOf(variables.find((other) => `[${other.name}]` === one)?.value) : one;
      if (identity === undefined || key === undefined) return undefined;
      const entry =
        value.form === 'array' || value.form === 'typed'
          ? value.entries?.[Number(key)]
          : value.entries?.find((other) => other.key === key);
      if (!entry && value.form === 'array' && key === 'length' && value.size !== undefined) {
        moment = objects.setAt(identity, key, now) ?? moment;
        value = { type: 'number', text: String(value.size) };
        continue;
      }
      if (!entry) return undefined;
      moment = objects.setAt(identity, key, now) ?? this.madeAt(identity, key);
      ({ value } = entry);
    }
    return { value, ...(moment === undefined ? {} : { moment }) };
  }

  /** When a property that was never written got its value: with the field of its class, or when the object was first seen. */
  private madeAt(identity: number, key: string): number | undefined {
    const { samples, program } = this.record;
    const seen = this.recorded().objects.seenFirst(identity);
    if (seen === undefined) return undefined;
    const fields = new Set<number>();
    for (const { base, sites } of program.files)
      for (const { id, kind, name } of sites)
        if (kind === 'declaration' && name === key && !this.recorded().isNamed(base + id)) fields.add(base + id);
    if (fields.size === 0) return seen;
    const last = after(samples.moment, samples.length, seen);
    for (let row = last - 1; row >= Math.max(0, last - MOST_FIELDS); row--)
      if (fields.has(samples.site[row]!)) return samples.moment[row]!;
    return seen;
  }

  private recorded(): Variables {
    return (this.known ??= new Variables(this.record, this.steps, this.places));
  }

  /** See `Walk.reported`. */
  reported(identity: number): number | undefined {
    return this.recorded().objects.reported(identity);
  }

  private at(index: number): { frame: number; moment: number } {
    return { frame: this.steps.frame[index]!, moment: this.steps.moment[index]! };
  }

  private within(index: number): number | undefined {
    return index >= 0 && index < this.steps.length ? index : undefined;
  }
}

function textOf(value: Value | undefined): string | undefined {
  return value && (value.type === 'string' || value.type === 'number') ? value.text : undefined;
}
