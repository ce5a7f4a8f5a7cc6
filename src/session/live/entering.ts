/**
 * What a person enters inside a module: statements run once, functions and
 * classes that the module has are patched, other declarations join the module
 * until it is executed again.
 */
import { enter } from '../../patch/entry.js';
import type { Waiting } from '../../patch/emit.js';
import type { LiveModule } from '../../patch/live-module.js';
import { planText } from '../../patch/notes.js';
import { planChanges, type Plan } from '../../patch/plan.js';
import type { LiveAnswer } from '../../wire/messages.js';
import type { Entered } from './events.js';
import type { RunningProgram } from './running.js';

/** A plan for what was entered. */
export interface EntryPlan {
  plan: Plan;
  /** Statements that are to run. */
  statements: Waiting[];
  /** Line on which what was entered begins in the text it was compiled with, from 0. */
  firstLine: number;
}

/** @returns what to do, or what is wrong with it */
export function planEntry(running: RunningProgram, module: LiveModule, text: string): EntryPlan | Entered {
  const { file } = module;
  const { translator } = running.parts.language;
  const entry = enter(module.outline, [...running.entered.of(module.outline)], text);
  if (entry.is !== 'ready') return entry;
  const outline = running.outlineFor(file, entry.text);
  if (!outline)
    return { is: 'wrong', problems: [{ line: 0, message: 'it cannot stand beside what the module has already' }] };
  const plan = planChanges(module, outline, translator);
  const { waiting } = plan;
  plan.waiting = [];
  plan.notes = plan.notes.filter((note) => note.kind !== 'waits');
  for (const name of entry.assigned) takeReset(plan, name);
  // What ran once is no part of the module.
  const lasting = entry.statements > 0 ? running.outlineFor(file, entry.lasting)! : outline;
  if (entry.statements > 0) plan.next = planChanges(plan.next, lasting, translator).next;
  running.entered.set(lasting, entry.joined);
  return { plan, statements: waiting, firstLine: entry.firstLine };
}

/** Who writes a name's first value anew means it, also where it holds state. */
function takeReset(plan: Plan, name: string): void {
  const reset = plan.resets.get(name);
  if (!reset) return;
  plan.steps.push(reset);
  plan.resets.delete(name);
  for (const note of plan.notes) if (note.name === name && note.kind === 'kept') note.kind = 'assigned';
}

/** Statements as a target evaluates them. */
export function codesOf(statements: readonly Waiting[]): { code: string; awaits: boolean }[] {
  return statements.map(({ code }) => ({ code, awaits: /^\s*\(\(async /.test(code) }));
}

/** What a plan changes, in one line; empty where it changes nothing. */
export function changesText(plan: Plan): string {
  return plan.notes.length > 0 ? planText(plan) : '';
}

/** What was to run threw. */
export function thrown(answer: LiveAnswer, file: string, firstLine: number, changes: string): Entered {
  const { error } = answer.failed!;
  const at = error.frames.find((frame) => frame.local && frame.line >= 0);
  const inEntry = at && at.file === file && at.line >= firstLine;
  const location = !at
    ? ''
    : inEntry
      ? `line ${at.line - firstLine + 1} of what was entered  `
      : `${at.file} line ${at.line + 1}  `;
  return {
    is: 'failed',
    text: `${location}${error.message === '' ? error.name : `${error.name}: ${error.message}`}`,
    details: changes === '' ? [] : [changes],
  };
}
