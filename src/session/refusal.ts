/** A program that cannot start: its errors are the record, all of them. */
import { RecordBuilder } from '../record/builder.js';
import type { Problem } from '../syntax/problems.js';
import type { Language } from './host.js';
import type { Linked } from './linked.js';
import type { Linker } from './linker.js';
import { problemError } from './problem-error.js';

/** A record of problems alone. */
export function recordOfProblems(linked: Linked, linker: Linker, problems: Linked['problems']): RecordBuilder {
  const builder = new RecordBuilder(linked.program);
  for (const { file, problem } of problems) builder.addError(problemError(linker.unit(file).lines, file, problem));
  return builder;
}

/**
 * All problems of a program, in files that cannot be parsed too. A promise
 * while the second parser is not loaded: the first error is shown meanwhile.
 */
export function allProblems(
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
