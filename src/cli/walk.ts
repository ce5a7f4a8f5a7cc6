/** `usher-anvil walk`: executes a pad once, and walks through what it did, from the failure backwards. */
import { relative } from 'node:path';
import { createInterface } from 'node:readline';
import { padPath } from '../hosts/node/files.js';
import { WalkedPad } from '../hosts/node/walked-pad.js';
import type { PadRecord } from '../record/record.js';
import type { Move, Walk } from '../record/walk/walk.js';
import { startOf, visitOf } from '../record/walk/start.js';
import { walkToJson } from '../record/walk/json.js';
import { Walker } from '../record/walk/walker.js';
import { AnvilError } from '../syntax/problems.js';
import { endText, keptText, repeatingText, stopOf } from '../views/walk-text.js';
import { useAdditions } from './additions.js';
import { duration } from './execute.js';
import { valueText } from '../runtime/text.js';
import { cut, harmless, makePaint, type Paint, wantsColour } from './paint.js';

export interface WalkOptions {
  format: string;
  /** A test by its name, from whose failure or end one walks. */
  test?: string;
  /** `<line>:<visit>`. */
  from?: string;
  timeLimit: string;
}

const MOVES: readonly Move[] = ['into', 'over', 'out', 'line'];
const HELP =
  'into, over, out, line (the same line’s next time); back before them: the other way. entry, exit: of the frame. ' +
  'why: what is read and called here, each with a number, and <number>: go to where it comes from. ' +
  'set <name>, set <name>.<key>: where it got its value; set next <name>: where it gets another. callback: into the function written here. ' +
  'frames, start, end; quit. Of a long run a part is kept: keep, step <number>: execute it once more, and keep the steps around there.';
/** Keys of a terminal, each with what it says. */
const KEYS: Readonly<Record<string, string>> = {
  ...{ right: 'into', left: 'back into', down: 'over', up: 'back over', o: 'out', O: 'back out' },
  ...{ l: 'line', L: 'back line', e: 'entry', x: 'exit', f: 'start', q: 'quit', w: 'why', c: 'callback', r: 'keep' },
};

/**
 * Walks until the person quits, or what is piped in ends; resolves with the exit code: 0 it ran, 1 the pad failed.
 *
 * @throws AnvilError `E_OPTION` for a wrong option, or a place that the run did not come by
 */
export async function walkCommand(pad: string, options: WalkOptions): Promise<number> {
  if (options.format !== 'text' && options.format !== 'json')
    throw new AnvilError('E_OPTION', `--format is "${options.format}". It is one of text, json.`);
  const cwd = process.cwd();
  const file = padPath(pad, cwd);
  const timeLimitMs = duration(options.timeLimit, '--time-limit');
  const { test } = options;
  useAdditions(file, options.format === 'text');
  const walked = new WalkedPad(
    { file, timeLimitMs, alone: true, ...(test === undefined ? {} : { test }) },
    () => undefined,
  );
  try {
    const { record, run } = await walked.execute();
    const from = beginAt(record, run, options);
    if (options.format === 'json')
      process.stdout.write(`${JSON.stringify(walkToJson(record, run, from), undefined, 2)}\n`);
    else await new WalkScreen(walked, record, run, from, (one) => relative(cwd, one) || one).follow();
    return record.outcome === 'ok' ? 0 : 1;
  } finally {
    await walked.close();
  }
}

/** The step that a person begins at: what is asked for, else the first failure, else the last. */
function beginAt(record: PadRecord, run: Walk, { test, from }: WalkOptions): number {
  if (from !== undefined) {
    const [line, visit] = /^(\d+)(?::(\d+))?$/.exec(from)?.slice(1) ?? [];
    const at = line === undefined ? undefined : visitOf(run, record.file, Number(line) - 1, Number(visit ?? 1));
    if (at === undefined)
      throw new AnvilError('E_OPTION', `--from is "${from}": the run did not come by there. Give <line>:<visit>.`);
    return at;
  }
  return startOf(record, run, test)!;
}

/** Takes words or keys, and shows each stop. */
class WalkScreen {
  private walker: Walker;
  private readonly paint: Paint = makePaint(wantsColour(process.stdout, process.env));

  /** Number of the step at which one has begun, among all of the run. */
  private readonly start: number;

  constructor(
    private readonly walked: WalkedPad,
    private record: PadRecord,
    private run: Walk,
    start: number,
    private readonly nameOf: (file: string) => string,
  ) {
    this.start = run.numberOf(start);
    this.walker = new Walker(run, start);
  }

  follow(): Promise<void> {
    this.show();
    this.tellKept();
    return process.stdin.isTTY ? this.takeKeys() : this.takeLines();
  }

  private async takeLines(): Promise<void> {
    for await (const line of createInterface({ input: process.stdin })) if (!(await this.take(line.trim()))) return;
  }

  private takeKeys(): Promise<void> {
    const { stdin } = process;
    this.say(
      this.paint.dim(
        '→ into  ← back  ↓ over  ↑ back over  o out  O back out  l line  w why, 1–9  c callback  e entry  x exit  f start  r keep  q quit',
      ),
    );
    return new Promise((resolve) => {
      stdin.setRawMode(true);
      // Keys that come while the run is repeated wait for their turn.
      let done = Promise.resolve(true);
      stdin.on('data', (data: Buffer) => {
        for (const key of keysOf(data.toString('utf8'))) {
          const said = KEYS[key] ?? (key === 'ctrl-c' ? 'quit' : /\d/.test(key) ? key : '');
          done = done.then(async (goesOn) => goesOn && (await this.take(said)));
        }
        void done.then((goesOn) => {
          if (goesOn) return;
          stdin.setRawMode(false);
          stdin.pause();
          resolve();
        });
      });
    });
  }

  /** Does what a word says. @returns false for the end */
  private async take(said: string): Promise<boolean> {
    if (said === '') return true;
    if (said === 'quit') return false;
    const [, back, move] = /^(back )?(\w+)$/.exec(said) ?? [];
    const [, next, name] = /^set (next )?(\S+)$/.exec(said) ?? [];
    const [number] = /^\d$/.exec(said) ?? [];
    const [, step] = /^step (\d+)$/.exec(said) ?? [];
    const { walker, run } = this;
    if ((MOVES as readonly string[]).includes(move ?? '')) {
      if (walker.go(move as Move, back === undefined ? 1 : -1)) this.show();
      else this.say(endText(run, back === undefined ? 1 : -1));
    } else if (said === 'entry' || said === 'exit') this.jump(run.edge(walker.at, said));
    else if (said === 'start') await this.stepTo(this.start);
    else if (step !== undefined) await this.stepTo(Number(step));
    else if (said === 'keep') await this.repeat(run.numberOf(walker.at));
    else if (said === 'end') this.jump(run.length - 1);
    else if (said === 'frames') this.frames();
    else if (said === 'why') this.why();
    else if (number !== undefined) this.source(Number(number));
    else if (said === 'callback') {
      const to = run.callback(walker.at);
      if (to === undefined) this.say('No function that is written here was called through it.');
      else this.jump(to);
    } else if (name !== undefined) {
      const by = next === undefined ? run.setBy(walker.at, name) : run.setNext(walker.at, name);
      if (by === undefined)
        this.say(`No step that is kept ${next === undefined ? 'has given' : 'gives'} ${name} its value.`);
      else this.jump(by);
    } else this.say(HELP);
    return true;
  }

  /** To the step with a number; where it is not kept, it is after a repetition. */
  private async stepTo(number: number): Promise<void> {
    const to = this.run.withNumber(number);
    if (to !== undefined) this.jump(to);
    else if (number < 1 || number > this.run.total)
      this.say(`The run has ${this.run.total.toLocaleString('en-US')} steps.`);
    else await this.repeat(number);
  }

  private async repeat(number: number): Promise<void> {
    this.say(this.paint.dim(repeatingText));
    const repeated = await this.walked.repeat(number);
    if (!repeated) {
      this.say('All steps of the run are kept.');
      return;
    }
    this.record = repeated.record;
    this.run = repeated.run;
    this.walker = new Walker(repeated.run, repeated.at);
    this.show();
    this.tellKept();
  }

  private tellKept(): void {
    const text = keptText(this.run);
    if (text !== undefined)
      this.say(`${text} “keep” keeps those around the one you are at, “step <number>” those around another.`);
  }

  private jump(to: number): void {
    this.walker.jump(to);
    this.show();
  }

  /** What the step reads and calls, with numbers to go on by. */
  private why(): void {
    const sources = this.run.sources(this.walker.at);
    if (sources.length === 0) this.say('It reads nothing and calls nothing that was recorded.');
    for (const [index, source] of sources.slice(0, 9).entries()) {
      const from = source.step === undefined ? undefined : this.run.step(source.step);
      const place = from ? `${this.nameOf(from.file)}:${from.range.start.line + 1}` : 'not recorded';
      const value = source.value ? `  ${this.paint.value(harmless(valueText(source.value, 60)))}` : '';
      const kind = source.kind === 'condition' ? 'led here by  ' : '';
      this.say(`  ${index + 1}  ${kind}${harmless(source.text)}${value}  ${this.paint.dim(place)}`);
    }
  }

  private source(number: number): void {
    const source = this.run.sources(this.walker.at)[number - 1];
    if (!source) this.say(`Nothing here has the number ${number}: "why" lists them.`);
    else if (source.step === undefined) this.say(`No step that was recorded gave ${source.text} its value.`);
    else this.jump(source.step);
  }

  private frames(): void {
    for (const { name, file, range, how } of this.run.stack(this.walker.at))
      this.say(`  ${name || 'a function without a name'}  ${this.nameOf(file)}:${range.start.line + 1}  ${how}`);
  }

  private show(): void {
    const { paint } = this;
    // A terminal that tells no width tells 0.
    const width = process.stdout.columns || 120;
    const { head, frames, code, variables, left } = stopOf(this.record, this.run, this.walker.at, this.nameOf);
    this.say(`\n${paint.bold(head)}  ${paint.dim(frames)}`);
    for (const { number, text, here } of code) {
      const line = cut(
        `${here ? '▶' : ' '} ${String(number).padStart(4)}  ${harmless(text.replace(/\t/g, '  '))}`,
        width,
      );
      this.say(here ? line : paint.dim(line));
    }
    const longest = Math.min(24, Math.max(0, ...variables.map(({ name }) => name.length)));
    for (const { name, text, changed } of variables) {
      const value = cut(harmless(text.replace(/\s*\n\s*/g, ' ')), Math.max(20, width - longest - 18));
      this.say(`     ${name.padEnd(longest)}  ${paint.value(value)}${changed ? paint.bold('  changed') : ''}`);
    }
    if (left > 0) this.say(paint.dim(`     … ${left} more`));
  }

  private say(text: string): void {
    process.stdout.write(`${text}\n`);
  }
}

const ARROWS: Readonly<Record<string, string>> = { A: 'up', B: 'down', C: 'right', D: 'left' };

/** Keys by their names: letters, arrows, `ctrl-c`. */
function keysOf(data: string): string[] {
  return [...data.matchAll(/\u001b\[([A-D])|\u0003|[a-zA-Z1-9]/g)].map(([key, arrow]) =>
    arrow !== undefined ? ARROWS[arrow]! : key === '\u0003' ? 'ctrl-c' : key,
  );
}
