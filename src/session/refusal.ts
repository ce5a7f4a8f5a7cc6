/** A program that cannot start: its errors are the record, all of them. */
import { RecordBuilder } from '../record/builder.js';
import type { Problem } from '../syntax/problems.js';
import type { Language } from './host.js';
import type { Linked } from './linked.js';
import type { Linker } from './linker.js';
import { problemError } from './problem-error.js';

/** A record of problems alone. */
function recordOfProblems(linked: Linked, linker: Linker, problems: Linked['problems']): RecordBuilder {
  const builder = new RecordBuilder(linked.program);
  for (const { file, problem } of problems) builder.addError(problemError(linker.unit(file).lines, file, problem));
  return builder;
}

/**
 * All problems of a program, in files that cannot be parsed too. A promise
 * while the second parser is not loaded: the first error is shown meanwhile.
 */
function allProblems(
  linked: Linked,
  linker: Linker,
  language: Language,
): Linked['problems'] | Promise<Linked['problems']> {
  const others = linked.problems.filter(({ file }) => !linked.fatal.includes(file));
  const found = linked.fatal.map((file) => {
    const own = linked.problems.filter((entry) => entry.file === file).map((entry) => entry.problem);
    return { file, problems: language.recover(file, linker.textOf(file), own) };
  });
  const named = (file: string, problems: readonly Problem[]): Linked['problems'] =>
    problems.map((problem) => ({ file, problem }));
  if (found.every(({ problems }) => Array.isArray(problems)))
    return [...found.flatMap(({ file, problems }) => named(file, problems as Problem[])), ...others];
  return Promise.all(found.map(async ({ file, problems }) => named(file, await problems))).then((lists) => [
    ...lists.flat(),
    ...others,
  ]);
}

/**
 * Shows the problems of a program that cannot start: at once those that are known, and all when they are.
 *
 * @param show called with a record of them; `all` where there are no more to come
 */
export function refuse(
  linked: Linked,
  linker: Linker,
  language: Language,
  show: (builder: RecordBuilder, all: boolean) => void,
): void {
  const all = allProblems(linked, linker, language);
  if (Array.isArray(all)) {
    show(recordOfProblems(linked, linker, all), true);
    return;
  }
  show(recordOfProblems(linked, linker, linked.problems), false);
  void all.then((problems) => show(recordOfProblems(linked, linker, problems), true));
}
