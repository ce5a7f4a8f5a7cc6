/**
 * The life of a program that keeps running: started once, then each save is
 * compared, planned and applied, or refused with a reason.
 */
import { liveModule, planChanges, planText, type LiveModule, type Plan } from '../patch/plan.js';
import type { Step } from '../patch/steps.js';
import type { Program } from '../record/program.js';
import type { RawError } from '../runtime/wire.js';
import type { Files, Host, Language, RawStop, RunHandle, RunRequest, RunSink } from './host.js';
import { Linker } from './linker.js';

export interface LiveHost extends Omit<Host, 'run' | 'warm'> {
  start(
    request: RunRequest,
    sink: RunSink,
  ): Omit<RunHandle, 'look' | 'act'> & { patch(steps: readonly Step[]): Promise<{ failed?: { step: number; error: RawError } }> };
}

export interface LiveEvent {
  kind: 'patched' | 'refused' | 'failed' | 'error' | 'ended';
  file: string;
  /** One line. */
  text: string;
  /** Reasons and places, a line each. */
  details: string[];
  plan?: Plan;
}

export interface LiveParts {
  files: Files;
  language: Language;
  host: LiveHost;
}

export class LiveSession {
  private readonly linker: Linker;
  private readonly modules = new Map<string, LiveModule>();
  private handle: ReturnType<LiveHost['start']> | undefined;
  private program: Program | undefined;
  private queue: Promise<void> = Promise.resolve();
  /** Texts that were refused already: a second look at the same one says nothing new. */
  private readonly refused = new Map<string, string>();
  private readonly listeners = new Set<(event: LiveEvent) => void>();

  constructor(
    readonly file: string,
    private readonly parts: LiveParts,
  ) {
    this.linker = new Linker(parts.files, parts.language, { depth: 'off', patchable: true });
  }

  onEvent(listener: (event: LiveEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** Local modules of the program. */
  get files(): string[] {
    return this.program?.files.map((file) => file.file) ?? [this.file];
  }

  /**
   * Starts the program. Returns the problems that keep it from starting, if any.
   *
   * @param onEnd called once, when the program has ended
   */
  start(onEnd: (stop: RawStop | undefined) => void): { file: string; line: number; message: string }[] {
    const linked = this.linker.link(this.file);
    this.program = linked.program;
    if (linked.problems.length > 0) {
      return linked.problems.map(({ file, problem }) => ({ file, line: this.linker.unit(file).lines.lineAt(problem.start), message: problem.message }));
    }
    this.remember();
    this.handle = this.parts.host.start(
      { id: 1, entry: linked.entry, modules: linked.modules, hangMs: Infinity, asked: {} },
      {
        batch: (batch) => {
          for (const error of batch.errors ?? [])
            this.say({ kind: 'error', file: error.frames.find((frame) => frame.local)?.file ?? this.file, text: errorLine(error), details: pathOf(error) });
        },
        settled: () => undefined,
        idle: () => undefined,
        stopped: (stop) => onEnd(stop),
        needsProcess: () => undefined,
        looked: () => undefined,
        resolve: (specifier, from) => {
          const { link, modules, program } = this.linker.extend(linked, specifier, from);
          this.program = program;
          this.remember();
          return { link, modules };
        },
      },
    );
    return [];
  }

  /**
   * Takes a save of one or more files: compares, plans, applies. Calls are taken one after the other.
   *
   * @param settled false while an editor may still be writing: a file that is empty now is left for later
   */
  changed(files: readonly string[], settled = true): Promise<void> {
    this.queue = this.queue
      .then(() => this.apply(files, settled))
      .catch((error: unknown) =>
        this.say({ kind: 'failed', file: files[0] ?? this.file, text: `could not be applied: ${(error as Error).message}`, details: [] }),
      );
    return this.queue;
  }

  stop(): void {
    this.handle?.cancel();
  }

  private remember(): void {
    for (const { file } of this.program?.files ?? []) {
      if (this.modules.has(file)) continue;
      const { outline } = this.linker.unit(file);
      if (outline) this.modules.set(file, liveModule(outline));
    }
  }

  private async apply(files: readonly string[], settled: boolean): Promise<void> {
    const plans: Plan[] = [];
    for (const file of files) {
      const module = this.modules.get(file);
      if (!module) continue;
      let unit;
      try {
        unit = this.linker.unit(file);
      } catch (error) {
        this.say({ kind: 'refused', file, text: 'nothing changed: the file cannot be read now', details: [(error as Error).message] });
        return;
      }
      if (unit.text === '' && !settled) return;
      if (unit.outline === undefined) {
        if (this.refused.get(file) === unit.text) return;
        this.refused.set(file, unit.text);
        const problems = await this.parts.language.recover(file, unit.text, unit.parsed.problems);
        const details = problems.map((problem) => `line ${unit.lines.lineAt(problem.start) + 1}  ${problem.message}`);
        this.say({ kind: 'refused', file, text: `syntax error${problems.length === 1 ? '' : 's'}, nothing changed`, details });
        return;
      }
      this.refused.delete(file);
      if (unit.text === module.outline.parsed.text) continue;
      plans.push(planChanges(module, unit.outline, this.parts.language.translator));
    }
    const steps = plans.flatMap((plan) => plan.steps);
    if (steps.length > 0 && this.handle) {
      const { failed } = await this.handle.patch(steps);
      if (failed) {
        const step = steps[failed.step]!;
        this.say({
          kind: 'failed',
          file: step.file,
          text: `nothing changed: ${step.name} failed`,
          details: [`${failed.error.name}: ${failed.error.message}`],
        });
        return;
      }
    }
    for (const plan of plans) {
      this.modules.set(plan.file, plan.next);
      const details = plan.notes.filter((note) => note.reason !== undefined).map((note) => `${note.name}: ${note.reason}`);
      this.say({ kind: 'patched', file: plan.file, text: planText(plan), details, plan });
    }
  }

  private say(event: LiveEvent): void {
    for (const listener of this.listeners) listener(event);
  }
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
