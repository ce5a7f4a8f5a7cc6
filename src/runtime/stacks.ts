/**
 * Stacks in the person's own source: frames of instrumented modules are mapped
 * back, frames of this runtime are left out, and `error.stack` reads as if the
 * code had never been touched.
 */
import * as own from './originals.js';
import { atPatchPoint, isInserted, lineStarts, originalOf, patchName, type Mapped } from './code-places.js';
import { movedSite, type CallSite } from './call-sites.js';
import { AHEAD } from '../wire/compiled-text.js';
import { floorIndex } from '../wire/sorted.js';
import { mentionsProbes, plainMessage } from './messages.js';
import { engineHead, headOf, leaveHeadOpen } from './stack-heads.js';
import type { ModuleCode } from '../wire/modules.js';
import type { EnginePlace } from './pausing/engine.js';
import type { RawFrame } from '../wire/reports.js';

export { plainMessage };

/** The engine's getter of `stack`, where it has one. */
const STACK_GETTER = ((): unknown => {
  const made = {};
  (own.ErrorCopy as unknown as { captureStackTrace?(target: object): void }).captureStackTrace?.(made);
  return own.getDescriptor(made, 'stack')?.get;
})();

export class Stacks {
  private readonly modules = own.safeMap<string, Mapped>();
  private readonly byFile = own.safeMap<string, Mapped>();
  private readonly frames = own.safeWeakMap<object, RawFrame[]>();
  /** Names of modules by those that the engine's debugger has for them. */
  private readonly inDebugger = own.safeMap<string, string>();

  /**
   * @param isOwnFile tells the runtime's files, which never show
   * @param urlOf gives the address of a path: by that the engine's debugger names scripts
   */
  constructor(
    private readonly isOwnFile: (file: string) => boolean,
    private readonly urlOf?: (path: string) => string,
  ) {}

  add(module: ModuleCode): void {
    const mapped = { module, starts: lineStarts(module.code) };
    this.modules.set(module.name, mapped);
    this.byFile.set(module.file, mapped);
    if (this.urlOf && module.name === module.file) this.nameInDebugger(this.urlOf(module.file), module.name);
  }

  /** The engine's debugger has another name for a module than its stacks have. */
  nameInDebugger(other: string, name: string): void {
    this.inDebugger.set(other, name);
  }

  /** A module that the engine has loaded by itself: its lines are known, its columns come with {@link add}. */
  loaded(name: string, file: string): void {
    const empty = new Int32Array(0);
    const module = {
      name,
      file,
      code: '',
      generated: empty,
      source: empty,
      originalStarts: empty,
    } as unknown as ModuleCode;
    const mapped = { module, starts: empty };
    this.modules.set(name, mapped);
    this.byFile.set(file, mapped);
  }

  /** Our formatter, or the one that the program has set behind one of ours, which sees its call sites first. */
  private ours: unknown;
  /** A stack is read for us: the program's own formatter is left out. */
  private reading = false;
  /** The next stack is given as its call sites. */
  private unread = false;

  /** Installs the formatter of `error.stack`. A program may set one of its own, and finds it again. */
  install(): void {
    const stacks = this;
    const plain = (error: object, sites: CallSite[]): string => this.format(error, sites).text;
    const wrapped = own.safeWeakMap<object, unknown>();
    this.ours = plain;
    own.defineProperty(own.ErrorCopy, 'prepareStackTrace', {
      get: () => (this.unread ? asTheyAre : this.reading ? plain : this.ours),
      set(value: unknown) {
        // Who puts back what stood there, puts back ours: it is not to place what it has placed.
        if (typeof value !== 'function' || value === plain || wrapped.has(value))
          stacks.ours = typeof value === 'function' ? value : value === undefined ? plain : value;
        else {
          const formatter = value as (error: unknown, sites: unknown) => unknown;
          const seen = function (this: unknown, error: object, sites: CallSite[]): unknown {
            return own.apply(formatter, this, [error, stacks.format(error, sites).sites]);
          };
          wrapped.set(seen, formatter);
          stacks.ours = seen;
        }
      },
      enumerable: false,
      configurable: true,
    });
  }

  /** Frames of an error, innermost first. */
  of(error: object): RawFrame[] {
    const known = this.frames.get(error);
    if (known) return known;
    const before = this.reading;
    this.reading = true;
    let text: unknown;
    try {
      const descriptor = own.getDescriptor(error, 'stack');
      // Newer engines have a getter of their own there; one of the person is not run.
      text =
        descriptor?.get && descriptor.get === STACK_GETTER ? own.apply(descriptor.get, error, []) : descriptor?.value;
    } finally {
      this.reading = before;
    }
    const formatted = this.frames.get(error);
    if (formatted && typeof text === 'string') leaveHeadOpen(error, text);
    if (formatted) return formatted;
    return typeof text === 'string' ? this.parse(text) : [];
  }

  /** An error about a text that could not be loaded: its first frame is the place in that text. */
  place(error: object, { file, broken }: ModuleCode): void {
    const at: RawFrame = {
      name: '',
      file,
      line: broken!.line,
      character: broken!.character,
      local: true,
      isAsync: false,
    };
    this.frames.set(error, [at, ...this.of(error)]);
  }

  /** The stack of the place that calls, as {@link of} reads it later: to take one costs little. */
  take(limit: number): object {
    const ErrorClass = own.ErrorCopy as unknown as { stackTraceLimit: number; captureStackTrace(target: object): void };
    const before = ErrorClass.stackTraceLimit;
    ErrorClass.stackTraceLimit = limit;
    const holder = {};
    ErrorClass.captureStackTrace(holder);
    ErrorClass.stackTraceLimit = before;
    return holder;
  }

  /**
   * The stack of the place that calls as the engine has it.
   *
   * @param withOwn with the code of ours that it begins with
   */
  places(limit: number, withOwn = false): EnginePlace[] {
    this.unread = true;
    let sites: CallSite[];
    try {
      sites = (this.take(limit) as { stack: CallSite[] }).stack;
    } finally {
      this.unread = false;
    }
    const places: EnginePlace[] = [];
    for (let i = 0; i < sites.length; i++) {
      const site = sites[i]!;
      const file = site.getFileName() ?? site.getScriptNameOrSourceURL?.() ?? '';
      if (!withOwn && places.length === 0 && this.isOwnFile(file)) continue;
      own.append(places, {
        name: functionName(site),
        file,
        line: (site.getLineNumber() ?? 0) - 1,
        character: (site.getColumnNumber() ?? 0) - 1,
        isReturn: false,
      });
    }
    return places;
  }

  /** Frames of the place that calls, for console and tests. */
  here(limit: number): RawFrame[] {
    const frames = this.of(this.take(limit + 12));
    return frames.length > limit ? frames.slice(0, limit) : frames;
  }

  /** The text of a stack, and its call sites at their places in the person's text. */
  private format(error: object, sites: CallSite[]): { text: string; sites: CallSite[] } {
    const frames: RawFrame[] = [];
    const shownSites: CallSite[] = [];
    let text = '';
    let inPatch = '';
    let first = true;
    let ahead = '';
    for (let i = 0; i < sites.length; i++) {
      const site = sites[i]!;
      const file = site.getFileName() ?? site.getScriptNameOrSourceURL?.() ?? '';
      if (this.isOwnFile(file)) continue;
      // The head of the code calls what runs ahead: as it was written, that stands at the top level itself.
      if (ahead !== '' && file === ahead) {
        ahead = '';
        continue;
      }
      const isAhead = own.test(AHEAD, site.getFunctionName() ?? '');
      if (isAhead) ahead = file;
      const line = (site.getLineNumber() ?? 0) - 1;
      const character = (site.getColumnNumber() ?? 0) - 1;
      // Code of a patch stands on the lines of its file.
      const patch = patchName(file);
      const mapped = patch ? this.byFile.get(patch.file) : this.modules.get(file);
      // The patch point through which a call came to its later version says nothing more.
      if (
        mapped &&
        inPatch === mapped.module.file &&
        (patch ? patch.isPoint(line, character) : atPatchPoint(mapped, line, character))
      )
        continue;
      inPatch = patch !== undefined && mapped ? mapped.module.file : '';
      // The columns of a patch are not those of its text; they are told to nobody but the engine's own text.
      const place =
        mapped && !patch ? this.map(mapped, line, character) : { line: patch ? patch.lineOf(line) : line, character };
      let shown = site.toString();
      if (first && mapped && !patch) this.restore(error, mapped, line, character);
      first = false;
      if (mapped)
        shown = replaceOnce(
          shown,
          `${file}:${line + 1}:${character + 1}`,
          `${patch?.name ?? file}:${place.line + 1}:${(place.character < 0 ? character : place.character) + 1}`,
        );
      if (isAhead) shown = own.exec(/ \((.*)\)$/, shown)?.[1] ?? shown;
      text += `\n    at ${shown}`;
      own.append(
        shownSites,
        mapped && !patch && place.character >= 0 ? movedSite(site, place.line + 1, place.character + 1, shown) : site,
      );
      own.append(frames, {
        name: isAhead ? '' : functionName(site),
        file: mapped ? mapped.module.file : file,
        line: place.line,
        character: patch ? -1 : place.character,
        local: mapped !== undefined,
        isAsync: site.isAsync?.() ?? false,
        ...(patch?.observed === undefined ? {} : { observed: patch.observed }),
      });
    }
    this.frames.set(error, frames);
    return { text: (this.reading ? headOf(error) : engineHead(error)) + text, sites: shownSites };
  }

  /**
   * Where a place of code is in the person's text; line and character from 0.
   *
   * @param inVersion the file of the frame further in, where that runs a later version
   * @returns `point` for the patch point through which that was called, undefined for code of ours
   */
  locate(
    { name, file, line, character, isReturn }: EnginePlace,
    inVersion: string | undefined,
  ): { frame: RawFrame; version: boolean; isOurs: boolean } | 'point' | undefined {
    if (this.isOwnFile(file)) return undefined;
    const patch = patchName(file);
    const mapped = patch ? this.byFile.get(patch.file) : this.modules.get(this.inDebugger.get(file) ?? file);
    if (
      mapped &&
      inVersion === mapped.module.file &&
      (patch ? patch.isPoint(line, character) : atPatchPoint(mapped, line, character))
    )
      return 'point';
    const place =
      mapped && !patch ? this.map(mapped, line, character) : { line: patch ? patch.lineOf(line) : line, character };
    return {
      frame: {
        name,
        file: mapped ? mapped.module.file : file,
        line: place.line,
        character: patch ? -1 : place.character,
        local: mapped !== undefined,
        isAsync: false,
        ...(patch?.observed === undefined ? {} : { observed: patch.observed }),
      },
      version: patch !== undefined,
      isOurs: mapped !== undefined && !patch && isInserted(mapped, line, character, isReturn),
    };
  }

  /** An error whose message prints our code gets the one that it would have had. */
  restored(error: unknown): void {
    if (typeof error !== 'object' || error === null) return;
    const message = own.getDescriptor(error, 'message');
    if (typeof message?.value === 'string' && mentionsProbes(message.value)) this.of(error);
  }

  private restore(error: object, mapped: Mapped, line: number, character: number): void {
    const message = own.getDescriptor(error, 'message');
    if (
      typeof message?.value !== 'string' ||
      !mentionsProbes(message.value) ||
      line < 0 ||
      line >= mapped.starts.length
    )
      return;
    const { module, starts } = mapped;
    const value = plainMessage(message.value, {
      code: module.code,
      offset: starts[line]! + character,
      original: module.original,
      originalOf: (offset) => originalOf(module, offset),
    });
    if (message.configurable === true || message.writable === true) own.defineProperty(error, 'message', { value });
  }

  private map(mapped: Mapped, line: number, character: number): { line: number; character: number } {
    const { module, starts } = mapped;
    if (starts.length === 0) return { line, character: -1 };
    if (line < 0 || line >= starts.length) return { line, character };
    const generated = starts[line]! + character;
    let offset = originalOf(module, generated);
    // A call of an imported function is one of a parenthesis in the code, and of a name in the text.
    if (
      module.code[generated - 1] === ')' &&
      own.test(/\(0,\$ua_*[\w.$[\]"]+\)$/, own.slice(module.code, Math.max(0, generated - 120), generated))
    )
      offset -= own.exec(/[\w$]*$/, own.slice(module.original, Math.max(0, offset - 100), offset))![0].length;
    const originals = module.originalStarts;
    const at = floorIndex(originals, offset);
    return { line: at, character: offset - originals[at]! };
  }

  /** Reads a stack that somebody else has formatted. */
  private parse(stack: string): RawFrame[] {
    const frames: RawFrame[] = [];
    for (const line of stack.split('\n')) {
      const match = /^\s+at (?:(async )?(.*?) \()?(.*?):(\d+):(\d+)\)?$/.exec(line);
      if (!match || this.isOwnFile(match[3]!)) continue;
      const [, isAsync, name = '', file = ''] = match;
      const patch = patchName(file);
      const mapped = patch ? this.byFile.get(patch.file) : this.modules.get(file);
      const at = { line: Number(match[4]) - 1, character: Number(match[5]) - 1 };
      const place = patch ? { line: patch.lineOf(at.line), character: -1 } : at;
      own.append(frames, {
        name,
        file: mapped ? mapped.module.file : file,
        ...place,
        local: mapped !== undefined,
        isAsync: isAsync !== undefined,
        ...(patch?.observed === undefined ? {} : { observed: patch.observed }),
      });
    }
    return frames;
  }
}

function asTheyAre(_error: object, sites: CallSite[]): CallSite[] {
  return sites;
}

function functionName(site: CallSite): string {
  const name = site.getFunctionName();
  // The engine calls what has no name in evaluated code by that.
  if (name === null || name === '' || name === 'eval') return '';
  if (site.isConstructor()) return `new ${name}`;
  const type = site.getTypeName();
  return type &&
    type !== 'Object' &&
    type !== 'global' &&
    type !== 'Module' &&
    site.getMethodName() &&
    !name.includes('.')
    ? `${type}.${name}`
    : name;
}

function replaceOnce(text: string, search: string, by: string): string {
  const at = own.indexOf(text, search);
  return at < 0 ? text : text.slice(0, at) + by + text.slice(at + search.length);
}
