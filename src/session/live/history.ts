/** What can be taken back: the modules of each target that took part in a change, as they were before it. */
import type { LiveModule } from '../../patch/live-module.js';
import type { Outline } from '../../syntax/outline.js';
import type { RunningProgram } from './running.js';
import type { TargetState } from './target-state.js';

/** The modules of targets before a change. */
export type Before = Map<TargetState, Map<string, LiveModule>>;

/** Changes that can be taken back. */
const MOST_UNDONE = 100;
/** Of these, those whose versions are kept as they were compared. */
const WHOLE_VERSIONS = 3;

export class History {
  private readonly entries: Before[] = [];
  private readonly slimmed = new WeakMap<LiveModule, LiveModule>();

  constructor(private readonly running: RunningProgram) {}

  keep(before: Before): void {
    this.entries.push(before);
    if (this.entries.length > MOST_UNDONE) this.entries.shift();
    this.slim();
  }

  /** The last change, or the last in which a target took part. */
  last(target?: TargetState): Before | undefined {
    return target ? this.entries.findLast((one) => one.has(target)) : this.entries.at(-1);
  }

  /** A change is taken back, or cannot be any more. */
  forget(before: Before): void {
    const at = this.entries.indexOf(before);
    if (at >= 0) this.entries.splice(at, 1);
  }

  clear(): void {
    this.entries.length = 0;
  }

  /** Versions that lie further back are kept as text: their trees would be most of what a session holds. */
  private slim(): void {
    const old = this.entries[this.entries.length - 1 - WHOLE_VERSIONS];
    if (!old) return;
    const used = new Set<LiveModule>();
    for (const { modules } of this.running.targets) for (const module of modules.values()) used.add(module);
    for (const entry of this.entries.slice(-WHOLE_VERSIONS))
      for (const modules of entry.values()) for (const module of modules.values()) used.add(module);
    for (const modules of old.values())
      for (const [file, module] of modules) if (!used.has(module)) modules.set(file, this.slimOf(module));
  }

  private slimOf(module: LiveModule): LiveModule {
    let slim = this.slimmed.get(module);
    if (slim) return slim;
    const { text, file } = module.outline.parsed;
    // What was entered at a prompt belongs to its outline, and names that are gone to theirs.
    if (this.running.entered.has(module.outline) || module.gone.size > 0) return module;
    let outline: Outline | undefined;
    const again = (): Outline => (outline ??= this.running.outlineFor(file, text)!);
    slim = Object.defineProperty({ ...module }, 'outline', { get: again, enumerable: true });
    this.slimmed.set(module, slim);
    this.slimmed.set(slim, slim);
    return slim;
  }
}
