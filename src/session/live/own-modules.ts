/** The modules of the program itself: how they are linked, and those that come while it runs. */
import { liveModule } from '../../patch/live-module.js';
import type { Program } from '../../record/program.js';
import type { ModuleCode, ModuleLink } from '../../wire/modules.js';
import { nearest } from '../../syntax/names.js';
import type { Linked } from '../linked.js';
import type { Linker } from '../linker.js';
import type { TargetState } from './target-state.js';

export class OwnModules {
  program: Program | undefined;
  private linked: Linked | undefined;
  /** Files with a query behind them that were imported. */
  private readonly addresses = new Set<string>();

  constructor(
    private readonly linker: Linker,
    private readonly main: TargetState,
  ) {}

  link(entry: string): Linked {
    this.linked = this.linker.link(entry);
    this.program = this.linked.program;
    return this.linked;
  }

  /** Links a module that is imported while the program runs. */
  resolve(specifier: string, from: string): { link: ModuleLink; modules: ModuleCode[] } {
    const { link, modules, program } = this.linker.extend(this.linked!, specifier, from);
    this.program = program;
    this.remember();
    if (link.query === undefined) return { link, modules };
    // The same address once more is the module that is there.
    const address = link.target + link.query;
    const isNew = !this.addresses.has(address);
    this.addresses.add(address);
    return { link, modules: isNew && modules.length === 0 ? this.anew(link.target) : modules };
  }

  /** The code of a module that is executed under another address once more, as its text is now; none where it is wrong. */
  private anew(file: string): ModuleCode[] {
    const linked = this.linker.link(file);
    const { outline } = this.linker.unit(file);
    const code = linked.modules.find((one) => one.file === file);
    if (linked.problems.length > 0 || !outline || !code) return [];
    this.main.modules.set(file, liveModule(outline));
    this.main.observation.executed(file);
    return [this.numbered(code)];
  }

  /** Takes up modules that the program has now. */
  remember(): void {
    for (const { file } of this.program?.files ?? []) {
      if (this.main.modules.has(file)) continue;
      const { outline } = this.linker.unit(file);
      if (outline) this.main.modules.set(file, liveModule(outline));
    }
  }

  /** Modules that were looked at for a change which is refused take no part. */
  withdraw(program: Program | undefined): void {
    if (!program) return;
    this.program = program;
    this.linker.restore(program);
    const known = new Set(program.files.map((file) => file.file));
    for (const file of this.main.modules.keys()) if (!known.has(file)) this.main.modules.delete(file);
  }

  /** Code of a module under the number that its file has in the program; a new file gets one. */
  numbered(code: ModuleCode): ModuleCode {
    const known = this.program?.files.find((one) => one.file === code.file);
    if (known) return { ...code, unit: known.unit, base: known.base };
    const unit = Math.max(-1, ...(this.program?.files.map((one) => one.unit) ?? [])) + 1;
    const { lines } = this.linker.unit(code.file);
    const file = { file: code.file, unit, base: 0, sites: [], lines, quiet: [], notes: [] };
    if (this.program) this.program = { ...this.program, files: [...this.program.files, file] };
    return { ...code, unit };
  }

  /** What is wrong with the names that are imported through a link; undefined where nothing is. */
  missingName(link: ModuleLink, names: readonly string[]): string | undefined {
    const outline = link.kind === 'local' ? this.linker.unit(link.target).outline : undefined;
    if (!outline || outline.parsed.goal === 'script' || outline.exports.some((entry) => entry.exported === '*'))
      return undefined;
    const known = outline.exports.map((entry) => entry.exported);
    const missing = names.find((name) => name !== '*' && !known.includes(name));
    if (missing === undefined) return undefined;
    const near = nearest(missing, known);
    return `'${link.specifier}' has no export named '${missing}'.${near ? ` Did you mean '${near}'?` : ''}`;
  }
}
