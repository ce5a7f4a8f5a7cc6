/** Questions about what a run told: its console, errors and tests by line and moment. */
import type { ConsoleEntry, PadRecord, RecordError, TestResult } from './record.js';

/** Console lines up to a moment, in order. */
export function consoleAt(record: PadRecord, until = Infinity): ConsoleEntry[] {
  return record.console.filter((entry) => entry.moment <= until);
}

/** Console lines of one line of a file. */
export function consoleOfLine(record: PadRecord, where: { line: number; file?: string }): ConsoleEntry[] {
  const file = where.file ?? record.file;
  return record.console.filter((entry) => entry.file === file && entry.range?.start.line === where.line);
}

/** Errors up to a moment. */
export function errorsAt(record: PadRecord, until = Infinity): RecordError[] {
  return record.errors.filter((error) => error.moment <= until);
}

/** Tests declared on one line of a file. */
export function testsOfLine(record: PadRecord, where: { line: number; file?: string }): TestResult[] {
  const file = where.file ?? record.file;
  return record.tests.filter((test) => test.file === file && test.line === where.line);
}
