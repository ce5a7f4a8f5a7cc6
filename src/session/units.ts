/** Files of a program, each parsed and compiled once for each text it has. */
import { compile } from '../instrument/compile.js';
import type { Depth } from '../instrument/options.js';
import type { Compiled } from '../instrument/translator.js';
import { depthProblem, withinDepth } from '../syntax/depth.js';
import type { Stop } from '../patch/stops.js';
import { type Outline, outlineOf } from '../syntax/outline.js';
import type { Selected } from '../syntax/selection.js';
import { parse, type Parsed } from '../syntax/parse.js';
import type { ProjectSettings } from '../syntax/settings.js';
import type { Written } from '../syntax/written.js';
import { LineTable } from '../syntax/positions.js';
import { AnvilError } from '../syntax/problems.js';
import type { Files, Language } from './host.js';
import type { Unit } from './module-code.js';
import { compiledWithStops } from './pausing/compiled-stops.js';

export interface LinkerOptions {
  depth: Depth;
  patchable: boolean;
}

const MAX_TEXT = 4 * 1024 * 1024;

export class Units {
  /** Unsaved texts, by file. */
  readonly overlay = new Map<string, string>();
  /** The expression that a person has selected, in one file. */
  selected: ({ file: string } & Selected) | undefined;
  /** What is executed of a file for now: the same text, in which something is left out. */
  partial: { file: string; text: string } | undefined;
  /** The pad of the program that is linked: it takes the names of scripts beside the syntax of modules. */
  pad: string | undefined;
  /** Breakpoints of a file; absent where nothing stops. */
  stopsOf: ((file: string, outline: Outline) => readonly Stop[]) | undefined;
  private readonly units = new Map<string, Unit>();

  constructor(
    private readonly files: Files,
    private readonly language: Language,
    private readonly options: LinkerOptions,
  ) {}

  /** Text of a file as the program sees it: unsaved before saved. */
  textOf(file: string): string {
    return this.overlay.get(file) ?? this.files.read(file);
  }

  /** @throws AnvilError when the file cannot be read as text, or `E_TOO_LARGE` */
  unit(file: string): Unit {
    const partial = this.partial?.file === file ? this.partial.text : undefined;
    const text = partial ?? this.textOf(file);
    const key = partial === undefined ? file : `${file}\n`;
    const known = this.units.get(key);
    const settings = this.files.settings(file);
    const isPad = file === this.pad;
    if (known && known.text === text && known.parsed.settings === settings && known.isPad === isPad) return known;
    if (text.length > MAX_TEXT)
      throw new AnvilError(
        'E_TOO_LARGE',
        `${file} has ${(text.length / 1024 / 1024).toFixed(1)} MB of text. Pads and their modules ` +
          'may have up to 4 MB; import larger data with node:fs instead.',
      );
    const parsed = this.parsed(file, text, settings, isPad);
    const unit: Unit = {
      isPad,
      file,
      text,
      parsed,
      // Of a text in part it is the same, with all of the text.
      lines: new LineTable(partial === undefined ? text : this.textOf(file)),
      outline: undefined,
      compiled: new Map(),
      quiet: undefined,
    };
    if (parsed.program && parsed.problems.length === 0) this.outline(unit);
    this.units.set(key, unit);
    return unit;
  }

  private parsed(file: string, text: string, settings: ProjectSettings | undefined, isPad: boolean): Parsed {
    const made = this.files.made?.(file, text);
    const code = made ? ('code' in made ? made.code : '') : (this.files.codeOf?.(file, text) ?? text);
    const parsed = parse(code, {
      file,
      packageType: made ? 'module' : this.files.packageType(file),
      settings,
      written: made && 'code' in made ? made.written : this.files.written?.(file, text),
      pad: isPad,
    });
    if (made && 'problem' in made)
      return { ...parsed, program: null, problems: [made.problem], fatal: false, shown: text };
    // What a language has made of a text is its own affair, also where it does not parse.
    if (made && 'code' in made)
      parsed.problems = parsed.problems.map((one) => ({ ...one, ...placed(one, made.written) }));
    if (code !== text) parsed.shown = text;
    return parsed;
  }

  /** Outlines a unit, and compiles it once: what is nested too deep for either has no outline, and says so. */
  private outline(unit: Unit): void {
    const { parsed, text } = unit;
    const deep = (error: unknown): void => {
      if ((error as AnvilError).code !== 'E_TOO_DEEP') throw error;
      unit.outline = undefined;
      parsed.problems.push(depthProblem(text));
    };
    try {
      unit.outline = withinDepth(() => outlineOf(parsed));
    } catch (error) {
      deep(error);
      return;
    }
    try {
      this.compiled(unit, false);
    } catch (error) {
      // What else is wrong is said where the code is needed.
      if ((error as AnvilError).code === 'E_TOO_DEEP') deep(error);
    }
  }

  /** @param cyclic the module takes part in a cycle */
  compiled(unit: Unit, cyclic: boolean): Compiled {
    const selected = this.selected?.file === unit.file ? this.selected : undefined;
    const stops = this.stopsOf?.(unit.file, unit.outline!) ?? [];
    const key =
      (cyclic ? 'cyclic' : 'plain') +
      (selected ? ` ${selected.start} ${selected.end}` : '') +
      (stops.length > 0 ? ` ${JSON.stringify(stops)}` : '');
    let compiled = unit.compiled.get(key);
    if (!compiled) {
      const { translator } = this.language;
      const asked = { ...this.options, form: 'linked', translator, cyclic, pad: unit.isPad, selected } as const;
      const plain = (): Compiled => withinDepth(() => compile(unit.outline!, asked));
      compiled = stops.length > 0 ? compiledWithStops(unit, stops, asked, plain) : plain();
      unit.compiled.set(key, compiled);
    }
    return compiled;
  }
}

/** A place of made code, in what was written. */
function placed({ start, end }: { start: number; end: number }, written: Written): { start: number; end: number } {
  const from = Math.max(0, written.near(start));
  return { start: from, end: Math.max(from, written.near(end)) };
}
