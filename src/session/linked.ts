/** A linked program. */
import type { Program } from '../record/program.js';
import type { Problem } from '../syntax/problems.js';
import type { ModuleCode } from '../wire/modules.js';
import type { FrameworkPlace, Warmed } from '../wire/runs.js';

export interface Linked {
  entry: string;
  program: Program;
  modules: ModuleCode[];
  /**
   * Syntax errors and imports that lead nowhere, in what is imported before anything runs; when there are any, nothing
   * runs.
   */
  problems: { file: string; problem: Problem }[];
  /** A parser gave up: a second one may find more. */
  fatal: string[];
  /** Why a worker is not enough, if it is not. */
  needsProcess: string | undefined;
  /** Kept expressions: their program-wide site, and what has to be the same for a kept value to hold. */
  keeps: { unit: number; id: number; site: number; key: string }[];
  /** Tests at the top level of its files: their site, and what has to be the same for a result to hold. */
  tests: { site: number; key: string | undefined }[];
  /** The test framework that runs them, where it is not the platform's. */
  framework: FrameworkPlace | undefined;
  /** The file that a mark names as the data of the pad. */
  data: string | undefined;
  /** Packages that are evaluated before any code of the person, so that they can be there before a run begins. */
  packages: Warmed[];
}

/** Packages that modules import, those of elements too, each with the file from which it is found. */
export function packagesOf(modules: readonly ModuleCode[]): { specifier: string; from: string }[] {
  return modules.flatMap(({ file, links, dynamic }) =>
    [...links, ...Object.values(dynamic)]
      .filter(({ kind, target }) => kind === 'package' && !/^(?:https?|data|blob):/.test(target))
      .map(({ target, base }) => ({ specifier: target, from: base ?? file })),
  );
}
