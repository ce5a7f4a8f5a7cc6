/**
 * The console of a pad: every method of the standard (console.spec.whatwg.org),
 * each line with its place and its arguments as they were. Lines are bounded:
 * the first {@link KEEP} go out as they are, later ones at most {@link TAIL}
 * between two reports, the last of them; the rest is counted.
 */
import type { RawConsole } from '../wire/reports.js';
import type { Value } from '../wire/value.js';
import { argumentText, formatLine, isOpenable, labelOf, tableText } from './console-format.js';
import * as own from './originals.js';
import { CONSOLE, type Previewer } from './preview.js';
import type { ConsolePlace } from './probes.js';
import type { Reporter } from './reports/reporter.js';
import type { Stacks } from './stacks.js';

const KEEP = 2_000;

const TAIL = 500;

type Level = RawConsole['level'];

/** A line that is looked at only when no other follows it. */
interface Skipped {
  level: Level;
  method: string;
  args: unknown[];
  format: boolean;
  site: number;
}

export class PadConsole {
  private indent = 0;
  /** Lines so far, and of those that come faster than they are told: the last, the one passed over, how many are lost. */
  private readonly flood: { lines: number; tail: RawConsole[]; skipped: Skipped | undefined; omitted: number } = {
    lines: 0,
    tail: [],
    skipped: undefined,
    omitted: 0,
  };
  /** By label, what `count` and `time` have begun. */
  private readonly labels = { counts: own.safeMap<string, number>(), timers: own.safeMap<string, number>() };

  constructor(
    private readonly reporter: Reporter,
    private readonly stacks: Stacks,
    private readonly place: ConsolePlace,
    private readonly now: () => number,
  ) {
    this.begin = now();
    reporter.hooks.beforeFlush = () => this.settle();
  }

  /** The begin of the run, for the times of lines. */
  begin: number;

  private get previewer(): Previewer {
    return this.reporter.previewer;
  }

  /** Lines are reported. For a program that has its own output, only while somebody looks. */
  get listening(): boolean {
    return this.reports;
  }

  set listening(on: boolean) {
    if (on && !this.reports) this.flood.lines = 0;
    this.reports = on;
  }

  private reports = true;
  /** The engine's own method is at work: what it calls and writes is reported already. */
  writing = false;

  /**
   * Replaces the methods of a console object in place; whoever holds one of its methods later holds ours.
   *
   * @param disguise is told of ours and the engine's own
   * @param isBeside the engine's own is called as well
   */
  install(console: object, disguise: (ours: object, native: object) => void, isBeside = false): void {
    const methods: Record<string, (...args: unknown[]) => void> = {
      log: (...args) => this.print('log', 'log', args),
      info: (...args) => this.print('info', 'info', args),
      warn: (...args) => this.print('warn', 'warn', args),
      error: (...args) => this.print('error', 'error', args),
      debug: (...args) => this.print('debug', 'debug', args),
      trace: (...args) => this.print('trace', 'trace', args),
      dir: (value) => this.print('log', 'dir', [value]),
      dirxml: (...args) => this.print('log', 'dirxml', args),
      table: (data, columns) => this.table(data, columns),
      group: (...args) => this.group('group', args),
      groupCollapsed: (...args) => this.group('groupCollapsed', args),
      groupEnd: () => {
        this.take();
        if (this.indent > 0) this.indent--;
      },
      count: (label) => {
        const name = labelOf(label);
        const count = (this.labels.counts.get(name) ?? 0) + 1;
        this.labels.counts.set(name, count);
        this.print('info', 'count', [`${name}: ${count}`], false);
      },
      countReset: (label) => {
        const name = labelOf(label);
        if (this.labels.counts.has(name)) {
          this.take();
          this.labels.counts.set(name, 0);
        } else this.print('warn', 'countReset', [`count "${name}" was never started`], false);
      },
      time: (label) => {
        const name = labelOf(label);
        if (this.labels.timers.has(name)) this.print('warn', 'time', [`timer "${name}" runs already`], false);
        else {
          this.take();
          this.labels.timers.set(name, this.now());
        }
      },
      timeLog: (label, ...args) => this.elapsed('timeLog', label, args, false),
      timeEnd: (label, ...args) => this.elapsed('timeEnd', label, args, true),
      timeStamp: () => this.take(),
      profile: () => this.take(),
      profileEnd: () => this.take(),
      assert: (condition, ...args) => {
        if (condition) {
          this.take();
          return;
        }
        if (typeof args[0] === 'string') args[0] = `assertion failed: ${args[0]}`;
        else {
          for (let i = args.length; i > 0; i--) args[i] = args[i - 1];
          args[0] = 'assertion failed';
        }
        this.print('error', 'assert', args);
      },
      clear: () => {
        this.take();
        this.indent = 0;
      },
    };
    for (const name of own.ownKeys(methods) as string[]) {
      // A method of an object literal has the name, and no `prototype`, as the engine's own.
      const native = (console as Record<string, ((...args: unknown[]) => void) | undefined>)[name];
      const method = isBeside ? this.both(methods[name]!, native!) : methods[name]!;
      if (native) disguise(method, native);
      own.defineProperty(console, name, { value: method, writable: true, enumerable: true, configurable: true });
    }
  }

  private both(
    ours: (...args: unknown[]) => void,
    native: (...args: unknown[]) => unknown,
  ): (...args: unknown[]) => void {
    const table = this;
    return {
      both(this: unknown, ...args: unknown[]): unknown {
        // Many of the engine's methods call others of them.
        if (table.writing) return own.apply(native as never, this, args);
        own.apply(ours as never, undefined, args);
        table.writing = true;
        try {
          return own.apply(native as never, this, args);
        } finally {
          table.writing = false;
        }
      },
    }.both;
  }

  /** Text that went to standard output or error past the console; `piped` is what a thread has written. */
  write(level: 'stdout' | 'stderr', text: string, method: 'write' | 'piped' = 'write'): void {
    if (!this.reports || this.writing) return;
    const frame = this.stacks.here(8).find((one) => one.local);
    this.add({
      moment: 0,
      time: 0,
      level,
      method,
      args: [],
      text: text.replace(/\r?\n$/, ''),
      indent: 0,
      site: -1,
      ...(frame ? { frame } : {}),
    });
  }

  /** The place of this call: told by the probe just before, else read from the stack. */
  private take(): number {
    const { site } = this.place;
    this.place.site = -1;
    return site;
  }

  private print(level: Level, method: string, args: unknown[], format = true): void {
    const site = this.take();
    if (!this.reports) return;
    if (this.flood.lines >= KEEP && this.flood.tail.length >= TAIL >> 1 && this.flood.lines % 16 !== 0) {
      // Deep in a flood, faster than any reader, only every sixteenth line is looked at in full; all are counted.
      this.flood.lines++;
      this.reporter.clock++;
      this.flood.omitted++;
      // It may be the last one for long: then it is looked at when the flood is told.
      this.flood.skipped = { level, method, args, format, site };
      this.reporter.tick();
      return;
    }
    this.flood.skipped = undefined;
    const entry = this.entryOf(level, method, args, format, site);
    this.placeOf(entry);
    this.add(entry);
    if (this.flood.lines <= KEEP)
      for (let i = 0; i < args.length; i++)
        if (isOpenable(args[i])) this.reporter.holder.hold(entry.moment, i, args[i], true);
  }

  private entryOf(level: Level, method: string, args: unknown[], format: boolean, site: number): RawConsole {
    const values: Value[] = [];
    for (let i = 0; i < args.length; i++) own.append(values, this.previewer.take(args[i], CONSOLE));
    return {
      moment: 0,
      time: 0,
      level,
      method,
      args: values,
      text: format ? formatLine(args, values) : (args[0] as string),
      indent: this.indent,
      site,
    };
  }

  private placeOf(entry: RawConsole): void {
    if (entry.method === 'trace') {
      entry.frames = this.stacks.here(12);
      const local = entry.frames.find((one) => one.local);
      if (local) entry.frame = local;
    } else if (entry.site < 0) {
      const frame = this.stacks.here(12).find((one) => one.local);
      if (frame) entry.frame = frame;
    }
  }

  private add(entry: RawConsole): void {
    entry.moment = ++this.reporter.clock;
    entry.time = this.now() - this.begin;
    this.flood.lines++;
    if (this.flood.lines <= KEEP) {
      this.reporter.addConsole(entry);
      this.reporter.tick();
      return;
    }
    own.append(this.flood.tail, entry);
    if (this.flood.tail.length > TAIL) {
      // Half a tail at a time, so that no line pays for moving all others.
      const drop = this.flood.tail.length - (TAIL >> 1);
      this.flood.omitted += drop;
      this.flood.tail = this.flood.tail.slice(drop);
    }
  }

  /** Hands over the last lines of a flood; called before each flush. */
  settle(): void {
    const { skipped } = this.flood;
    if (skipped) {
      this.flood.skipped = undefined;
      this.flood.omitted--;
      this.flood.lines--;
      this.add(this.entryOf(skipped.level, skipped.method, skipped.args, skipped.format, skipped.site));
    }
    // Taken first: adding may flush, and a flush comes here again.
    const { tail } = this.flood;
    this.flood.tail = [];
    for (let i = 0; i < tail.length; i++) this.reporter.addConsole(tail[i]!);
    this.reporter.omitted(this.flood.omitted);
  }

  private group(method: string, args: unknown[]): void {
    if (args.length > 0) this.print('log', method, args);
    else this.take();
    this.indent++;
  }

  private elapsed(method: string, label: unknown, args: unknown[], end: boolean): void {
    const name = labelOf(label);
    const start = this.labels.timers.get(name);
    if (start === undefined) {
      this.print('warn', method, [`timer "${name}" was never started`], false);
      return;
    }
    if (end) this.labels.timers.delete(name);
    if (!this.reports) {
      this.take();
      return;
    }
    const values: Value[] = [];
    for (let i = 0; i < args.length; i++) own.append(values, this.previewer.take(args[i], CONSOLE));
    let text = `${name}: ${(this.now() - start).toFixed(3)} ms`;
    for (const value of values) text += ` ${argumentText(value)}`;
    const entry: RawConsole = {
      moment: 0,
      time: 0,
      level: 'info',
      method,
      args: values,
      text,
      indent: this.indent,
      site: this.take(),
    };
    this.placeOf(entry);
    this.add(entry);
  }

  private table(data: unknown, wanted: unknown): void {
    if (!this.reports) {
      this.take();
      return;
    }
    const value = this.previewer.take(data, { ...CONSOLE, depth: 2 });
    const site = this.take();
    if (value.type !== 'object' || !value.entries) {
      this.place.site = site;
      this.print('log', 'table', [data]);
      return;
    }
    const columns: string[] = [];
    const rows: string[][] = [];
    const only = own.isArray(wanted) ? (wanted as unknown[]).filter((name) => typeof name === 'string') : undefined;
    let index = 0;
    for (const entry of value.entries) {
      const row: Record<string, string> = own.createObject(null) as Record<string, string>;
      if (entry.value.type === 'object' && entry.value.entries) {
        let item = 0;
        for (const cell of entry.value.entries) {
          const key = cell.key ?? own.StringCopy(item++);
          if (only && !only.includes(key)) continue;
          if (!columns.includes(key)) own.append(columns, key);
          row[key] = argumentText(cell.value);
        }
      } else {
        if (!columns.includes('value')) own.append(columns, 'value');
        row.value = argumentText(entry.value);
      }
      own.append(rows, [entry.key ?? own.StringCopy(index), ...columns.map((name) => row[name] ?? '')]);
      index++;
    }
    for (const row of rows) while (row.length <= columns.length) own.append(row, '');
    const entry: RawConsole = {
      moment: 0,
      time: 0,
      level: 'log',
      method: 'table',
      args: [value],
      text: tableText(columns, rows, value.more ?? 0),
      indent: this.indent,
      site,
      table: { columns, rows },
    };
    this.placeOf(entry);
    this.add(entry);
  }
}
