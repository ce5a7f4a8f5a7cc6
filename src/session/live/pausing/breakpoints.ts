/** The breakpoints of a live program, and where they stand in each version of a text. */
import { diffArrays } from 'diff';
import { pointsOf } from '../../../instrument/points.js';
import { expressionProblem, messageParts, type Stop } from '../../../patch/stops.js';
import type { FunctionInfo, Outline } from '../../../syntax/outline.js';
import { LineTable } from '../../../syntax/positions.js';
import { stoppableAt } from '../../../syntax/stoppable.js';
import type { BreakpointRule } from '../../../wire/pausing.js';

/** What a person asks for. */
export interface BreakpointAsked {
  file: string;
  /** From 0, in the text that runs. */
  line: number;
  /** A statement, or the entry or the value of the function that is around it; a statement by default. */
  where?: Stop['where'];
  condition?: string;
  /** Only every so many times that the condition holds. */
  every?: number;
  /** Not before it has held so many times. */
  after?: number;
  /** Printed in place of stopping; expressions stand in braces. */
  message?: string;
}

export interface Breakpoint extends BreakpointAsked {
  id: number;
  where: Stop['where'];
  /** Where it stands now: `nowhere` where no function is that can stop, `asleep` where its condition threw. */
  state: 'set' | 'nowhere' | 'asleep' | 'wrong';
  /** Why it does not act. */
  why?: string;
}

/** What a breakpoint does besides stopping at its place, in words, each for itself. */
export function termsOf({ where, condition, every, after, message }: Breakpoint): string[] {
  return [
    ...(where === 'statement' ? [] : [where === 'entry' ? 'at the entry' : 'before a value is given']),
    ...(condition === undefined ? [] : [`when ${condition}`]),
    ...(after === undefined ? [] : [`after ${after} times`]),
    ...(every === undefined ? [] : [`every ${every} times`]),
    ...(message === undefined ? [] : [`prints ${message}`]),
  ];
}

interface Entry extends Breakpoint {
  /** The text that `line` is of. */
  text: string | undefined;
}

export class Breakpoints {
  private readonly entries = new Map<number, Entry>();
  private last = 0;

  /** @param where `functions`: only where a later version of a function can stop; `anywhere` in code that runs anew */
  constructor(private readonly where: 'functions' | 'anywhere' = 'functions') {}

  get list(): Breakpoint[] {
    return [...this.entries.values()].map(shown);
  }

  get(id: number): Breakpoint | undefined {
    const entry = this.entries.get(id);
    return entry && shown(entry);
  }

  /** Files with breakpoints. */
  get files(): string[] {
    return [...new Set([...this.entries.values()].map(({ file }) => file))];
  }

  /** What targets are to know of them. */
  get rules(): BreakpointRule[] {
    return [...this.entries.values()].map(({ id, every, after }) => ({
      id,
      ...(every === undefined ? {} : { every }),
      ...(after === undefined ? {} : { after }),
    }));
  }

  /** A number that no breakpoint has. */
  nextId(): number {
    return ++this.last;
  }

  /** @param outline of the text that runs; undefined where the file does not run yet */
  add(asked: BreakpointAsked, outline: Outline | undefined): Breakpoint {
    const id = this.nextId();
    const entry: Entry = { where: 'statement', ...asked, id, state: 'set', text: outline?.parsed.text };
    this.entries.set(id, entry);
    if (outline) this.place(entry, outline);
    else {
      entry.state = 'nowhere';
      entry.why = 'the file does not run yet';
    }
    return this.get(id)!;
  }

  remove(id: number): Breakpoint | undefined {
    const entry = this.entries.get(id);
    this.entries.delete(id);
    return entry;
  }

  /** A target tells that its condition or message has failed. */
  sleep(id: number, why: string): void {
    const entry = this.entries.get(id);
    if (entry) Object.assign(entry, { state: 'asleep', why });
  }

  /** Those of a file, as statements of a text. */
  stopsOf(file: string, outline: Outline): Stop[] {
    return [...this.entries.values()].flatMap((entry) => {
      if (entry.file !== file || entry.state === 'wrong') return [];
      const stop = this.stopOf(entry, lineIn(entry, outline.parsed.text), outline);
      return stop ? [stop] : [];
    });
  }

  /** A text runs from now on: they stand in it. */
  moved(file: string, outline: Outline): void {
    for (const entry of this.entries.values()) {
      if (entry.file !== file) continue;
      entry.line = lineIn(entry, outline.parsed.text);
      entry.text = outline.parsed.text;
      this.place(entry, outline);
    }
  }

  private place(entry: Entry, outline: Outline): void {
    const problem = problemOf(entry, outline);
    if (problem !== undefined) {
      Object.assign(entry, { state: 'wrong', why: problem });
      return;
    }
    const lines = new LineTable(outline.parsed.text);
    const stop = this.stopOf(entry, entry.line, outline);
    if (!stop) {
      Object.assign(entry, { state: 'nowhere', why: this.nowhere(entry) });
      return;
    }
    entry.line = lines.lineAt(stop.at);
    if (entry.state !== 'asleep') {
      entry.state = 'set';
      delete entry.why;
    }
  }

  private nowhere({ where }: Entry): string {
    if (this.where === 'anywhere') return where === 'statement' ? 'no statement is there' : 'no function is there';
    return where === 'statement'
      ? 'no function that can be changed has a statement there: what a module does while it loads has run'
      : 'no function that can be changed is there';
  }

  private stopOf(entry: Breakpoint, line: number, outline: Outline): Stop | undefined {
    return stopOf(
      entry,
      line,
      outline,
      (offset) => this.where === 'anywhere' || pointAround(outline, offset) !== undefined,
    );
  }
}

function shown({ text: _, ...breakpoint }: Entry): Breakpoint {
  return breakpoint;
}

function problemOf({ condition, message }: Breakpoint, outline: Outline): string | undefined {
  if (condition !== undefined) {
    const problem = expressionProblem(outline, condition);
    if (problem !== undefined) return `its condition: ${problem}`;
  }
  for (const part of message === undefined ? [] : messageParts(message)) {
    const problem = typeof part === 'string' ? undefined : expressionProblem(outline, part.expression);
    if (problem !== undefined) return `its message: ${problem}`;
  }
  return undefined;
}

function stopOf(
  entry: Breakpoint,
  line: number,
  outline: Outline,
  canStop: (offset: number) => boolean,
): Stop | undefined {
  const lines = new LineTable(outline.parsed.text);
  if (line >= lines.lineCount) return undefined;
  const { id, where, condition, message } = entry;
  const own = {
    id,
    where,
    ...(condition === undefined ? {} : { condition }),
    ...(message === undefined ? {} : { message: messageParts(message) }),
  };
  if (where === 'statement') {
    const place = stoppableAt(outline, lines, line, ({ start }) => canStop(start));
    return place && { ...own, at: place.start };
  }
  const offset = lines.starts[line]! + Math.max(0, lines.line(line).search(/\S/));
  const begins = outline.functions.find(({ start }) => lines.lineAt(start) === line);
  const info = begins ?? functionAround(outline, offset);
  return info && canStop(info.start) ? { ...own, at: info.node.start } : undefined;
}

function functionAround(outline: Outline, offset: number): FunctionInfo | undefined {
  return outline.functions.filter(({ start, end }) => start <= offset && end > offset).pop();
}

/** The innermost function around a place that a later version can take over; undefined where there is none. */
export function pointAround(outline: Outline, offset: number): FunctionInfo | undefined {
  const points = pointsOf(outline);
  let found: FunctionInfo | undefined;
  outline.functions.forEach((info, index) => {
    if (points.functions[index]!.hook === undefined && info.kind !== 'constructor') return;
    if (info.start <= offset && info.end > offset && (!found || info.start >= found.start)) found = info;
  });
  return found;
}

/** Where a line of the text that an entry knows stands in another. */
function lineIn(entry: Entry, text: string): number {
  if (entry.text === undefined || entry.text === text) return entry.line;
  let before = 0;
  let after = 0;
  for (const { value, added, removed } of diffArrays(entry.text.split('\n'), text.split('\n'))) {
    const { length } = value;
    if (added) {
      after += length;
      continue;
    }
    // A line that was changed: what stands in its place.
    if (entry.line < before + length) return removed ? Math.max(0, after) : after + entry.line - before;
    before += length;
    if (!removed) after += length;
  }
  return entry.line;
}
