/**
 * From the text of a pad to the modules of a program: reads and resolves the
 * graph of local modules, compiles what has changed, numbers the sites.
 */
import { placedSegments, placedSites } from './placed-code.js';
import type { Program, ProgramFile } from '../record/program.js';
import type { Outline } from '../syntax/outline.js';
import { AnvilError, type Problem } from '../syntax/problems.js';
import { reachedTests } from '../syntax/reach.js';
import { statementsAhead } from '../syntax/replaced-modules.js';
import type { Selected } from '../syntax/selection.js';
import { FRAMEWORK_MODULES, frameworkOf } from '../syntax/tests.js';
import type { Uses } from '../syntax/uses.js';
import type { ModuleCode, ModuleLink } from '../wire/modules.js';
import type { FrameworkPlace, FrameworkSettings } from '../wire/runs.js';
import { findCycles } from './cycles.js';
import { firstPackages, statically } from './first-packages.js';
import { ownSettings } from './framework-settings.js';
import type { Files, Language, Resolution } from './host.js';
import { localLink, packageLink, readGraph, type GraphNode, type ImportGraph, type Resolve } from './import-graph.js';
import type { Linked } from './linked.js';
import { mappedResolution } from './mapped-names.js';
import { type Unit, brokenCode, dataOf, emptyCode, moduleCode } from './module-code.js';
import { quietRanges } from './program-facts.js';
import { Units, type LinkerOptions } from './units.js';

/** How a pad is compiled. */
export const PAD_LINKING: LinkerOptions = { depth: 'values', patchable: false };

export class Linker {
  private readonly units: Units;
  private lastProgram: Program | undefined;
  /** What the project asks of the framework of the tests that are linked. */
  private settings: FrameworkSettings | undefined;

  constructor(
    private readonly files: Files,
    language: Language,
    readonly options: LinkerOptions & { /** See {@link Units.pad}. */ pad?: string } = PAD_LINKING,
    shared?: Units,
  ) {
    this.units = shared ?? new Units(files, language, options);
    this.units.pad ??= options.pad;
  }

  /** A text was taken since the last link. */
  behind = false;

  /** A text counts in place of the file's. */
  take(file: string, text: string): void {
    this.overlay.set(file, text);
    this.behind = true;
  }

  /** An expression of a file reports as if it had a mark, from the next link on; undefined for none. */
  select(selected: ({ file: string } & Selected) | undefined): void {
    this.units.selected = selected;
  }

  /** Unsaved texts, by file. */
  get overlay(): Map<string, string> {
    return this.units.overlay;
  }

  /** The texts of a program's files are those that lie on disk. */
  isSaved({ program }: Linked): boolean {
    return program.files.every(({ file }) => {
      const text = this.overlay.get(file);
      return text === undefined || this.isSavedText(file, text);
    });
  }

  /** Texts of a program's files that are not those on disk. */
  unsavedTexts({ program }: Linked): Map<string, string> {
    const texts = new Map<string, string>();
    for (const { file } of program.files) {
      const text = this.overlay.get(file);
      if (text !== undefined && !this.isSavedText(file, text)) texts.set(file, text);
    }
    return texts;
  }

  private isSavedText(file: string, text: string): boolean {
    try {
      return text === this.files.read(file);
    } catch {
      return false;
    }
  }

  /** Text of a file as the program sees it: unsaved before saved. */
  textOf(file: string): string {
    return this.units.textOf(file);
  }

  /** A file as it is now, parsed. */
  unit(file: string): Unit {
    return this.units.unit(file);
  }

  /** The outline of a file of the program that was linked last; undefined for others, and for one that is wrong. */
  outlineOf(file: string): Outline | undefined {
    const isOwn = file === this.options.pad || this.lastProgram?.files.some((one) => one.file === file);
    try {
      return isOwn ? this.units.unit(file).outline : undefined;
    } catch {
      return undefined;
    }
  }

  /** Where code stops that is linked from now on. */
  stopAt(stopsOf: NonNullable<Units['stopsOf']>): void {
    this.units.stopsOf = stopsOf;
  }

  /**
   * What a kept value depends on, as one text: the expression with what it uses
   * in its file, and the whole of each local module it imports, with theirs.
   */
  private keyOf(file: string, uses: Uses, { order, index }: ImportGraph): string {
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
    const mapped = this.settings && mappedResolution(this.settings, this.files, specifier, from, how);
    const found = mapped ?? this.files.resolve(specifier, from, how);
    // A live program has the platform's own runner, which prints and ends as it does everywhere.
    if (this.options.patchable) return found.kind === 'tests' ? { kind: 'builtin' } : found;
    return found.kind === 'package' && specifier in FRAMEWORK_MODULES ? { kind: 'tests' } : found;
  }

  /**
   * Links the program of `entry`. Throws only when the entry itself cannot be read.
   *
   * @param partial its text without what is not to run
   */
  link(entry: string, partial?: string): Linked {
    this.behind = false;
    this.units.partial = partial === undefined ? undefined : { file: entry, text: partial };
    this.units.pad = this.options.pad;
    this.settings = this.settingsFor(entry);
    const resolve: Resolve = (specifier, from, how) => this.resolve(specifier, from, how);
    const graph = readGraph(entry, this.units, resolve, this.settings?.setup);
    const { order, index } = graph;
    const first = statically(order, index);
    const problems = graph.problems.filter(({ file }) => first.has(file));
    const broken = new Map<string, Problem>();
    for (const { file, problem } of graph.problems)
      if (!first.has(file) && !broken.has(file)) broken.set(file, problem);
    const { modules, files, keeps } = this.assemble(graph, broken);
    const program: Program = { entry, files };
    this.lastProgram = program;
    const framework = this.options.patchable ? undefined : this.frameworkFor(order);
    const hasTests = problems.length === 0 && files.some((one) => one.sites.some((site) => site.kind === 'test'));
    return {
      entry,
      program,
      modules,
      problems,
      fatal: graph.fatal,
      needsProcess: graph.needsProcess,
      keeps,
      tests: hasTests && !framework ? this.testsOf(graph, files) : [],
      framework,
      data: dataOf(files[0]),
      packages: [...aroundTests(framework, entry), ...firstPackages(order, index, framework?.settings?.setup)],
    };
  }

  private settingsFor(entry: string): FrameworkSettings | undefined {
    if (this.options.patchable) return undefined;
    const unit = this.units.unit(entry);
    return this.frameworkFor([{ file: entry, unit }])?.settings;
  }

  /** The framework that a file of the program imports, or whose globals the first one uses. */
  private frameworkFor(order: readonly Pick<GraphNode, 'file' | 'unit'>[]): FrameworkPlace | undefined {
    for (const [number, { file, unit }] of order.entries()) {
      const name = unit?.outline && frameworkOf(unit.outline);
      if (name === undefined || (name === 'globals' && number > 0)) continue;
      const found = this.files.framework?.(file, name === 'globals' ? undefined : name);
      return found && ownSettings(found, unit!.outline!);
    }
    return undefined;
  }

  /** Compiles the files of a graph, and numbers their sites. */
  private assemble(
    graph: ImportGraph,
    broken: ReadonlyMap<string, Problem>,
  ): { modules: ModuleCode[]; files: ProgramFile[]; keeps: Linked['keeps'] } {
    const { order, index } = graph;
    const cyclic = findCycles(order, index);
    const imported = importedFiles(order);
    const modules: ModuleCode[] = [];
    const files: ProgramFile[] = [];
    const keeps: Linked['keeps'] = [];
    let base = 0;
    for (const [number, { file, unit, goal, links, dynamic }] of order.entries()) {
      if (!unit) {
        modules.push({ ...emptyCode(file, number), code: this.textOf(file) });
        continue;
      }
      const name = this.files.nameOf(file, goal);
      if (!unit.outline || broken.has(file)) {
        files.push({ file, unit: number, base, sites: [], lines: unit.lines, quiet: [], notes: [] });
        const problem = broken.get(file);
        if (problem) modules.push(brokenCode(unit, problem, number, name));
        continue;
      }
      const inCycle = cyclic.has(number);
      const { notes: all, keeps: kept, sites: own, ...compiled } = this.units.compiled(unit, inCycle);
      const written = unit.parsed.shown === undefined ? undefined : unit.parsed.written;
      const sites = written ? placedSites(own, written) : own;
      const notes = written ? all.map((note) => ({ ...note, ...(written.range(note) ?? { start: 0, end: 0 }) })) : all;
      const names = goal === 'script' && imported.has(file) ? { names: this.scriptNames(unit, graph, new Set()) } : {};
      const ahead = !this.options.patchable && statementsAhead(unit.outline).length > 0;
      const isGenerator = (inCycle || ahead) && goal === 'module';
      const given = {
        number,
        base,
        goal,
        links,
        dynamic,
        cyclic: isGenerator,
        ahead,
        name,
        ...names,
        made: written ? own : undefined,
      };
      const segments = written ? placedSegments(compiled, written) : {};
      modules.push(moduleCode(unit, { ...compiled, ...segments, sites, notes, keeps: kept }, given));
      const quiet = written ? [] : (unit.quiet ??= quietRanges(unit.outline));
      const wrong = number === 0 ? this.files.wrong?.(file) : undefined;
      const said = wrong
        ? [{ code: 'R_PROJECT', message: wrong, start: 0, end: 0, quiet: true as const }, ...notes]
        : notes;
      files.push({ file, unit: number, base, sites, lines: unit.lines, quiet, notes: said });
      for (const { id, uses } of kept)
        keeps.push({ unit: number, id, site: base + id, key: this.keyOf(file, uses, graph) });
      base += sites.length;
    }
    return { modules, files, keeps };
  }

  /** The names under which importing modules find the exports of a script. */
  private scriptNames({ file, text, parsed, outline }: Unit, graph: ImportGraph, seen: Set<string>): string[] {
    if (!parsed.interop) return this.files.scriptNames(file, text);
    if (seen.has(file)) return [];
    seen.add(file);
    const names = ['__esModule'];
    for (const { exported, from } of outline!.exports) {
      if (exported !== '*') names.push(exported);
      else {
        const link = graph.order[graph.index.get(file) ?? -1]?.dynamic[from!];
        const unit = link?.kind === 'local' ? graph.order[graph.index.get(link.target) ?? -1]?.unit : undefined;
        if (unit?.outline) names.push(...this.scriptNames(unit, graph, seen).filter((name) => name !== 'default'));
      }
    }
    return [...new Set(names)];
  }

  private testsOf({ order, index }: ImportGraph, files: readonly ProgramFile[]): Linked['tests'] {
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

  /**
   * Adds a module that a running program asks for by a name that was not known before.
   *
   * @throws AnvilError when a file that it leads to cannot be read
   */
  extend(
    linked: Linked,
    specifier: string,
    from: string,
  ): { link: ModuleLink; modules: ModuleCode[]; program: Program } {
    const found = this.resolve(specifier, from, 'import');
    const program = this.lastProgram?.entry === linked.entry ? this.lastProgram : linked.program;
    if (found.kind === 'missing')
      return { link: { specifier, kind: 'missing', target: found.message, names: [] }, modules: [], program };
    if (found.kind !== 'local') return { link: packageLink(specifier, found, []), modules: [], program };
    const link = localLink(specifier, found, []);
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
      return problem ? brokenCode(this.units.unit(code.file), problem, code.unit, code.name) : code;
    });
    for (const [file, problem] of wrong)
      if (!codes.some((code) => code.file === file))
        codes.push(brokenCode(this.units.unit(file), problem, unit, this.files.nameOf(file, 'script')));
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
}

/** Files that are imported, and not only required. */
function importedFiles(order: readonly GraphNode[]): Set<string> {
  const links = order.flatMap(({ unit, links: given, dynamic }) => {
    const calls = (unit?.outline?.dynamicImports ?? []).filter((call) => call.call === 'import');
    return [...given, ...calls.flatMap((call) => dynamic[call.specifier] ?? [])];
  });
  return new Set(links.flatMap((link) => (link.kind === 'local' ? [link.target] : [])));
}

/** What a thread has ready for tests before it loads what they import. */
function aroundTests(framework: FrameworkPlace | undefined, from: string): Linked['packages'] {
  if (!framework || framework.gap !== undefined) return [];
  return [...framework.packages, { specifier: `around ${framework.name}`, from, around: framework }];
}
