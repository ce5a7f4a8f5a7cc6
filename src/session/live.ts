/**
 * The life of a program that keeps running: started once, then each save is
 * compared, planned and applied, or refused with a reason.
 */
import { compile } from '../instrument/compile.js';
import { liveModule, planChanges, planText, presentLine, rootsOf, type LiveModule, type Plan, type Waiting } from '../patch/plan.js';
import type { Step } from '../patch/steps.js';
import type { Program } from '../record/program.js';
import type { PadRecord } from '../record/record.js';
import { enter, giveWay, joinedText, type EntryProblem, type Joined } from '../patch/entry.js';
import type { LookAnswer, LookRequest, NameFound, NamesRequest } from '../runtime/look.js';
import type { LiveAnswer, LiveChange } from '../runtime/target.js';
import type { Batch, ModuleCode, ModuleLink, RawError, RawFrame, Value } from '../runtime/wire.js';
import { outlineOf, type Outline } from '../syntax/outline.js';
import { parse } from '../syntax/parse.js';
import { nearest } from '../syntax/names.js';
import { LineTable } from '../syntax/positions.js';
import { bindingScope, scopesOf, usesWithin } from '../syntax/scopes.js';
import type { Problem } from '../syntax/problems.js';
import type { Files, Host, Language, RawStop, RunHandle, RunRequest, RunSink } from './host.js';
import { Linker, type Linked } from './linker.js';
import { Watching, type Watched } from './watching.js';

export interface LiveSink extends RunSink {
  news(
    news: { is: 'undone' } | { is: 'extension'; file: string; from: string } | { is: 'output'; stream: 'stdout' | 'stderr'; text: string; omitted: number },
  ): void;
}

export interface LiveHost extends Omit<Host, 'run' | 'warm'> {
  start(
    request: RunRequest,
    sink: LiveSink,
  ): Omit<RunHandle, 'look' | 'act'> & { change(change: LiveChange): Promise<LiveAnswer>; look(request: LookRequest | NamesRequest): Promise<LookAnswer> };
}

export interface LiveEvent {
  kind: 'patched' | 'reloaded' | 'refused' | 'failed' | 'undone' | 'error' | 'ended';
  file: string;
  /** One line. */
  text: string;
  /** Reasons and places, a line each. */
  details: string[];
  plan?: Plan;
  /** It answers an edit that is being typed, not a save. */
  typed?: true;
}

/** What became of something entered for a module. */
export type Entered =
  | { is: 'incomplete' }
  | { is: 'wrong'; problems: EntryProblem[] }
  /** Nothing was changed, or what was to run threw. */
  | { is: 'failed'; text: string; details: string[] }
  | {
      is: 'done';
      /** What it changed, in one line; empty where it changed nothing. */
      changes: string;
      /** What the last statement gave, if there was one: it can be opened under its moment. */
      result?: { value: Value; moment: number };
      pauseMs: number;
    };

/** Something the program wrote. */
export interface LiveOutput {
  stream: 'stdout' | 'stderr';
  text: string;
  /** Characters of a flood that are left out. */
  omitted: number;
}

/** A thread or process that the program has started and that loads modules by itself. */
export interface Participant {
  id: string;
  /** `thread 3`, `process 4711`. */
  label: string;
  change(change: ParticipantChange): Promise<ParticipantAnswer>;
}

/** `target` of a link: the local file it leads to. */
export type ParticipantChange = { do: 'patch'; steps: Step[]; links: { file: string; name: string; specifier: string; target?: string }[] } | { do: 'undo' };

export interface ParticipantAnswer {
  failed?: { step: number; name: string; message: string };
  objects: number;
}

/** Code of a module for a participant. */
export interface Served {
  code: string;
  format: 'module' | 'commonjs';
}

interface Taking {
  participant: Participant;
  modules: Map<string, LiveModule>;
  served: Outline[];
}

/** Plans that were applied in a participant, and what it had before. */
interface Elsewhere {
  taking: Taking;
  before: Map<string, LiveModule>;
  plans: Plan[];
  /** There was something to apply, which can be taken back. */
  applied: boolean;
}

/** What can be taken back: the modules of the program, and those of participants that took part. */
interface Before {
  /** The program itself took part. */
  main: boolean;
  modules: Map<string, LiveModule>;
  participants: Map<string, Map<string, LiveModule>>;
}

export interface LiveParts {
  files: Files;
  language: Language;
  host: LiveHost;
}

/** Functions that are given versions which report in one job of the program. */
const WATCHED_AT_ONCE = 50;
/** Saves that can be taken back. */
const MOST_UNDONE = 100;
/** Of these, those whose versions are kept as they were compared. */
const WHOLE_VERSIONS = 3;

export class LiveSession {
  private readonly linker: Linker;
  private readonly modules = new Map<string, LiveModule>();
  private handle: ReturnType<LiveHost['start']> | undefined;
  private linked: Linked | undefined;
  private program: Program | undefined;
  private queue: Promise<void> = Promise.resolve();
  /** Texts that were refused already: a second look at the same one says nothing new. */
  private readonly refused = new Map<string, string>();
  private readonly listeners = new Set<(event: LiveEvent) => void>();
  /** What the modules were before each change that can be taken back. */
  private readonly before: Before[] = [];
  private readonly participants = new Map<string, Taking>();
  /** Modules that hosts in the program put in and take out. */
  private readonly extensions = new Set<string>();
  private readonly waiting = new Map<string, Waiting[]>();
  /** Declarations that were entered and that no file has. */
  private readonly joined = new WeakMap<Outline, Joined[]>();
  private readonly outputListeners = new Set<(output: LiveOutput) => void>();
  /** Milliseconds that the program stood still for the last change. */
  lastPauseMs = 0;
  private readonly watching: Watching;
  private readonly recordListeners = new Set<() => void>();
  /** Texts that do not parse, by file. */
  private readonly problems = new Map<string, { problems: readonly Problem[]; lines: LineTable }>();
  /** An edit that is being typed is answered. */
  private typed = false;
  private ended = false;
  private readonly resets = new Map<string, Map<string, Step>>();

  constructor(
    readonly file: string,
    private readonly parts: LiveParts,
  ) {
    this.linker = new Linker(parts.files, parts.language, { depth: 'off', patchable: true });
    this.watching = new Watching(file, parts.language.translator, (name) => this.modules.get(name));
  }

  onEvent(listener: (event: LiveEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** Local modules of the program. */
  get files(): string[] {
    const all = new Set(this.program?.files.map((file) => file.file) ?? [this.file]);
    for (const { modules } of this.participants.values()) for (const file of modules.keys()) all.add(file);
    return [...all];
  }

  /** A thread or process of the program takes part from now on. */
  join(participant: Participant): void {
    this.participants.set(participant.id, { participant, modules: new Map(), served: [] });
  }

  leave(id: string): void {
    this.participants.delete(id);
  }

  /** How many threads and processes take part besides the program itself. */
  get participating(): number {
    return this.participants.size;
  }

  /** Code that a participant is to load for a local file; undefined for one that it loads by itself. */
  serve(id: string, file: string): Served | undefined {
    const taking = this.participants.get(id);
    if (!taking) return undefined;
    const { outline } = this.linker.unit(file);
    // With a syntax error it is the engine that says so.
    if (!outline) return undefined;
    const version = taking.served.push(outline) - 1;
    const form = outline.parsed.goal === 'module' ? 'module' : 'script';
    const { code } = compile(outline, { depth: 'off', form, patchable: true, version, translator: this.parts.language.translator });
    return { code, format: form === 'module' ? 'module' : 'commonjs' };
  }

  /** A participant executes a module that it was served. */
  executed(id: string, file: string, version: number): void {
    const taking = this.participants.get(id);
    const outline = taking?.served[version];
    if (outline) taking.modules.set(file, liveModule(outline, outline.parsed.goal === 'module' ? 'module' : 'linked'));
  }

  /** An error in a participant that nobody caught. */
  failedIn(id: string, error: { name: string; message: string }, frames: readonly { file: string; line: number; name: string }[]): void {
    const taking = this.participants.get(id);
    if (!taking) return;
    const frame = frames[0];
    const module = frame && taking.modules.get(frame.file);
    const line = frame ? `line ${(module ? presentLine(module, frame.line, frame.name) : frame.line) + 1}  ` : '';
    const text = error.name === '' ? error.message : `${error.name}: ${error.message}`;
    this.say({ kind: 'error', file: frame?.file ?? this.file, text: `${line}${text} · in ${taking.participant.label}`, details: [] });
  }

  /** A participant has stopped a change that did not end, and taken it back. */
  stoppedIn(id: string): void {
    const taking = this.participants.get(id);
    const last = [...this.before].reverse().find((one) => one.participants.has(id));
    if (!taking || !last) return;
    taking.modules = last.participants.get(id)!;
    last.participants.delete(id);
    this.say({ kind: 'undone', file: this.file, text: `a change did not end in ${taking.participant.label}, was stopped and is undone there`, details: [] });
  }

  /**
   * Starts the program. Returns the problems that keep it from starting, if any.
   *
   * @param onEnd called once, when the program has ended
   */
  start(onEnd: (stop: RawStop | undefined) => void): { file: string; line: number; message: string }[] {
    const linked = (this.linked = this.linker.link(this.file));
    this.program = linked.program;
    if (linked.problems.length > 0) {
      return linked.problems.map(({ file, problem }) => ({ file, line: this.linker.unit(file).lines.lineAt(problem.start), message: problem.message }));
    }
    this.remember();
    this.handle = this.parts.host.start(
      { id: 1, entry: linked.entry, modules: linked.modules, hangMs: Infinity, asked: {} },
      {
        batch: (batch) => {
          const errors = batch.errors?.map((given) => this.asOfNow(given));
          for (const error of errors ?? []) {
            this.tellError({
              kind: 'error',
              file: error.frames.find((frame) => frame.local)?.file ?? this.file,
              text: errorLine(error),
              details: pathOf(error),
            });
          }
          this.reported(batch, errors);
        },
        settled: () => undefined,
        idle: () => undefined,
        stopped: (stop) => {
          this.ended = true;
          this.tellRepeated();
          for (const listener of this.recordListeners) listener();
          onEnd(stop);
        },
        needsProcess: () => undefined,
        looked: () => undefined,
        resolve: (specifier, from) => this.resolve(specifier, from),
        news: (news) => {
          if (news.is === 'extension') this.extensions.add(news.file);
          else if (news.is === 'output') for (const listener of this.outputListeners) listener(news);
          else this.tookBack('a change did not end, was stopped and is undone; the program goes on with what it had before');
        },
      },
    );
    if (this.outputListeners.size > 0) void this.handle.change({ do: 'listen', on: true });
    return [];
  }

  /** An error with its places in the text as it is now. */
  private asOfNow(error: RawError): RawError {
    return { ...error, frames: error.frames.map((frame) => this.frameNow(frame)) };
  }

  private frameNow(frame: RawFrame): RawFrame {
    const module = frame.local ? this.modules.get(frame.file) : undefined;
    if (!module || frame.line < 0) return frame;
    const line = frame.watched ? this.watching.presentLine(frame.file, frame.line) : presentLine(module, frame.line, frame.name);
    return line === undefined ? frame : { ...frame, line };
  }

  // ---- looking at the program -----------------------------------------------------

  private reported(batch: Batch, errors: RawError[] | undefined): void {
    if (this.watching.watched.length === 0) return;
    const console = batch.console?.map((entry) => ({
      ...entry,
      ...(entry.frame ? { frame: this.frameNow(entry.frame) } : {}),
      ...(entry.frames ? { frames: entry.frames.map((frame) => this.frameNow(frame)) } : {}),
    }));
    this.watching.add({ ...batch, ...(console ? { console } : {}), ...(errors ? { errors } : {}) });
    const hot = batch.counts ? this.watching.tooHot() : [];
    if (hot.length > 0) void this.then(hot[0]!, () => this.rewatch(hot));
    for (const listener of this.recordListeners) listener();
  }

  /**
   * Looks at a file: its functions are counted from their next call on, and what it prints and where it fails is
   * recorded. It is no change of the program, and {@link unwatch} takes it away.
   *
   * @returns false where the file is no module of the program itself
   */
  async watch(file: string): Promise<boolean> {
    await this.then(file, async () => {
      if (!this.modules.has(file) || !this.handle) return;
      const first = this.watching.watched.length === 0;
      this.watching.begin(file);
      if (first) await this.handle.change({ do: 'report', on: true });
      await this.rewatch([file]);
    });
    return this.watching.watches(file);
  }

  /** Nobody looks at a file any more. */
  async unwatch(file: string): Promise<void> {
    await this.then(file, async () => {
      if (!this.watching.watches(file)) return;
      await this.handle?.change({ do: 'watch', watch: this.watching.end(file) });
      if (this.watching.watched.length === 0) await this.handle?.change({ do: 'report', on: false });
    });
  }

  /**
   * Shows the values of the function at a line, and of no other of the file; without a line, of none.
   *
   * @param line zero-based, of the text that runs
   * @returns its path in the file, or undefined where no function is that can be looked into
   */
  async openFunction(file: string, line: number | undefined): Promise<string | undefined> {
    let opened: string | undefined;
    await this.then(file, async () => {
      const before = this.watching.opened(file);
      opened = this.watching.open(file, line);
      if (opened !== before) await this.rewatch([file]);
    });
    return opened;
  }

  /** The function of a file whose values are shown, by its path. */
  openedFunction(file: string): string | undefined {
    return this.watching.opened(file);
  }

  /** What the program reported lately; see {@link watch}. */
  get record(): PadRecord {
    const problems = [...this.problems].flatMap(([file, { problems, lines }]) =>
      problems.map(({ start, end, message }) => ({ file, start, end, message, lines })),
    );
    return this.watching.record({ ended: this.ended, problems });
  }

  /** True for a text that was not taken because it does not parse. */
  isWrong(file: string): boolean {
    return this.problems.has(file);
  }

  /** The text of a file that runs, with what was entered for it. */
  runningText(file: string): string | undefined {
    return this.modules.get(file)?.outline.parsed.text;
  }

  /** Calls back when the record is a new one. */
  onRecord(listener: () => void): () => void {
    this.recordListeners.add(listener);
    return () => this.recordListeners.delete(listener);
  }

  /** Forgets what was printed and what went wrong. */
  clear(): void {
    this.watching.clear();
    for (const listener of this.recordListeners) listener();
  }

  /** Text of a file as this session sees it: unsaved before saved. */
  textOf(file: string): string {
    return this.linker.textOf(file);
  }

  /** Takes an unsaved text of a file. */
  edit(file: string, text: string): Promise<void> {
    return this.then(file, async () => {
      this.linker.overlay.set(file, text);
      this.typed = true;
      try {
        await this.apply([file], true);
      } finally {
        this.typed = false;
      }
    });
  }

  /** The text of a file is the one on disk from now on. */
  forgetEdit(file: string): Promise<void> {
    // Behind the edits that are on their way.
    return this.then(file, () => Promise.resolve(void this.linker.overlay.delete(file)));
  }

  /** Watches files anew, as they run now. */
  private async rewatch(files: readonly string[], anew = false): Promise<void> {
    for (const file of files) {
      const module = this.modules.get(file);
      const watched = module && this.watching.plan(file, module, undefined, anew);
      if (!watched || !this.handle) continue;
      const { steps, units, release, gone } = watched.watch;
      const failed: { step: number; message: string }[] = [];
      let ended = false;
      this.lastPauseMs = 0;
      // A large file in several jobs: each function is watched by itself, and the program is not to stand still for all.
      for (let from = 0; from === 0 || from < steps.length; from += WATCHED_AT_ONCE) {
        const last = from + WATCHED_AT_ONCE >= steps.length;
        const watch = {
          steps: steps.slice(from, from + WATCHED_AT_ONCE),
          units: from === 0 ? units : [],
          release: from === 0 ? release : [],
          gone: last ? gone : [],
        };
        const answer = await this.handle.change({ do: 'watch', watch });
        ended ||= answer.failed !== undefined;
        this.lastPauseMs = Math.max(this.lastPauseMs, answer.pauseMs);
        failed.push(...(answer.unwatched ?? []).map(({ step, message }) => ({ step: step + from, message })));
      }
      if (ended) continue;
      this.modules.set(file, watched.next);
      watched.taken(failed);
    }
    for (const listener of this.recordListeners) listener();
  }

  private resolve(specifier: string, from: string): { link: ModuleLink; modules: ModuleCode[] } {
    const { link, modules, program } = this.linker.extend(this.linked!, specifier, from);
    this.program = program;
    this.remember();
    return { link, modules };
  }

  /**
   * Takes a save of one or more files: compares, plans, applies. Calls are taken one after the other.
   *
   * @param settled false while an editor may still be writing: a file that is empty now is left for later
   */
  changed(files: readonly string[], settled = true): Promise<void> {
    return this.then(files[0] ?? this.file, () => this.apply(files, settled));
  }

  /** Takes the last change back; false where there is none. The files stay as they are. */
  async undo(): Promise<boolean> {
    let done = false;
    await this.then(this.file, async () => {
      const last = this.before[this.before.length - 1];
      if (!last || !this.handle) return;
      if (last.main && (await this.handle.change({ do: 'undo' })).failed) return;
      this.tookBack('the last change is undone', last);
      done = true;
    });
    return done;
  }

  /** Statements that saves brought and that were not run, by file. */
  get waitingStatements(): ReadonlyMap<string, readonly Waiting[]> {
    return this.waiting;
  }

  /** Runs the statements of a file that wait, in their order; all, or the one on a line (from 0). */
  async runWaiting(file: string, line?: number): Promise<void> {
    await this.then(file, async () => {
      const list = this.waiting.get(file) ?? [];
      for (const entry of list.filter((one) => line === undefined || one.line === line)) {
        await this.take([{ kind: 'run', file, name: entry.text, code: entry.code }], file, `line ${entry.line + 1} ran: ${entry.text}`);
        list.splice(list.indexOf(entry), 1);
      }
    });
  }

  /** Gives a name whose live value was kept the value that the text gives it now; false where nothing was kept. */
  async reset(file: string, name: string): Promise<boolean> {
    const step = this.resets.get(file)?.get(name);
    if (!step) return false;
    await this.then(file, async () => {
      await this.take([step], file, `${name} reset`);
      this.resets.get(file)?.delete(name);
    });
    return true;
  }

  /** Tells what the program writes, beside where it writes it. */
  onOutput(listener: (output: LiveOutput) => void): () => void {
    if (this.outputListeners.size === 0) void this.handle?.change({ do: 'listen', on: true });
    this.outputListeners.add(listener);
    return () => {
      this.outputListeners.delete(listener);
      if (this.outputListeners.size === 0) void this.handle?.change({ do: 'listen', on: false });
    };
  }

  /**
   * Evaluates what a person enters inside a module: statements run once, functions and classes that the module has
   * are patched, other declarations join the module until it is executed again.
   */
  async evaluate(file: string, text: string): Promise<Entered> {
    let entered: Entered | undefined;
    let last: Promise<LiveAnswer> | undefined;
    let firstLine = 0;
    let changes = '';
    await this.then(file, async () => {
      const module = this.modules.get(file);
      if (!module || !this.handle) {
        const where = [...this.participants.values()].find((one) => one.modules.has(file));
        const why = where ? `it runs in ${where.participant.label}, where saves are taken and nothing can be entered` : `${file} is no module of this program`;
        entered = { is: 'failed', text: module ? 'the program does not run' : why, details: [] };
        return;
      }
      const entry = enter(module.outline, this.joined.get(module.outline) ?? [], text);
      if (entry.is !== 'ready') {
        entered = entry;
        return;
      }
      ({ firstLine } = entry);
      const outline = this.outlineFor(file, entry.text);
      if (!outline) {
        entered = { is: 'wrong', problems: [{ line: 0, message: 'it cannot stand beside what the module has already' }] };
        return;
      }
      const plan = planChanges(module, outline, this.parts.language.translator);
      const { waiting } = plan;
      plan.waiting = [];
      plan.notes = plan.notes.filter((note) => note.kind !== 'waits');
      for (const name of entry.assigned) {
        const reset = plan.resets.get(name);
        if (!reset) continue;
        plan.steps.push(reset);
        plan.resets.delete(name);
        for (const note of plan.notes) if (note.name === name && note.kind === 'kept') note.kind = 'assigned';
      }
      // What ran once is no part of the module.
      const lasting = entry.statements > 0 ? this.outlineFor(file, entry.lasting)! : outline;
      if (entry.statements > 0) plan.next = planChanges(plan.next, lasting, this.parts.language.translator).next;
      this.joined.set(lasting, entry.joined);
      const failed = plan.steps.length > 0 || plan.notes.length > 0 ? await this.patch([plan], 'entered') : undefined;
      if (failed) {
        entered = failed;
        return;
      }
      this.modules.set(file, plan.next);
      changes = plan.notes.length > 0 ? planText(plan) : '';
      if (waiting.length > 0)
        last = this.handle.change({ do: 'evaluate', file, codes: waiting.map(({ code }) => ({ code, awaits: /^\s*\(\(async /.test(code) })) });
    });
    if (entered) return entered;
    const answer = await last;
    if (answer?.failed) {
      const { error } = answer.failed;
      const at = error.frames.find((frame) => frame.local && frame.line >= 0);
      const place = !at
        ? ''
        : at.file === file && at.line >= firstLine
          ? `line ${at.line - firstLine + 1} of what was entered  `
          : `${at.file} line ${at.line + 1}  `;
      return {
        is: 'failed',
        text: `${place}${error.message === '' ? error.name : `${error.name}: ${error.message}`}`,
        details: changes === '' ? [] : [changes],
      };
    }
    return { is: 'done', changes, pauseMs: answer?.pauseMs ?? 0, ...(answer?.result ? { result: answer.result } : {}) };
  }

  /** Names that can be written behind a text, from the objects that live; no getter is run. */
  async complete(file: string, text: string): Promise<{ from: number; names: NameFound[] }> {
    const found =
      /(?:^|[^\p{ID_Continue}$.#])((?:[\p{ID_Start}$_][\p{ID_Continue}$]*|this)(?:\??\.[\p{ID_Start}$_][\p{ID_Continue}$]*|\[\d+\])*)?(\??\.)?([\p{ID_Start}$_][\p{ID_Continue}$]*)?$/u.exec(
        text,
      );
    const module = this.modules.get(file);
    if (!found || !module || !this.handle) return { from: text.length, names: [] };
    const dotted = found[2] !== undefined;
    // Behind something else than names nothing is known without running it.
    if (dotted && found[1] === undefined) return { from: text.length, names: [] };
    const written = `${found[1] ?? ''}${dotted ? '' : (found[3] ?? '')}`;
    const steps = [...written.matchAll(/[\p{ID_Start}$_][\p{ID_Continue}$]*|\d+/gu)].map((match) => match[0]);
    const prefix = dotted ? (found[3] ?? '') : (steps.pop() ?? '');
    const from = text.length - prefix.length;
    const look = async (request: NamesRequest): Promise<NameFound[]> => {
      const answer = await this.handle!.look(request);
      return answer.is === 'names' ? answer.names : [];
    };
    if (steps.length > 0) {
      const [root, ...path] = steps;
      const known = module.outline.topLevel.has(root!) || module.outline.imports.some((entry) => entry.names.some((name) => name.local === root));
      const code = known ? this.codeOf(file, root!) : undefined;
      return { from, names: await look({ do: 'names', file, path: known ? path : steps, prefix, ...(code === undefined ? {} : { code }) }) };
    }
    const own: NameFound[] = [...module.outline.topLevel]
      .filter(([name, kind]) => kind !== 'type' && name.startsWith(prefix))
      .map(([name, kind]) => ({ name, kind: kind === 'function' ? 'function' : kind === 'class' ? 'class' : 'value', text: kind }));
    for (const entry of module.outline.imports)
      for (const { local } of entry.names) if (local.startsWith(prefix)) own.push({ name: local, kind: 'value', text: `import ${entry.specifier}` });
    const globals = prefix === '' ? [] : await look({ do: 'names', file, path: [], prefix });
    return { from, names: [...own, ...globals.filter(({ name }) => !own.some((one) => one.name === name)).map((one) => ({ ...one, from: 'globalThis' }))] };
  }

  /** Opens what an evaluation gave, or what was reached from it. */
  look(request: LookRequest): Promise<LookAnswer> {
    return this.handle?.look(request) ?? Promise.resolve({ is: 'gone', why: 'The program does not run.' });
  }

  /** Code that reads a name inside a module. */
  private codeOf(file: string, name: string): string | undefined {
    const module = this.modules.get(file)!;
    const outline = this.outlineFor(file, `${module.outline.parsed.text}\n;(${name});`);
    return outline ? planChanges(module, outline, this.parts.language.translator).waiting[0]?.code : undefined;
  }

  private outlineFor(file: string, text: string): Outline | undefined {
    const parsed = parse(text, { file, packageType: this.parts.files.packageType(file) });
    return parsed.program && parsed.problems.length === 0 ? outlineOf(parsed) : undefined;
  }

  /** The outline of a file that was saved, with what was entered for it. */
  private withJoined(file: string, outline: Outline): Outline {
    const joined = this.joined.get(this.modules.get(file)!.outline);
    if (!joined || joined.length === 0) return outline;
    const left = giveWay(joined, outline);
    const whole = left.length === 0 ? undefined : this.outlineFor(file, outline.parsed.text + joinedText(left));
    if (whole) this.joined.set(whole, left);
    return whole ?? outline;
  }

  /** Executes a module and what imports it again, in order; state that it carries stays. */
  reload(file: string): Promise<void> {
    return this.then(file, () => this.execute([file]));
  }

  stop(): void {
    this.handle?.cancel();
  }

  private then(file: string, work: () => Promise<void>): Promise<void> {
    this.queue = this.queue
      .then(work)
      .catch((error: unknown) => this.say({ kind: 'failed', file, text: `could not be applied: ${(error as Error).message}`, details: [] }));
    return this.queue;
  }

  private async take(steps: Step[], file: string, text: string): Promise<void> {
    if (!this.handle) return;
    const answer = await this.handle.change({ do: 'patch', steps, links: [], modules: [] });
    if (answer.failed) this.say(failedEvent(answer, steps, file));
    else {
      this.keep();
      this.say({ kind: 'patched', file, text, details: [] });
    }
  }

  private keep(main = true): void {
    this.before.push({ main, modules: new Map(this.modules), participants: new Map() });
    if (this.before.length > MOST_UNDONE) this.before.shift();
    this.slim();
  }

  /** Versions that lie further back are kept as text: their trees would be most of what this session holds. */
  private slim(): void {
    const old = this.before[this.before.length - 1 - WHOLE_VERSIONS];
    if (!old) return;
    const used = new Set(this.modules.values());
    for (const entry of this.before.slice(-WHOLE_VERSIONS)) for (const module of entry.modules.values()) used.add(module);
    for (const [file, module] of old.modules) if (!used.has(module)) old.modules.set(file, this.slimOf(module));
  }

  private readonly slimmed = new WeakMap<LiveModule, LiveModule>();

  private slimOf(module: LiveModule): LiveModule {
    let slim = this.slimmed.get(module);
    if (slim) return slim;
    const { text, file } = module.outline.parsed;
    // What was entered at a prompt belongs to its outline, and names that are gone to theirs.
    if (this.joined.has(module.outline) || module.gone.size > 0) return module;
    let outline: Outline | undefined;
    const again = (): Outline => (outline ??= this.outlineFor(file, text)!);
    slim = Object.defineProperty({ ...module }, 'outline', { get: again, enumerable: true });
    this.slimmed.set(module, slim);
    this.slimmed.set(slim, slim);
    return slim;
  }

  /**
   * Plans a change of the program's largest file that nobody has made, and forgets it: so the engine has made its mind up
   * about this code before the first save. A step takes as long as a save does.
   */
  rehearse(step: number): void {
    const modules = [...this.modules.values()].sort((a, b) => b.outline.parsed.text.length - a.outline.parsed.text.length);
    const module = modules[0];
    const { parsed, functions } = module?.outline ?? { parsed: undefined, functions: [] };
    const bodies = functions.filter(({ node }) => node.body.type === 'BlockStatement');
    const body = bodies[step % Math.max(1, bodies.length)]?.node.body as { end: number } | undefined;
    if (!module || !parsed || !body || this.ended) return;
    const outline = this.outlineFor(module.file, `${parsed.text.slice(0, body.end - 1)};void 0;${parsed.text.slice(body.end - 1)}`);
    if (outline) planChanges(module, outline, this.parts.language.translator);
  }

  private tookBack(text: string, before = this.before.filter((one) => one.main).at(-1)): void {
    if (before) this.before.splice(this.before.indexOf(before), 1);
    const changed = before ? [...before.modules].filter(([file, module]) => this.modules.get(file) !== module).map(([file]) => file) : [];
    if (before) for (const [file, module] of before.modules) this.modules.set(file, module);
    for (const [id, modules] of before?.participants ?? []) {
      const taking = this.participants.get(id);
      if (!taking) continue;
      taking.modules = modules;
      void taking.participant.change({ do: 'undo' });
    }
    for (const file of changed) this.refused.set(file, this.linker.unit(file).text);
    const seen = changed.filter((file) => this.watching.watches(file));
    // Behind what is going on: an undo is itself taken in turn.
    if (seen.length > 0) void this.then(seen[0]!, () => this.rewatch(seen, true));
    this.say({ kind: 'undone', file: changed[0] ?? this.file, text, details: [] });
  }

  /** Names that a text uses anew, and that neither it nor the program has. */
  private async unknownNames(before: Outline, after: Outline): Promise<Problem[]> {
    const freeOf = ({ parsed }: Outline): { name: string; start: number }[] =>
      usesWithin(scopesOf(parsed.program!), 0, parsed.text.length).filter((use) => bindingScope(use.scope, use.name) === undefined);
    const known = new Set(freeOf(before).map((use) => use.name));
    const fresh = freeOf(after).filter(({ name }) => !known.has(name) && name !== 'arguments');
    const found: Problem[] = [];
    for (const { name, start } of fresh) {
      if (after.parsed.goal === 'script' && ['require', 'module', 'exports', '__filename', '__dirname'].includes(name)) continue;
      const answer = await this.handle?.look({ do: 'names', file: after.parsed.file, path: [], prefix: name });
      if (answer?.is !== 'names' || answer.names.some((one) => one.name === name)) continue;
      const near = nearest(name, [...after.topLevel.keys()]);
      found.push({
        code: 'E_NAME',
        message: `${name} is not defined. ${near ? `Did you mean "${near}"? ` : ''}The program goes on with what it had; a save takes it as it is.`,
        start,
        end: start + name.length,
      });
    }
    return found;
  }

  private remember(): void {
    for (const { file } of this.program?.files ?? []) {
      if (this.modules.has(file)) continue;
      const { outline } = this.linker.unit(file);
      if (outline) this.modules.set(file, liveModule(outline));
    }
  }

  private async apply(files: readonly string[], settled: boolean): Promise<void> {
    const outlines: Outline[] = [];
    /** What threads and processes of the program have to take. */
    const elsewhere: Outline[] = [];
    for (const file of files) {
      const module = this.modules.get(file);
      const others = [...this.participants.values()].flatMap((one) => one.modules.get(file) ?? []);
      if (!module && others.length === 0) continue;
      let unit;
      try {
        unit = this.linker.unit(file);
      } catch (error) {
        if (settled) this.say({ kind: 'refused', file, text: 'nothing changed: the file cannot be read now', details: [(error as Error).message] });
        return;
      }
      if (unit.text === '' && !settled) return;
      if (this.refused.get(file) === unit.text) continue;
      this.problems.delete(file);
      if (unit.outline === undefined) {
        this.refused.set(file, unit.text);
        const problems = await this.parts.language.recover(file, unit.text, unit.parsed.problems);
        this.problems.set(file, { problems, lines: unit.lines });
        for (const listener of this.recordListeners) listener();
        const details = problems.map((problem) => `line ${unit.lines.lineAt(problem.start) + 1}  ${problem.message}`);
        this.say({ kind: 'refused', file, text: `syntax error${problems.length === 1 ? '' : 's'}, nothing changed`, details });
        return;
      }
      const unknown = this.typed && module ? await this.unknownNames(module.outline, unit.outline) : [];
      if (unknown.length > 0) {
        // Half a name is typed: the program is not to fail for it. A save is meant as it is.
        this.problems.set(file, { problems: unknown, lines: unit.lines });
        for (const listener of this.recordListeners) listener();
        return;
      }
      this.refused.delete(file);
      const outline = module ? this.withJoined(file, unit.outline) : unit.outline;
      if (module && outline.parsed.text !== module.outline.parsed.text) outlines.push(outline);
      if (others.some((one) => one.outline.parsed.text !== unit.text)) elsewhere.push(unit.outline);
    }
    if (outlines.length === 0 && elsewhere.length === 0) return;
    const extensions = outlines.map((outline) => outline.parsed.file).filter((file) => this.extensionOf(file) !== undefined);
    if (extensions.length > 0) await this.execute(extensions);
    const plans = outlines
      .filter((outline) => !extensions.includes(outline.parsed.file))
      .map((outline) => planChanges(this.modules.get(outline.parsed.file)!, outline, this.parts.language.translator));
    if (plans.length === 0) await this.onlyElsewhere(elsewhere);
    else await this.patch(plans, 'saved', elsewhere);
  }

  /**
   * Patches the threads and processes that have loaded the files. Whole or not at all: where one cannot, the others take
   * it back.
   *
   * @returns where it was done; undefined where it failed, which is said
   */
  private async patchElsewhere(outlines: readonly Outline[]): Promise<Elsewhere[] | undefined> {
    const done: Elsewhere[] = [];
    for (const taking of this.participants.values()) {
      const plans = outlines.flatMap((outline) => {
        const module = taking.modules.get(outline.parsed.file);
        return module && module.outline.parsed.text !== outline.parsed.text ? [planChanges(module, outline, this.parts.language.translator)] : [];
      });
      if (plans.length === 0) continue;
      const steps = plans.flatMap((plan) => plan.steps);
      const links: { file: string; name: string; specifier: string; target?: string }[] = [];
      let answer: ParticipantAnswer = { objects: 0 };
      for (const step of steps) {
        if (step.kind === 'fields') step.roots = [...taking.modules.values()].map(rootsOf);
        if (step.kind !== 'link') continue;
        const found = this.parts.files.resolve(step.specifier, step.file, 'import');
        if (found.kind === 'missing') answer = { failed: { step: steps.indexOf(step), name: '', message: found.message }, objects: 0 };
        else links.push({ file: step.file, name: step.name, specifier: step.specifier, ...(found.kind === 'local' ? { target: found.file } : {}) });
      }
      if (!answer.failed && steps.length > 0) answer = await taking.participant.change({ do: 'patch', steps, links });
      if (answer.failed) {
        takeBack(done);
        const { step, name, message } = answer.failed;
        const file = steps[step]?.file ?? plans[0]!.file;
        this.refused.set(file, this.linker.unit(file).text);
        this.say({
          kind: 'failed',
          file,
          text: `nothing changed: ${steps[step]?.name ?? 'the change'} failed in ${taking.participant.label}`,
          details: [name === '' || name === 'Error' ? message : `${name}: ${message}`],
        });
        return undefined;
      }
      done.push({ taking, before: new Map(taking.modules), plans, applied: steps.length > 0 });
    }
    return done;
  }

  /** What was done in participants counts from now on. */
  private settle(done: readonly Elsewhere[]): void {
    for (const { taking, before, plans, applied } of done) {
      if (applied) this.before[this.before.length - 1]!.participants.set(taking.participant.id, before);
      for (const plan of plans) taking.modules.set(plan.file, plan.next);
    }
  }

  /** Takes a save of files that only threads and processes of the program have. */
  private async onlyElsewhere(outlines: readonly Outline[]): Promise<void> {
    const done = await this.patchElsewhere(outlines);
    if (!done || done.length === 0) return;
    if (done.some((one) => one.applied)) this.keep(false);
    this.settle(done);
    for (const plan of done[0]!.plans) {
      const where = done.length === 1 ? done[0]!.taking.participant.label : `${done.length} threads and processes`;
      const details = plan.notes.filter((note) => note.reason !== undefined).map((note) => `${note.name}: ${note.reason}`);
      this.say({ kind: 'patched', file: plan.file, text: `${planText(plan)} · in ${where}`, details, plan });
    }
  }

  /** Applies plans; gives why not where they were only entered and could not be. */
  private async patch(
    plans: Plan[],
    how: 'saved' | 'entered' = 'saved',
    elsewhere: readonly Outline[] = [],
  ): Promise<Extract<Entered, { is: 'failed' }> | undefined> {
    const refuse = (file: string, text: string, details: string[]): Extract<Entered, { is: 'failed' }> | undefined => {
      if (how === 'entered') return { is: 'failed', text, details };
      this.refused.set(file, this.linker.unit(file).text);
      this.say({ kind: 'refused', file, text, details });
      return undefined;
    };
    const steps = plans.flatMap((plan) => plan.steps);
    const links: { file: string; name: string; link: ModuleLink }[] = [];
    const modules: ModuleCode[] = [];
    const { program } = this;
    for (const step of steps) {
      if (step.kind === 'fields') step.roots = [...this.modules.values()].map(rootsOf);
      if (step.kind !== 'link') continue;
      const { link, modules: more } = this.resolve(step.specifier, step.file);
      const wrong = link.kind === 'missing' ? link.target : this.missingName(link, step.names);
      if (wrong !== undefined) {
        this.withdraw(program);
        return refuse(step.file, `nothing changed: import '${step.specifier}'`, [wrong]);
      }
      links.push({ file: step.file, name: step.name, link: { ...link, names: step.names } });
      modules.push(...more);
    }
    const started = this.handle !== undefined && steps.length > 0;
    const also = await this.patchElsewhere(elsewhere);
    if (!also) return undefined;
    const watched = plans.flatMap((plan): Watched[] => {
      const slots = plan.steps.flatMap((step) => (step.kind === 'function' ? [step.slot] : []));
      const one = this.watching.plan(plan.file, plan.next, new Set(slots));
      if (one) plan.next = one.next;
      return one ? [one] : [];
    });
    const watch = watched.length > 0 ? { watch: together(watched) } : {};
    const answer = started || (this.handle && watched.length > 0) ? await this.handle!.change({ do: 'patch', steps, links, modules, ...watch }) : undefined;
    if (answer?.failed) {
      takeBack(also);
      await this.rewatch(
        plans.map((plan) => plan.file),
        true,
      );
      // Modules that were loaded stay in the target; asked for again, they are found there.
      const event = failedEvent(answer, steps, plans[0]!.file);
      if (how === 'entered') return { is: 'failed', text: event.text, details: event.details };
      this.say(event);
      return undefined;
    }
    if (answer) this.lastPauseMs = answer.pauseMs;
    if (started || also.some((one) => one.applied)) this.keep(started);
    this.settle(also);
    for (const plan of plans) this.modules.set(plan.file, plan.next);
    let from = 0;
    for (const one of watched) {
      const to = from + one.watch.steps.length;
      one.taken((answer?.unwatched ?? []).flatMap(({ step, message }) => (step >= from && step < to ? [{ step: step - from, message }] : [])));
      from = to;
    }
    const more = also.length === 0 ? '' : ` · in ${also.length === 1 ? also[0]!.taking.participant.label : `${also.length} threads and processes`} too`;
    for (const plan of plans) {
      this.waiting.set(plan.file, plan.waiting.length > 0 ? [...(this.waiting.get(plan.file) ?? []), ...plan.waiting] : (this.waiting.get(plan.file) ?? []));
      const resets = this.resets.get(plan.file) ?? new Map<string, Step>();
      for (const [name, step] of plan.resets) resets.set(name, step);
      this.resets.set(plan.file, resets);
      const details = plan.notes.filter((note) => note.reason !== undefined).map((note) => `${note.name}: ${note.reason}`);
      this.say({
        kind: 'patched',
        file: plan.file,
        text: `${how === 'entered' ? 'entered: ' : ''}${planText(plan)}${alsoText(answer)}${more}`,
        details,
        plan,
      });
    }
    return undefined;
  }

  /** Modules that were looked at for a change which is refused take no part. */
  private withdraw(program: Program | undefined): void {
    if (!program) return;
    this.program = program;
    this.linker.restore(program);
    const known = new Set(program.files.map((file) => file.file));
    for (const file of this.modules.keys()) if (!known.has(file)) this.modules.delete(file);
  }

  /** A name that a module of the program has not. */
  private missingName(link: ModuleLink, names: readonly string[]): string | undefined {
    const outline = link.kind === 'local' ? this.linker.unit(link.target).outline : undefined;
    if (!outline || outline.parsed.goal === 'script' || outline.exports.some((entry) => entry.exported === '*')) return undefined;
    const known = outline.exports.map((entry) => entry.exported);
    const missing = names.find((name) => name !== '*' && !known.includes(name));
    if (missing === undefined) return undefined;
    const near = nearest(missing, known);
    return `'${link.specifier}' has no export named '${missing}'.${near ? ` Did you mean '${near}'?` : ''}`;
  }

  // ---- reload -------------------------------------------------------------------

  /** Files that import a file, directly. */
  private importersOf(file: string): string[] {
    const found: string[] = [];
    for (const module of this.modules.values())
      for (const entry of module.outline.imports) {
        if (entry.typeOnly) continue;
        const target = this.parts.files.resolve(entry.specifier, module.file, 'import');
        if (target.kind === 'local' && target.file === file) found.push(module.file);
      }
    return found;
  }

  /** The extension that a file belongs to: the file itself, or one through which alone it is imported. */
  private extensionOf(file: string, seen = new Set<string>()): string | undefined {
    if (this.extensions.has(file)) return file;
    if (seen.has(file)) return undefined;
    seen.add(file);
    const owners = this.importersOf(file).map((one) => this.extensionOf(one, seen));
    return owners.length > 0 && owners.every((owner) => owner !== undefined) ? owners[0] : undefined;
  }

  /** The files and what imports them, each after what it imports. Stops at extensions: their hosts stay. */
  private orderOf(files: readonly string[]): string[] {
    const all = new Set<string>();
    const climb = (file: string): void => {
      if (all.has(file)) return;
      all.add(file);
      if (this.extensions.has(file)) return;
      for (const importer of this.importersOf(file)) climb(importer);
    };
    for (const file of files) climb(file);
    const order: string[] = [];
    const visit = (file: string): void => {
      if (order.includes(file)) return;
      const module = this.modules.get(file);
      const unit = this.linker.unit(file);
      all.delete(file);
      for (const entry of (unit.outline ?? module?.outline)?.imports ?? []) {
        const target = this.parts.files.resolve(entry.specifier, file, 'import');
        if (target.kind === 'local' && all.has(target.file)) visit(target.file);
      }
      order.push(file);
    };
    while (all.size > 0) visit([...all][0]!);
    return order;
  }

  private async execute(files: readonly string[]): Promise<void> {
    const order = this.orderOf(files);
    const entry = order.includes(this.file);
    if (entry && !this.extensions.has(this.file)) {
      this.say({
        kind: 'refused',
        file: files[0]!,
        text: 'nothing reloaded: the program itself depends on it',
        details: [`${order.length} modules would be executed again, the first of the program among them: restart it, or load the part as an extension`],
      });
      return;
    }
    const modules: ModuleCode[] = [];
    const steps: Step[] = [];
    const names = new Set(order);
    for (const file of order) {
      const more = this.linker.link(file);
      const problem = more.problems[0];
      if (problem) {
        const line = this.linker.unit(problem.file).lines.lineAt(problem.problem.start);
        this.refused.set(file, this.linker.unit(file).text);
        this.say({ kind: 'refused', file: problem.file, text: 'nothing reloaded', details: [`line ${line + 1}  ${problem.problem.message}`] });
        return;
      }
      for (const code of more.modules) {
        const wanted = code.file === file || (!this.modules.has(code.file) && !names.has(code.file));
        if (wanted && !modules.some((one) => one.file === code.file)) modules.push(this.numbered(code));
      }
    }
    // New modules stand before what imports them.
    modules.sort((a, b) => Number(names.has(a.file)) - Number(names.has(b.file)));
    if (!this.handle) return;
    const answer = await this.handle.change({ do: 'reload', modules, steps });
    if (answer.failed) {
      const { error } = answer.failed;
      const at = error.frames.find((frame) => frame.local && frame.line >= 0);
      this.say({
        kind: 'failed',
        file: files[0]!,
        text: 'reload failed: the modules stay as they were, what they disposed of stays so',
        details: [`${at ? `line ${at.line + 1}  ` : ''}${error.name}: ${error.message}`],
      });
      return;
    }
    this.before.length = 0;
    for (const { file } of modules) {
      const { outline } = this.linker.unit(file);
      if (outline) this.modules.set(file, liveModule(outline));
      this.waiting.delete(file);
      this.resets.delete(file);
    }
    await this.rewatch(
      modules.map((one) => one.file).filter((file) => this.watching.watches(file)),
      true,
    );
    const others = modules.filter((one) => !files.includes(one.file)).length;
    this.say({
      kind: 'reloaded',
      file: files[0]!,
      text: `reloaded${others > 0 ? ` with ${others} that depend${others === 1 ? 's' : ''} on it` : ''}${alsoText(answer)}`,
      details: [],
    });
  }

  private numbered(code: ModuleCode): ModuleCode {
    const known = this.program?.files.find((one) => one.file === code.file);
    if (known) return { ...code, unit: known.unit, base: known.base };
    const unit = Math.max(-1, ...(this.program?.files.map((one) => one.unit) ?? [])) + 1;
    const outline = this.linker.unit(code.file);
    if (this.program)
      this.program = {
        ...this.program,
        files: [...this.program.files, { file: code.file, unit, base: 0, sites: [], lines: outline.lines, quiet: [], notes: [] }],
      };
    return { ...code, unit };
  }

  /** An error that comes again and again is told at once, and then at most once a second, with how often. */
  private tellError(event: LiveEvent): void {
    const key = `${event.file} ${event.text}`;
    const now = Date.now();
    if (this.repeated?.key !== key) {
      this.tellRepeated();
      this.say(event);
      this.repeated = { key, event, times: 0, at: now };
      return;
    }
    this.repeated.times++;
    if (now - this.repeated.at >= 1_000) {
      this.tellRepeated();
      this.repeated = { key, event, times: 0, at: now };
    }
  }

  private repeated: { key: string; event: LiveEvent; times: number; at: number } | undefined;

  private tellRepeated(): void {
    const { repeated } = this;
    this.repeated = undefined;
    if (repeated && repeated.times > 0) this.say({ ...repeated.event, text: `${repeated.event.text} · ${repeated.times} times more`, details: [] });
  }

  private say(event: LiveEvent): void {
    this.tellRepeated();
    const told: LiveEvent = this.typed ? { ...event, typed: true } : event;
    for (const listener of this.listeners) listener(told);
  }
}

function together(watched: readonly Watched[]): Watched['watch'] {
  return {
    steps: watched.flatMap((one) => one.watch.steps),
    units: watched.flatMap((one) => one.watch.units),
    release: watched.flatMap((one) => one.watch.release),
    gone: watched.flatMap((one) => one.watch.gone),
  };
}

function takeBack(done: readonly Elsewhere[]): void {
  for (const { taking, applied } of done) if (applied) void taking.participant.change({ do: 'undo' });
}

function failedEvent(answer: LiveAnswer, steps: readonly Step[], file: string): LiveEvent {
  const { step: index, error } = answer.failed!;
  const step = steps[index];
  return {
    kind: 'failed',
    file: step?.file ?? file,
    text: step ? `nothing changed: ${step.name} failed` : 'nothing changed',
    details: [error.name === 'Error' ? error.message : `${error.name}: ${error.message}`],
  };
}

function alsoText(answer: LiveAnswer | undefined): string {
  if (!answer) return '';
  const parts: string[] = [];
  if (answer.objects > 0) parts.push(`${answer.objects} object${answer.objects === 1 ? '' : 's'} brought along`);
  if (answer.resumed.length > 0) parts.push(`${answer.resumed.join(', ')} called again`);
  return parts.map((part) => ` · ${part}`).join('');
}

function errorLine(error: RawError): string {
  const at = error.frames.find((frame) => frame.local);
  const text = error.message === '' ? error.name : `${error.name}: ${error.message}`;
  return at ? `line ${at.line + 1}  ${text}` : text;
}

function pathOf(error: RawError): string[] {
  const local = error.frames.filter((frame) => frame.local && frame.line >= 0);
  return local.length > 1 ? [local.map((frame) => `${frame.name || 'top level'} line ${frame.line + 1}`).join(' · ')] : [];
}
