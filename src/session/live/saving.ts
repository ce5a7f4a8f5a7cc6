/** From saved texts to work: what each target has to do for them, or why they are not taken. */
import { planChanges } from '../../patch/plan.js';
import { nearest } from '../../syntax/names.js';
import type { Outline } from '../../syntax/outline.js';
import type { Problem } from '../../syntax/problems.js';
import { bindingScope, scopesOf, usesWithin } from '../../syntax/scopes.js';
import { withFollowing, type Work } from './applying.js';
import { extensionOf } from './module-graph.js';
import { graphOf } from './reloading.js';
import type { RunningProgram } from './running.js';
import type { LiveTarget } from './target-state.js';

export type Read =
  | { is: 'outlines'; outlines: Outline[] }
  /** `silent`: problems are shown, and nothing is said. */
  | { is: 'refused'; file: string; text: string; details: string[] }
  | { is: 'silent' };

/**
 * Reads texts that were saved, or are being typed.
 *
 * @param typed half a name is no reason for the program to fail
 */
export async function readTexts(running: RunningProgram, files: readonly string[], typed: boolean): Promise<Read> {
  const { linker, refused } = running;
  const outlines: Outline[] = [];
  for (const file of files) {
    const first = running.targetsOf(file)[0];
    if (!first) continue;
    let unit;
    try {
      unit = linker.unit(file);
    } catch (error) {
      const text = 'nothing changed: the file cannot be read now';
      return { is: 'refused', file, text, details: [(error as Error).message] };
    }
    if (refused.isRefused(file, unit.text)) continue;
    refused.clearProblems(file);
    if (unit.outline === undefined) {
      refused.refuse(file, unit.text);
      const problems = await running.parts.language.recover(file, unit.text, unit.parsed.problems);
      refused.setProblems(file, problems, unit.lines);
      const text = `syntax error${problems.length === 1 ? '' : 's'}, nothing changed`;
      const details = problems.map((problem) => `line ${unit.lines.lineAt(problem.start) + 1}  ${problem.message}`);
      return { is: 'refused', file, text, details };
    }
    const unknown =
      typed && first.target ? await unknownNames(first.target, first.modules.get(file)!.outline, unit.outline) : [];
    if (unknown.length > 0) {
      refused.setProblems(file, unknown, unit.lines);
      return { is: 'silent' };
    }
    refused.accept(file);
    outlines.push(unit.outline);
  }
  return { is: 'outlines', outlines };
}

/** Names that a text uses anew, and that neither it nor the program has. */
async function unknownNames(target: LiveTarget, before: Outline, after: Outline): Promise<Problem[]> {
  const freeOf = ({ parsed }: Outline): { name: string; start: number }[] =>
    usesWithin(scopesOf(parsed.program!), 0, parsed.text.length).filter(
      (use) => bindingScope(use.scope, use.name) === undefined,
    );
  const known = new Set(freeOf(before).map((use) => use.name));
  const ofScript = ['require', 'module', 'exports', '__filename', '__dirname'];
  const found: Problem[] = [];
  for (const { name, start } of freeOf(after)) {
    if (known.has(name) || name === 'arguments' || (after.parsed.goal === 'script' && ofScript.includes(name)))
      continue;
    const answer = await target.look({ do: 'names', file: after.parsed.file, path: [], prefix: name });
    if (answer.is !== 'names' || answer.names.some((one) => one.name === name)) continue;
    const near = nearest(name, [...after.topLevel.keys()]);
    const hint = near ? `Did you mean "${near}"? ` : '';
    const message = `${name} is not defined. ${hint}The program goes on with what it had; a save takes it as it is.`;
    found.push({ code: 'E_NAME', message, start, end: start + name.length });
  }
  return found;
}

/** The outline a module will have: of a text that was saved, with what was entered for it. */
function nextOutline(
  running: RunningProgram,
  file: string,
  modules: ReadonlyMap<string, { outline: Outline }>,
  outline: Outline,
): Outline {
  return running.entered.carriedOver(modules.get(file) as never, outline, (text) => running.outlineFor(file, text));
}

/** Those of the files that are executed again instead: extensions, and what belongs to one alone. */
export function changedExtensions(running: RunningProgram, outlines: readonly Outline[]): Set<string> {
  const { modules } = running.main;
  const changed = outlines.filter((outline) => {
    const { file } = outline.parsed;
    const module = modules.get(file);
    if (!module) return false;
    const differs = nextOutline(running, file, modules, outline).parsed.text !== module.outline.parsed.text;
    return differs && extensionOf(graphOf(running), file) !== undefined;
  });
  return new Set(changed.map((outline) => outline.parsed.file));
}

/** @param without files of the program itself that are executed again instead */
export function worksFor(running: RunningProgram, outlines: readonly Outline[], without: ReadonlySet<string>): Work[] {
  return running.targets.flatMap((state): Work[] => {
    const plans = outlines.flatMap((outline) => {
      const { file } = outline.parsed;
      const module = state.modules.get(file);
      if (!module || (state === running.main && without.has(file))) return [];
      const whole = nextOutline(running, file, state.modules, outline);
      return whole.parsed.text === module.outline.parsed.text
        ? []
        : [planChanges(module, whole, running.parts.language.translator)];
    });
    return plans.length > 0 ? [{ state, plans: withFollowing(running, state, plans) }] : [];
  });
}
