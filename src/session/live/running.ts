/** A running program as a session knows it: its targets, their modules, and the texts they come from. */
import { liveModule } from '../../patch/live-module.js';
import { outlineOf, type Outline } from '../../syntax/outline.js';
import { parse } from '../../syntax/parse.js';
import { LineTable } from '../../syntax/positions.js';
import type { Problem } from '../../syntax/problems.js';
import type { Written } from '../../syntax/written.js';
import { Linker } from '../linker.js';
import { EnteredDeclarations } from './entered-declarations.js';
import type { LiveParts } from './events.js';
import { importsFrom } from './module-graph.js';
import type { LookAnswer, LookRequest } from '../../wire/looking.js';
import { Numbering } from './numbering.js';
import { ObservedProgram } from './observed-program.js';
import { OwnModules } from './own-modules.js';
import type { Breakpoints } from './pausing/breakpoints.js';
import { TargetState, type Guest } from './target-state.js';

/** Texts that were not taken. */
export class RefusedTexts {
  /** By file: a second look at the same text says nothing new. */
  private readonly texts = new Map<string, string>();
  /** What is wrong with those that do not parse. */
  private readonly wrong = new Map<string, { problems: readonly Problem[]; lines: LineTable }>();

  refuse(file: string, text: string): void {
    this.texts.set(file, text);
  }

  isRefused(file: string, text: string): boolean {
    return this.texts.get(file) === text;
  }

  accept(file: string): void {
    this.texts.delete(file);
  }

  isWrong(file: string): boolean {
    return this.wrong.has(file);
  }

  setProblems(file: string, problems: readonly Problem[], lines: LineTable): void {
    this.wrong.set(file, { problems, lines });
  }

  clearProblems(file: string): void {
    this.wrong.delete(file);
  }

  /** All problems, with their files. */
  get problems(): { file: string; start: number; end: number; message: string; lines: LineTable }[] {
    return [...this.wrong].flatMap(([file, { problems, lines }]) =>
      problems.map(({ start, end, message }) => ({ file, start, end, message, lines })),
    );
  }
}

export class RunningProgram {
  readonly linker: Linker;
  readonly numbering = new Numbering();
  readonly observed: ObservedProgram;
  readonly entered = new EnteredDeclarations();
  readonly refused = new RefusedTexts();
  /** The program itself. */
  readonly main: TargetState;
  /** All targets in which modules of the program run, the program itself first. */
  readonly targets: TargetState[];
  readonly own: OwnModules;
  /** Modules that hosts in the program put in and take out. */
  readonly extensions = new Set<string>();
  /** Milliseconds that the program stood still for the last job. */
  lastPauseMs = 0;

  constructor(
    /** First file of the program; one that has only guests learns it from them. */
    public file: string,
    readonly parts: LiveParts,
  ) {
    this.linker = new Linker(parts.files, parts.language, { depth: 'off', patchable: true });
    this.observed = new ObservedProgram(() => this.file, parts.language.translator, parts.tellsAll);
    this.main = this.addTarget();
    this.targets = [this.main];
    this.own = new OwnModules(this.linker, this.main);
  }

  /** Its breakpoints. */
  get stops(): Breakpoints {
    return this.observed.breakpoints;
  }

  private addTarget(guest?: Guest): TargetState {
    const observation = this.observed.join((file) => state.modules.get(file), guest?.atPoints === true);
    const state: TargetState = new TargetState(this.numbering.newTarget(), guest?.label ?? '', guest, observation);
    return state;
  }

  /** A thread, process or page takes part from now on. */
  join(guest: Guest): TargetState {
    const state = this.addTarget(guest);
    this.targets.push(state);
    return state;
  }

  /** Returns false where there is none of that id. */
  leave(id: string): boolean {
    const at = this.targets.findIndex((one) => one.guest?.id === id);
    if (at < 0) return false;
    this.observed.leave(this.targets[at]!.observation);
    this.targets.splice(at, 1);
    return true;
  }

  /** The program runs in a process of its own, beside which others may take part. */
  get hasProgram(): boolean {
    return this.parts.host !== undefined;
  }

  guest(id: string): TargetState | undefined {
    return this.targets.find((one) => one.guest?.id === id);
  }

  /** Targets in which a file runs, the program itself first. */
  targetsOf(file: string): TargetState[] {
    return this.targets.filter((target) => target.modules.has(file));
  }

  /**
   * The target that a person means: the one with a label, else the program itself, else the first that has the file.
   */
  targetFor(file: string, label: string | undefined): TargetState | undefined {
    const targets = this.targetsOf(file);
    return label === undefined ? targets[0] : targets.find((target) => target.label === label);
  }

  /** Asks the target that holds a value. */
  async look(request: LookRequest): Promise<LookAnswer> {
    const found = this.numbering.request(request);
    const state = found && this.targets.find((one) => one.index === found.target);
    if (!state) return { is: 'gone', why: found ? 'What held it has ended.' : 'It was reported too long ago.' };
    if (!state.target) return { is: 'gone', why: 'The program does not run.' };
    return this.numbering.answer(state.index, await state.target.look(found.request));
  }

  /** A target is named where there is more than one to speak of. */
  isNamed(target: TargetState): boolean {
    return target !== this.main && (this.hasProgram || this.targets.length > 2);
  }

  /** The file that a specifier leads to; undefined for a package. */
  localFile(specifier: string, from: string): string | undefined {
    const found = this.parts.files.resolve(specifier, from, 'import');
    return found.kind === 'local' ? found.file : undefined;
  }

  /** The outline of a text; undefined where it does not parse. */
  outlineFor(file: string, text: string): Outline | undefined {
    const { files } = this.parts;
    const code = files.codeOf?.(file, text) ?? text;
    const parsed = parse(code, {
      file,
      packageType: files.packageType(file),
      settings: files.settings(file),
      written: files.written?.(file, text),
    });
    if (code !== text) parsed.shown = text;
    return parsed.program && parsed.problems.length === 0 ? outlineOf(parsed) : undefined;
  }

  /** The text of a file that runs, as a person wrote it. */
  textOf(file: string): string | undefined {
    const parsed = this.targetsOf(file)[0]?.modules.get(file)?.outline.parsed;
    return parsed?.written?.text ?? parsed?.shown ?? parsed?.text;
  }

  /** What a person wrote, of a file whose code was made of that by other tools. */
  writtenOf(file: string): Written | undefined {
    return this.targetsOf(file)[0]?.modules.get(file)?.outline.parsed.written;
  }

  /** The line of the code that runs, behind a line of what a person wrote. */
  madeLine(file: string, line: number | undefined): number | undefined {
    const written = this.writtenOf(file);
    return line === undefined || !written ? line : written.madeLine(line);
  }

  /** A guest executes a version of a file. */
  execute(target: TargetState, file: string, outline: Outline): void {
    target.modules.set(file, liveModule(outline, formIn(target, outline)));
    target.observation.executed(file);
    // What it prints from now on is told in this text.
    if (this.targets.some(({ observation }) => observation.observes(file)))
      this.observed.text(file, new LineTable(outline.parsed.shown ?? outline.parsed.text));
    if (this.hasProgram) return;
    // Without a program of its own, the first file is the one that imports the others.
    const localFile = (specifier: string, from: string): string | undefined => this.localFile(specifier, from);
    if (this.targetsOf(this.file).length === 0 || importsFrom(outline, this.file, localFile)) this.file = file;
  }
}

function formIn({ guest }: TargetState, outline: Outline): 'linked' | 'module' | 'runner' {
  if (outline.parsed.goal !== 'module') return 'linked';
  return guest?.runner === undefined ? 'module' : 'runner';
}
