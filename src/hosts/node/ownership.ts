/** Whose a file is. */
import { statSync } from 'node:fs';

/** Whether a file belongs to the person: what somebody else has written executes only when the person says so. */
export function isOwn(file: string): boolean {
  const person = process.getuid?.();
  const owner = statSync(file, { throwIfNoEntry: false })?.uid;
  // To the administrator all are.
  return !person || owner === undefined || owner === person;
}
