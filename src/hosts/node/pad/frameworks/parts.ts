/** What the adapters of test frameworks are given. */
import { createRequire } from 'node:module';
import type { Replacing } from '../../../../runtime/modules/replacing.js';
import type { ReportedTests } from '../../../../runtime/tests/reported.js';
import type { FrameworkPlace, FrameworkSettings } from '../../../../wire/runs.js';
import type { ImportFrom } from '../importing.js';

export type Fn = (...args: never[]) => unknown;
export type Loose = Record<string, unknown>;

export interface FrameworkParts {
  /** The pad. */
  file: string;
  framework: FrameworkPlace['name'];
  /** What the project asks of it. */
  settings: FrameworkSettings | undefined;
  packages: FrameworkPlace['packages'];
  reported: ReportedTests;
  importer: (from: string) => ImportFrom;
  /** Names from the outermost suite in, of the one test or suite to run. */
  alone: readonly string[] | undefined;
  /** Every statement is recorded, which takes its time: limits of tests are no measure. */
  patient: boolean;
  /** What it does to the modules of the program. */
  replacing: Replacing;
  /** The file of the person whose code calls just now. */
  caller(): string;
  /** Files that run by themselves, and are not loaded anew. */
  entries: readonly string[];
}

/** Milliseconds that a test may take while every statement is recorded; see `patient`. */
export const PATIENCE_MS = 600_000;

/** A part of the framework that is a script. */
export function required(parts: Pick<FrameworkParts, 'packages'>, specifier: string): Loose {
  const { from } = parts.packages.find((one) => one.specifier === specifier)!;
  return createRequire(from)(specifier) as Loose;
}

/** A part of the framework that is a module. */
export function imported(parts: Pick<FrameworkParts, 'packages' | 'importer'>, specifier: string): Promise<Loose> {
  const { from } = parts.packages.find((one) => one.specifier === specifier)!;
  return parts.importer(from)(specifier);
}

/** Puts what a framework gives to every file where every file finds it. Returns the names. */
export function putGlobals(given: Readonly<Loose>): string[] {
  for (const [name, value] of Object.entries(given))
    Object.defineProperty(globalThis, name, { value, writable: true, configurable: true, enumerable: true });
  return Object.keys(given);
}

interface Named {
  parent?: Named | undefined;
}

/** True for what is asked for, and for what is in it. */
export function isAsked<N extends Named>(node: N, nameOf: (node: N) => string, alone: readonly string[]): boolean {
  const path: string[] = [];
  // What holds all is no suite of a person.
  for (let at = node; at.parent; at = at.parent as N) path.unshift(nameOf(at));
  return alone.every((name, i) => path[i] === name);
}

/** Stands where a framework wants a pattern, and knows the full names that match. */
export class FullNames {
  private readonly names = new Set<string>();

  add(name: string): void {
    this.names.add(name);
  }

  test(name: string): boolean {
    return this.names.has(name);
  }
}
