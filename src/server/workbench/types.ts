/** Checks types beside the runs: after one is over, so that no value waits for them. */
import { type AssistAnswer, type AssistQuestion, TypeChecker, type TypeProblem } from '../../hosts/node/types.js';
import type { Subject } from './subject.js';

/** Milliseconds after a run, while the checker is not loaded, and once it is. */
const FIRST_MS = 600;
const LATER_MS = 150;

export class TypeChecks {
  problems: readonly TypeProblem[] = [];
  private checker: TypeChecker | undefined;
  private waiting: NodeJS.Timeout | undefined;
  private number = 0;

  constructor(
    private isOn: boolean,
    private readonly subject: () => Subject | undefined,
    private readonly onChange: () => void,
  ) {}

  turn(on: boolean): void {
    this.isOn = on;
    this.problems = [];
    if (on) this.checkIn(0);
  }

  /** A run has ended. */
  checkSoon(): void {
    this.checkIn(this.checker ? LATER_MS : FIRST_MS);
  }

  checkIn(ms: number): void {
    clearTimeout(this.waiting);
    const subject = this.subject();
    if (this.isOn && subject) this.waiting = setTimeout(() => void this.check(subject), ms);
  }

  private async check(subject: Subject): Promise<void> {
    const number = ++this.number;
    const files = filesOf(subject);
    if (!files.some(({ file }) => /\.[mc]?tsx?$/.test(file))) return;
    this.checker ??= new TypeChecker();
    const problems = await this.checker.check(subject.file, files);
    if (number !== this.number || !this.isOn || this.subject() !== subject) return;
    if (JSON.stringify(problems) === JSON.stringify(this.problems)) return;
    this.problems = problems;
    this.onChange();
  }

  /** What types say of a place; undefined where nothing is known, or not soon enough. */
  async assist(question: AssistQuestion, text: string): Promise<AssistAnswer | undefined> {
    const subject = this.subject();
    if (!subject) return undefined;
    this.checker ??= new TypeChecker();
    const files = filesOf(subject).filter((one) => one.file !== question.file);
    return this.checker.assist(subject.file, [...files, { file: question.file, text }], question);
  }

  close(): Promise<void> | undefined {
    clearTimeout(this.waiting);
    return this.checker?.close();
  }
}

function filesOf(subject: Subject): { file: string; text: string }[] {
  return subject.files.flatMap((file) => {
    try {
      return [{ file, text: subject.textOf(file) }];
    } catch {
      return [];
    }
  });
}
