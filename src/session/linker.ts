/**
 * From the text of a pad to the modules of a program: reads and resolves the
 * graph of local modules, compiles what has changed, numbers the sites.
 */
import { compile } from '../instrument/compile.js';
import type { Depth } from '../instrument/options.js';
import type { Compiled } from '../instrument/translator.js';
import type { Program, ProgramFile } from '../record/program.js';
import { nearest } from '../syntax/names.js';
import { outlineOf } from '../syntax/outline.js';
import { parse } from '../syntax/parse.js';
import { LineTable } from '../syntax/positions.js';
import { AnvilError, type Problem } from '../syntax/problems.js';
import { reachedTests } from '../syntax/reach.js';
import type { Uses } from '../syntax/uses.js';
import type { ModuleCode, ModuleLink } from '../wire/modules.js';
import { findCycles } from './cycles.js';
import { firstPackages, statically } from './first-packages.js';
import type { Files, Language, Resolution } from './host.js';
import type { Linked } from './linked.js';
import { type Unit, brokenCode, dataOf, emptyCode, moduleCode } from './module-code.js';
import { needsMainThread, quietRanges } from './program-facts.js';

export interface LinkerOptions {
  depth: Depth;
  patchable: boolean;
}

const MAX_TEXT = 4 * 1024 * 1024;

export class Linker {
  /** Unsaved texts, by file. */
  readonly overlay = new Map<string, string>();
  private readonly units = new Map<string, Unit>();
  private lastProgram: Program | undefined;

  constructor(
    private readonly files: Files,
    private readonly language: Language,
    readonly options: LinkerOptions = { depth: 'values', patchable: false },
  ) {}

  /** Text of a file as the program sees it: unsaved before saved. */
  textOf(file: string): string {
    return this.overlay.get(file) ?? this.files.read(file);
  }

  unit(file: string): Unit {
    const text = this.textOf(file);
    const known = this.units.get(file);
    const settings = this.files.settings(file);
    if (known && known.text === text && known.parsed.settings === settings) return known;
    if (text.length > MAX_TEXT)
      throw new AnvilError(
        'E_TOO_LARGE',
        `${file} has ${(text.length / 1024 / 1024).toFixed(1)} MB of text. Pads and their modules may have up to 4 MB; import larger data with node:fs instead.`,
      );
    const parsed = parse(text, { file, packageType: this.files.packageType(file), settings });
    const unit: Unit = {
      file,
      text,
      parsed,
      lines: new LineTable(text),
      outline: parsed.program && parsed.problems.length === 0 ? outlineOf(parsed) : undefined,
      compiled: new Map(),
      quiet: undefined,
    };
    this.units.set(file, unit);
    return unit;
  }

  /**
   * What a kept value depends on, as one text: the expression with what it uses
   * in its file, and the whole of each local module it imports, with theirs.
   */
  private keyOf(
    file: string,
    uses: Uses,
    order: readonly { file: string; links: ModuleLink[]; dynamic: Record<string, ModuleLink> }[],
    index: ReadonlyMap<string, number>,
  ): string {
    const parts = [file, uses.text];
    const seen = new Set<string>();
    const add = (link: ModuleLink): void => {
      parts.push(`${link.kind} ${link.target}`);
      if (link.kind !== 'local' || seen.has(link.target)) return;
      seen.add(link.target);
      parts.push(this.textOf(link.target));
      const module = order[index.get(link.target) ?? -1];
      for (const inner of [...(module?.links ?? []), ...Object.values(module?.dynamic ?? {})]) add(inner);
    };
    const own = order[index.get(file)!]!;
    for (const link of [...own.links, ...Object.values(own.dynamic)])
      if (uses.imports.includes(link.specifier)) add(link);
    return parts.join('\n\u0000\n');
  }

  private resolve(specifier: string, from: string, how: 'import' | 'require'): Resolution {
    const found = this.files.resolve(specifier, from, how);
    // A live program has the platform's own runner, which prints and ends as it does everywhere.
    return found.kind === 'tests' && this.options.patchable ? { kind: 'builtin' } : found;
  }

  /** Links the program of `entry`. Throws only when the entry itself cannot be read. */
  link(entry: string): Linked {
    const order: {
      unit: Unit | undefined;
      file: string;
      goal: ModuleCode['goal'];
      links: ModuleLink[];
      dynamic: Record<string, ModuleLink>;
    }[] = [];
    const index = new Map<string, number>();
    const found: Linked['problems'] = [];
    const fatal: string[] = [];
    let needsProcess: string | undefined;

    const visit = (file: string, isEntry: boolean): void => {
      if (index.has(file)) return;
      index.set(file, order.length);
      const entryOf = {
        unit: undefined as Unit | undefined,
        file,
        goal: 'json' as ModuleCode['goal'],
        links: [] as ModuleLink[],
        dynamic: {} as Record<string, ModuleLink>,
      };
      order.push(entryOf);
      if (/\.json$/i.test(file) && !isEntry) return;
      const unit = this.unit(file);
      entryOf.unit = unit;
      entryOf.goal = unit.parsed.goal;
      for (const problem of unit.parsed.problems) found.push({ file, problem });
      if (unit.parsed.fatal) fatal.push(file);
      const { outline } = unit;
      if (!outline) return;
      needsProcess ??= needsMainThread(outline);
      const resolve = (
        specifier: string,
        at: { start: number; end: number },
        how: 'import' | 'require',
        names: string[],
      ): ModuleLink => {
        const target = this.resolve(specifier, file, how);
        if (target.kind === 'local') {
          visit(target.file, false);
          return { specifier, kind: 'local', target: target.file, names };
        }
        if (target.kind === 'missing') {
          found.push({
            file,
            problem: {
              code: 'E_RESOLVE',
              message: target.message,
              ...at,
              ...(target.package === undefined ? {} : { package: target.package }),
            },
          });
          return { specifier, kind: 'missing', target: target.message, names };
        }
        return {
          specifier,
          kind: target.kind,
          target: specifier,
          names,
          ...(target.base === undefined ? {} : { base: target.base }),
        };
      };
      for (const entry of this.compiled(unit, false).links) {
        const source = outline.imports.find((one) => one.specifier === entry.specifier && one.at.start === entry.start);
        const reexported = outline.exports
          .filter((one) => one.from === entry.specifier && one.local !== '*')
          .map((one) => one.local);
        const names = [...(source?.names.map((name) => name.imported) ?? []), ...(source?.reexport ? reexported : [])];
        try {
          entryOf.links.push(resolve(entry.specifier, entry, 'import', names));
        } catch (error) {
          if (!(error instanceof AnvilError)) throw error;
          found.push({
            file,
            problem: { code: error.code, message: error.message, start: entry.start, end: entry.end },
          });
          entryOf.links.push({ specifier: entry.specifier, kind: 'missing', target: error.message, names });
        }
      }
      // What is asked for while the program runs is made ready, and what is wrong with it is said when it is asked for.
      for (const call of outline.dynamicImports) {
        const told = found.length;
        try {
          const link = resolve(call.specifier, call, call.call, []);
          if (link.kind !== 'missing') entryOf.dynamic[call.specifier] = link;
          else found.length = told;
        } catch (error) {
          if (!(error instanceof AnvilError)) throw error;
        }
      }
    };
    visit(entry, true);
    this.checkNames(order, index, found);
    const first = statically(order, index);
    const problems = found.filter(({ file }) => first.has(file));
    const broken = new Map<string, Problem>();
    for (const { file, problem } of found) if (!first.has(file) && !broken.has(file)) broken.set(file, problem);

    const cyclic = findCycles(order, index);
    // Scripts that are imported, and not only required.
    const imported = new Set(
      order.flatMap(({ unit, links, dynamic }) =>
        [
          ...links,
          ...(unit?.outline?.dynamicImports ?? []).flatMap((call) =>
            call.call === 'import' ? (dynamic[call.specifier] ?? []) : [],
          ),
        ].flatMap((link) => (link.kind === 'local' ? [link.target] : [])),
      ),
    );
    const modules: ModuleCode[] = [];
    const files: ProgramFile[] = [];
    const keeps: Linked['keeps'] = [];
    let base = 0;
    for (let number = 0; number < order.length; number++) {
      const { file, unit, goal, links, dynamic } = order[number]!;
      if (!unit) {
        modules.push(this.json(file, number));
        continue;
      }
      if (!unit.outline || broken.has(file)) {
        files.push({ file, unit: number, base, sites: [], lines: unit.lines, quiet: [], notes: [] });
        const problem = broken.get(file);
        if (problem) modules.push(brokenCode(unit, problem, number, this.files.nameOf(file, goal)));
        continue;
      }
      const compiled = this.compiled(unit, cyclic.has(number));
      modules.push(
        moduleCode(unit, compiled, {
          number,
          base,
          goal,
          links,
          dynamic,
          cyclic: cyclic.has(number) && goal === 'module',
          name: this.files.nameOf(file, goal),
          ...(goal === 'script' && imported.has(file)
            ? { names: this.scriptNames(unit, order, index, new Set()) }
            : {}),
        }),
      );
      files.push({
        file,
        unit: number,
        base,
        sites: compiled.sites,
        lines: unit.lines,
        quiet: (unit.quiet ??= quietRanges(unit.outline!)),
        notes: compiled.notes,
      });
      for (const { id, uses } of compiled.keeps)
        keeps.push({ unit: number, id, site: base + id, key: this.keyOf(file, uses, order, index) });
      base += compiled.sites.length;
    }
    const program: Program = { entry, files };
    this.lastProgram = program;
    const tests =
      problems.length === 0 && files.some((one) => one.sites.some((site) => site.kind === 'test'))
        ? this.testsOf(order, index, files)
        : [];
    return {
      entry,
      program,
      modules,
      problems,
      fatal,
      needsProcess,
      keeps,
      tests,
      data: dataOf(files[0]),
      packages: firstPackages(order, index),
    };
  }

  /** The names under which importing modules find the exports of a script. */
  private scriptNames(
    { file, text, parsed, outline }: Unit,
    order: readonly { unit: Unit | undefined; dynamic: Record<string, ModuleLink> }[],
    index: ReadonlyMap<string, number>,
    seen: Set<string>,
  ): string[] {
    if (!parsed.interop) return this.files.scriptNames(file, text);
    if (seen.has(file)) return [];
    seen.add(file);
    const names = ['__esModule'];
    for (const { exported, from } of outline!.exports) {
      if (exported !== '*') names.push(exported);
      else {
        const link = order[index.get(file) ?? -1]?.dynamic[from!];
        const unit = link?.kind === 'local' ? order[index.get(link.target) ?? -1]?.unit : undefined;
        if (unit?.outline)
          names.push(...this.scriptNames(unit, order, index, seen).filter((name) => name !== 'default'));
      }
    }
    return [...new Set(names)];
  }

  private testsOf(
    order: readonly {
      unit: Unit | undefined;
      file: string;
      links: ModuleLink[];
      dynamic: Record<string, ModuleLink>;
    }[],
    index: ReadonlyMap<string, number>,
    files: readonly ProgramFile[],
  ): Linked['tests'] {
    const known = order.flatMap(({ unit, file, links }) =>
      unit?.outline
        ? [
            {
              file,
              outline: unit.outline,
              local: (specifier: string) => {
                const link = links.find((one) => one.specifier === specifier);
                return link?.kind === 'local' && order[index.get(link.target) ?? -1]?.unit ? link.target : undefined;
              },
            },
          ]
        : [],
    );
    // JSON beside the code takes part as well, and so does what is only loaded while it runs.
    const rest = order.flatMap(({ unit, file }) => (unit ? [] : [this.textOf(file)])).join('\n\u0000\n');
    const sites = new Map<string, number>();
    for (const file of files)
      for (const site of file.sites)
        if (site.kind === 'test') sites.set(`${file.file}\n${site.start}`, file.base + site.id);
    return reachedTests(known).flatMap(({ file, start, key }) => {
      const site = sites.get(`${file}\n${start}`);
      return site === undefined ? [] : [{ site, key: key === undefined ? undefined : `${key}\n\u0000\n${rest}` }];
    });
  }

  /** Goes back to a program from before {@link extend}: what that added was not taken. */
  restore(program: Program): void {
    this.lastProgram = program;
  }

  /** Adds a module that a running program asks for by a name that was not known before. */
  extend(
    linked: Linked,
    specifier: string,
    from: string,
  ): { link: ModuleLink; modules: ModuleCode[]; program: Program } {
    const found = this.resolve(specifier, from, 'import');
    const program = this.lastProgram?.entry === linked.entry ? this.lastProgram : linked.program;
    if (found.kind === 'missing')
      return { link: { specifier, kind: 'missing', target: found.message, names: [] }, modules: [], program };
    if (found.kind !== 'local')
      return {
        link: {
          specifier,
          kind: found.kind,
          target: specifier,
          names: [],
          ...(found.base === undefined ? {} : { base: found.base }),
        },
        modules: [],
        program,
      };
    const link: ModuleLink = { specifier, kind: 'local', target: found.file, names: [] };
    if (program.files.some((file) => file.file === found.file)) return { link, modules: [], program };
    let more: Linked;
    try {
      more = this.link(found.file);
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
      return { link: { specifier, kind: 'missing', target: error.message, names: [] }, modules: [], program };
    }
    const wrong = new Map(more.problems.map(({ file, problem }) => [file, problem]));
    // Number the new files after those that run.
    let unit = Math.max(-1, ...program.files.map((file) => file.unit)) + 1;
    let base = Math.max(0, ...program.files.map((file) => file.base + file.sites.length));
    const files = [...program.files];
    const modules: ModuleCode[] = [];
    const codes = more.modules.map((code) => {
      const problem = wrong.get(code.file);
      return problem ? brokenCode(this.unit(code.file), problem, code.unit, code.name) : code;
    });
    for (const [file, problem] of wrong)
      if (!codes.some((code) => code.file === file))
        codes.push(brokenCode(this.unit(file), problem, unit, this.files.nameOf(file, 'script')));
    for (const code of codes) {
      if (program.files.some((file) => file.file === code.file)) continue;
      const file = more.program.files.find((one) => one.file === code.file);
      modules.push({ ...code, unit, base });
      if (file) {
        files.push({ ...file, unit, base });
        base += file.sites.length;
      }
      unit++;
    }
    const extended: Program = { entry: linked.entry, files };
    this.lastProgram = extended;
    return { link, modules, program: extended };
  }

  private compiled(unit: Unit, cyclic: boolean): Compiled {
    const key = cyclic ? 'cyclic' : 'plain';
    let compiled = unit.compiled.get(key);
    if (!compiled) {
      compiled = compile(unit.outline!, {
        ...this.options,
        form: 'linked',
        translator: this.language.translator,
        cyclic,
      });
      unit.compiled.set(key, compiled);
    }
    return compiled;
  }

  private json(file: string, unit: number): ModuleCode {
    return { ...emptyCode(file, unit), code: this.textOf(file) };
  }

  /** A name imported from a local module that has no such export is an error before anything runs, as in the language. */
  private checkNames(
    order: readonly { unit: Unit | undefined; file: string; links: ModuleLink[] }[],
    index: ReadonlyMap<string, number>,
    problems: Linked['problems'],
  ): void {
    const exportsOf = (file: string, seen: Set<string>): Set<string> | undefined => {
      if (seen.has(file)) return new Set();
      seen.add(file);
      const at = order[index.get(file) ?? -1];
      if (!at) return undefined;
      if (!at.unit) return new Set(['default']);
      if (at.unit.parsed.goal === 'script' || !at.unit.outline) return undefined;
      const names = new Set<string>();
      for (const entry of at.unit.outline.exports) {
        if (entry.exported !== '*') names.add(entry.exported);
        else {
          const link = at.links.find((one) => one.specifier === entry.from);
          const inner = link?.kind === 'local' ? exportsOf(link.target, seen) : undefined;
          if (!inner) return undefined;
          for (const name of inner) if (name !== 'default') names.add(name);
        }
      }
      return names;
    };
    for (const { unit, file, links } of order) {
      if (!unit?.outline) continue;
      for (const link of links) {
        if (link.kind !== 'local') continue;
        const names = exportsOf(link.target, new Set());
        if (!names) continue;
        for (const entry of unit.outline.imports) {
          if (entry.specifier !== link.specifier || entry.typeOnly) continue;
          for (const name of entry.names) {
            if (name.imported === '*' || names.has(name.imported)) continue;
            const near = nearest(name.imported, names);
            problems.push({
              file,
              problem: {
                code: 'E_RESOLVE',
                message: `'${link.specifier}' has no export named '${name.imported}'.${near ? ` Did you mean '${near}'?` : ''}`,
                thrown: `The requested module '${link.specifier}' does not provide an export named '${name.imported}'`,
                start: name.start,
                end: name.end,
              },
            });
          }
        }
      }
    }
  }
}
