/**
 * Applies plans to the targets of a program: whole or not at all. Says nothing
 * itself; what became of them is its outcome.
 */
import { withImporters } from '../../patch/importers.js';
import { rootsOf } from '../../patch/live-module.js';
import type { Plan } from '../../patch/plan.js';
import type { Step } from '../../wire/steps.js';
import type { LiveAnswer } from '../../wire/messages.js';
import type { ModuleCode, ModuleLink } from '../../wire/modules.js';
import type { Before, History } from './history.js';
import type { ObservationPlan } from './observation.js';
import type { Observing } from './observing.js';
import type { RunningProgram } from './running.js';
import type { TargetState } from './target-state.js';

/** Plans for one target. */
export interface Work {
  state: TargetState;
  plans: Plan[];
}

/** A work that is done. */
export interface Applied {
  work: Work;
  answer: LiveAnswer | undefined;
}

export type Outcome =
  | { is: 'applied'; done: Applied[] }
  | { is: 'refused'; file: string; text: string; details: string[] }
  | { is: 'failed'; state: TargetState; answer: LiveAnswer; steps: Step[]; file: string };

/** A target that begins anew, because something in it cannot be changed in place. */
export interface Reloading {
  file: string;
  details: string[];
}

interface Load {
  links: { file: string; name: string; link: ModuleLink }[];
  modules: ModuleCode[];
}

interface Trial extends Applied {
  applied: boolean;
  observed: ObservationPlan[];
}

/** Plans with those of modules that import what changes; see {@link withImporters}. */
export function withFollowing(running: RunningProgram, state: TargetState, plans: readonly Plan[]): Plan[] {
  return withImporters(state.modules, plans, running.parts.language.translator, (specifier, from) =>
    running.localFile(specifier, from),
  );
}

/**
 * Targets that begin anew where a change cannot be made in place are asked to, and leave. Gives the works of the
 * others.
 */
export function askToReload(running: RunningProgram, works: readonly Work[]): { works: Work[]; asked: Reloading[] } {
  const asked = new Map<string, Reloading>();
  const left = works.filter(({ state: { guest }, plans }) => {
    if (!guest?.reload) return true;
    const cannot = plans.flatMap(({ file, notes }) =>
      notes.filter((note) => note.kind === 'cannot').map((note) => ({ file, note })),
    );
    if (cannot.length === 0) return true;
    const details = cannot.map(({ note }) => `${note.name}: ${note.reason ?? ''}`);
    const { file } = cannot[0]!;
    asked.set(`${file}\n${details.join('\n')}`, { file, details });
    guest.reload(details.join('; '));
    running.leave(guest.id);
    return false;
  });
  return { works: left, asked: [...asked.values()] };
}

/** Applies works, the program's own last: where one target cannot, the others take it back. */
export async function applyWorks(
  running: RunningProgram,
  observing: Observing,
  history: History,
  works: readonly Work[],
): Promise<Outcome> {
  const { program } = running.own;
  const loads = new Map<Work, Load>();
  for (const work of works) {
    const load = await loadFor(running, work);
    if ('is' in load) {
      running.own.withdraw(program);
      return load;
    }
    loads.set(work, load);
  }
  const done: Trial[] = [];
  for (const work of [...works].sort((a, b) => Number(a.state === running.main) - Number(b.state === running.main))) {
    const trial = await tryWork(work, loads.get(work)!);
    if (trial.answer?.failed) {
      for (const one of done) if (one.applied) void one.work.state.target?.change({ do: 'undo' });
      const files = works.flatMap((one) => one.plans.map((plan) => plan.file));
      await observing.again(files, true);
      // Modules that were loaded stay in the target; asked for again, they are found there.
      const { state, plans } = work;
      const steps = plans.flatMap((plan) => plan.steps);
      return { is: 'failed', state, answer: trial.answer, steps, file: plans[0]!.file };
    }
    done.push(trial);
  }
  const before: Before = new Map();
  for (const { work, applied } of done) if (applied) before.set(work.state, new Map(work.state.modules));
  if (before.size > 0) history.keep(before);
  for (const trial of done) settle(trial);
  return { is: 'applied', done };
}

/** The modules that a work imports for the first time. */
async function loadFor(running: RunningProgram, { state, plans }: Work): Promise<Load | Outcome> {
  const load: Load = { links: [], modules: [] };
  for (const step of plans.flatMap((plan) => plan.steps)) {
    if (step.kind === 'fields') step.roots = [...state.modules.values()].map(rootsOf);
    if (step.kind !== 'link') continue;
    const { link, modules } = await linkIn(running, state, step.specifier, step.file);
    const wrong = link.kind === 'missing' ? link.target : running.own.missingName(link, step.names);
    if (wrong !== undefined)
      return {
        is: 'refused',
        file: step.file,
        text: `nothing changed: import '${step.specifier}'`,
        details: [wrong],
      };
    load.links.push({ file: step.file, name: step.name, link: { ...link, names: step.names } });
    load.modules.push(...modules);
  }
  return load;
}

/** How a target reaches a module that is imported only now. */
async function linkIn(
  running: RunningProgram,
  state: TargetState,
  specifier: string,
  from: string,
): Promise<{ link: ModuleLink; modules: ModuleCode[] }> {
  if (state === running.main) return running.own.resolve(specifier, from);
  if (state.guest?.resolve) return { link: await state.guest.resolve(specifier, from), modules: [] };
  const found = running.parts.files.resolve(specifier, from, 'import');
  const target = found.kind === 'local' ? found.file : found.kind === 'missing' ? found.message : specifier;
  return { link: { specifier, kind: found.kind, target, names: [] }, modules: [] };
}

async function tryWork(work: Work, load: Load): Promise<Trial> {
  const { state, plans } = work;
  const steps = plans.flatMap((plan) => plan.steps);
  const observed = plans.flatMap((plan): ObservationPlan[] => {
    const slots = plan.steps.flatMap((step) => (step.kind === 'function' ? [step.slot] : []));
    const one = state.observation.plan(plan.file, plan.next, new Set(slots));
    if (one) plan.next = one.next;
    return one ? [one] : [];
  });
  const observe = observed.length > 0 ? { observe: together(observed) } : {};
  const answer =
    state.target && (steps.length > 0 || observed.length > 0)
      ? await state.target.change({ do: 'patch', steps, ...load, ...observe })
      : undefined;
  return { work, answer, applied: answer !== undefined && steps.length > 0, observed };
}

/** Takes over what a work has changed. */
function settle({ work: { state, plans }, answer, observed }: Trial): void {
  for (const plan of plans) {
    state.modules.set(plan.file, plan.next);
    if (plan.waiting.length > 0)
      state.waiting.set(plan.file, [...(state.waiting.get(plan.file) ?? []), ...plan.waiting]);
    const resets = state.resets.get(plan.file) ?? new Map<string, Step>();
    for (const [name, step] of plan.resets) resets.set(name, step);
    state.resets.set(plan.file, resets);
  }
  let from = 0;
  for (const one of observed) {
    const to = from + one.observe.steps.length;
    const failed = (answer?.unobserved ?? []).filter(({ step }) => step >= from && step < to);
    one.taken(failed.map(({ step, message }) => ({ step: step - from, message })));
    from = to;
  }
}

function together(observed: readonly ObservationPlan[]): ObservationPlan['observe'] {
  return {
    steps: observed.flatMap((one) => one.observe.steps),
    units: observed.flatMap((one) => one.observe.units),
    release: observed.flatMap((one) => one.observe.release),
    gone: observed.flatMap((one) => one.observe.gone),
  };
}
